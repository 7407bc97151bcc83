//! `[volume.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::grammar::quantity::{self, Quantity};
use crate::model::{Access, Volume};
use crate::origin::At;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Volume {
    reader.tainted = false;
    let fields = Fields::of(entry, reader);
    let owner = format!("volume.{name}");
    let present = fields.plain(reader, "present");
    if fields.lacks("size") && fields.lacks("present") {
        reader.missing(&owner, fields.span, "size", "\"10Gi\"");
    }
    let none = || At::defaulted(Quantity { text: "1".into(), size: 1 }, "nothing else");
    let no = At::defaulted(false, "the default of a volume");
    let volume = Volume {
        name: Arc::clone(name),
        span: fields.span,
        size: fields.small(reader, "size", quantity::bytes).unwrap_or_else(none),
        access: fields
            .word(reader, "access", &Access::WORDS)
            .unwrap_or(At::defaulted(Access::OneNode, "the default of a volume")),
        class: fields.plain(reader, "class"),
        each: fields.boolean(reader, "each").unwrap_or(no),
        present,
        node_folder: fields.plain(reader, "node-folder"),
        node: fields.plain(reader, "node"),
        tainted: false,
    };
    let volume = Volume { tainted: reader.tainted, ..volume };
    // What is there already, made by hand, or one for each replica excludes the others.
    let each = fields.entry("each").filter(|_| volume.each.value).map(|entry| (entry.key_span, "each"));
    let ways = [
        each,
        fields.entry("present").map(|entry| (entry.key_span, "present")),
        fields.entry("node-folder").map(|entry| (entry.key_span, "node-folder")),
    ];
    let mut ways = ways.into_iter().flatten();
    if let (Some((first, one)), Some((second, other))) = (ways.next(), ways.next()) {
        reader.sink.push(
            Diagnostic::new("bad-value", format!("{owner} can't have both `{one}` and `{other}`."))
                .at(second, "this")
                .also(first, "and this")
                .help("Keep one of the two."),
        );
    }
    // A target may find present what the stack makes elsewhere; in one layer the two don't go together.
    for key in ["size", "class"] {
        let layer = fields.node("present").map(|node| node.layer);
        let Some(entry) = fields.entry(key).filter(|entry| layer == Some(entry.node.layer)) else { continue };
        reader.sink.push(
            Diagnostic::new(
                "bad-value",
                format!("{owner} is in the cluster already: its `{key}` is what it is."),
            )
            .at(entry.key_span, "does nothing")
            .help("Remove it, or remove `present`."),
        );
    }
    if let (Some(entry), None) = (fields.entry("node"), fields.node("node-folder")) {
        reader.sink.push(
            Diagnostic::new("bad-value", format!("{owner} names a node, and no folder on it."))
                .at(entry.key_span, "does nothing")
                .help("Add node-folder = \"/path\", or remove it."),
        );
    }
    volume
}
