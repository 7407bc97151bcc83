//! Reads `[network.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::language::network::{CLOSED, NETWORK_TABLE};
use crate::model::Network;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Network {
    let fields = Fields::of(entry, &NETWORK_TABLE, reader);
    Network { name: Arc::clone(name), span: fields.span, closed: fields.or_default(reader, &CLOSED) }
}
