//! `[volume.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::grammar::quantity::{self, Quantity};
use crate::model::{Access, Volume};
use crate::origin::At;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Volume {
    let fields = Fields::of(entry, reader);
    if fields.node("size").is_none() {
        reader.missing(&format!("volume.{name}"), fields.span, "size", "\"10Gi\"");
    }
    let none = || At::defaulted(Quantity { text: "1".into(), size: 1 }, "nothing else");
    Volume {
        name: Arc::clone(name),
        span: fields.span,
        size: fields.small(reader, "size", quantity::bytes).unwrap_or_else(none),
        access: fields
            .word(reader, "access", &Access::WORDS)
            .unwrap_or(At::defaulted(Access::OneNode, "the default of a volume")),
        class: fields.plain(reader, "class"),
    }
}
