//! Reads `[volume.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::language::volume::{ACCESS, CLASS, EACH, NODE, NODE_FOLDER, PRESENT, SIZE, VOLUME_TABLE};
use crate::model::Volume;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Volume {
    reader.tainted = false;
    let fields = Fields::of(entry, &VOLUME_TABLE, reader);
    let owner = format!("volume.{name}");
    if fields.lacks(&PRESENT) {
        fields.require(reader, &owner, &SIZE);
    }
    let volume = Volume {
        name: Arc::clone(name),
        span: fields.span,
        size: fields.get(reader, &SIZE),
        access: fields.or_default(reader, &ACCESS),
        class: fields.get(reader, &CLASS),
        each: fields.or_default(reader, &EACH),
        present: fields.get(reader, &PRESENT),
        node_folder: fields.get(reader, &NODE_FOLDER),
        node: fields.get(reader, &NODE),
        tainted: false,
    };
    let volume = Volume { tainted: reader.tainted, ..volume };
    if !fields.has_invalid(reader, &[&EACH, &PRESENT, &NODE_FOLDER, &NODE]) {
        together(reader, &owner, &fields, volume.each.value);
    }
    volume
}

/// Reports keys that conflict.
fn together(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, each: bool) {
    // An existing claim, an existing folder and a claim for each replica exclude each other.
    let each = fields.entry(&EACH).filter(|_| each).map(|entry| (entry.key_span, EACH.name()));
    let ways = [
        each,
        fields.entry(&PRESENT).map(|entry| (entry.key_span, PRESENT.name())),
        fields.entry(&NODE_FOLDER).map(|entry| (entry.key_span, NODE_FOLDER.name())),
    ];
    let mut ways = ways.into_iter().flatten();
    if let (Some((first, one)), Some((second, other))) = (ways.next(), ways.next()) {
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`{owner}` sets both `{one}` and `{other}`"))
                .at(second, format!("`{one}` is also set"))
                .also(first, format!("conflicts with `{other}`"))
                .help("keep one of them"),
        );
    }
    // A target may use an existing claim where the stack defines one; in one layer the two conflict.
    let layer = fields.node(&PRESENT).map(|node| node.layer);
    let of_claim = [fields.entry(&SIZE), fields.entry(&CLASS)];
    for entry in of_claim.into_iter().flatten().filter(|entry| layer == Some(entry.node.layer)) {
        let key = reader.sources.text(entry.key_span).to_owned();
        reader.sink.push(
            Diagnostic::new(
                &BAD_VALUE,
                format!("`{key}` has no effect: `{owner}` already exists in the cluster"),
            )
            .at(entry.key_span, "no effect")
            .help(format!("remove `{key}`"))
            .help("or remove `present`"),
        );
    }
    if let (Some(entry), None) = (fields.entry(&NODE), fields.node(&NODE_FOLDER)) {
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`node` has no effect in `{owner}` without `node-folder`"))
                .at(entry.key_span, "no effect")
                .help("add the folder on that node: `node-folder = \"/path\"`")
                .help("or remove `node`"),
        );
    }
}
