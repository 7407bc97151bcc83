//! `[network.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::model::Network;
use crate::origin::At;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Network {
    let fields = Fields::of(entry, reader);
    let closed = fields.boolean(reader, "closed");
    Network {
        name: Arc::clone(name),
        span: fields.span,
        closed: closed.unwrap_or(At::defaulted(false, "the default of a network")),
    }
}
