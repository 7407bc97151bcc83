//! Reads `[[patch]]` and `pass`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, FILE_UNREADABLE};
use crate::language::AnyField;
use crate::language::patch::{FROM, MERGE, ON, OP, OPERATION_TABLE, OPS, PATCH_TABLE, PATH, VALUE};
use crate::language::stack::{PASS, PATCH};
use crate::model::{OperationKind, Passed, Patch, PatchChange, Raw};
use crate::source::{Span, Syntax};
use crate::tree::{Entry, Node, Value};

/// The items of a top-level list.
fn items<'t>(reader: &mut Reader<'_>, root: &'t Node, field: &dyn AnyField) -> &'t [Node] {
    match root.at(&[field.key().name]) {
        Some(Node { value: Value::List(items), .. }) => items,
        Some(node) => {
            reader.lose(node);
            &[]
        }
        None => &[],
    }
}

pub(super) fn patches(reader: &mut Reader<'_>, root: &Node) -> Vec<Patch> {
    items(reader, root, &PATCH).iter().filter_map(|item| patch(reader, item)).collect()
}

fn patch(reader: &mut Reader<'_>, item: &Node) -> Option<Patch> {
    let entry = Entry { key_span: item.span, node: item.clone() };
    let fields = Fields::of(&entry, &PATCH_TABLE, reader);
    fields.require(reader, "a patch", &ON);
    let on = fields.get(reader, &ON)?;
    let span = on.span().unwrap_or(item.span);
    let Some((kind, name)) =
        on.value.split_once('/').filter(|(kind, name)| !kind.is_empty() && !name.is_empty())
    else {
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("invalid `on`: `{}`", on.value))
                .at(span, "not KIND/NAME")
                .help("write the kind and the name as `fracht render` does, for example `on = \"Deployment/api\"`"),
        );
        return None;
    };
    let change = match (fields.entry(&MERGE), fields.entry(&OPS)) {
        (Some(merge), None) => PatchChange::Merge(raw(reader, &merge.node)?),
        (None, Some(_)) => {
            let operations = fields.tables(reader, &OPS);
            PatchChange::Operations(
                operations.iter().filter_map(|op| Some((operation(reader, op)?, op.key_span))).collect(),
            )
        }
        (Some(_), Some(ops)) => {
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, "a patch sets both `merge` and `ops`")
                    .at(ops.key_span, "`merge` is also set")
                    .help("write two patches, in the order in which to apply them"),
            );
            return None;
        }
        (None, None) => {
            fields.missing(reader, "a patch", PATCH_TABLE.one_of);
            return None;
        }
    };
    let mut places = Vec::new();
    if let Some(merge) = fields.node(&MERGE) {
        fields_of(merge, "", &mut places);
    }
    Some(Patch { kind: kind.into(), name: name.into(), span, change, fields: places })
}

/// Adds the fields of a merge, each with the place of its key.
fn fields_of(node: &Node, above: &str, places: &mut Vec<(String, Span)>) {
    for (name, entry) in node.table().into_iter().flatten() {
        let path = if above.is_empty() { name.to_string() } else { format!("{above}.{name}") };
        fields_of(&entry.node, &path, places);
        places.push((path, entry.key_span));
    }
}

/// Reads an operation; `None` if a key that it needs is missing.
fn operation(reader: &mut Reader<'_>, entry: &Entry) -> Option<Raw> {
    let fields = Fields::of(entry, &OPERATION_TABLE, reader);
    let kind = fields.get(reader, &OP).map(|kind| kind.value);
    let more: Option<&'static dyn AnyField> = match kind {
        Some(OperationKind::Add | OperationKind::Replace | OperationKind::Test) => Some(&VALUE),
        Some(OperationKind::Move | OperationKind::Copy) => Some(&FROM),
        Some(OperationKind::Remove) | None => None,
    };
    let path: &'static dyn AnyField = &PATH;
    let required: [&'static dyn AnyField; 2] = [&OP, path];
    let mut whole = fields.is_table();
    for field in required.into_iter().chain(more) {
        if fields.lacks(field) {
            whole = false;
            fields.missing(reader, "a patch operation", &[field]);
        }
    }
    raw(reader, &entry.node).filter(|_| whole)
}

/// Reads a value of any shape; `None` for a date or a number that JSON does not have, which has been reported.
fn raw(reader: &mut Reader<'_>, node: &Node) -> Option<Raw> {
    match &node.value {
        Value::Text(text) => Some(Raw::Text(Arc::clone(text))),
        Value::Integer(number) => Some(Raw::Integer(*number)),
        Value::Boolean(value) => Some(Raw::Boolean(*value)),
        Value::Float => {
            let number = reader.sources.text(node.span).replace('_', "").parse::<f64>().ok();
            let number = number.filter(|number| number.is_finite());
            if number.is_none() {
                reader.lose(node);
            }
            number.map(Raw::Float)
        }
        Value::List(items) => {
            items.iter().map(|item| raw(reader, item)).collect::<Option<_>>().map(Raw::List)
        }
        Value::Table(entries) => {
            let entry =
                |(name, entry): (&Arc<str>, &Entry)| Some((Arc::clone(name), raw(reader, &entry.node)?));
            entries.iter().map(entry).collect::<Option<_>>().map(Raw::Table)
        }
        Value::Date | Value::Tainted => {
            reader.lose(node);
            None
        }
    }
}

pub(super) fn passed(reader: &mut Reader<'_>, root: &Node) -> Vec<Passed> {
    let mut passed: Vec<Passed> = Vec::new();
    for item in items(reader, root, &PASS) {
        let Some(written) = reader.value(item, &PASS.takes) else { continue };
        for path in reader.files(&written) {
            let Some((resolved, bytes)) = reader.file(&path) else { continue };
            if passed.iter().any(|known| known.path == resolved) {
                continue; // two patterns may match one file
            }
            let Ok(text) = std::str::from_utf8(&bytes) else {
                reader.sink.push(
                    Diagnostic::new(&FILE_UNREADABLE, format!("`{}` is not UTF-8", path.value))
                        .at(item.span, "not a text file")
                        .help("save it as UTF-8"),
                );
                continue;
            };
            let shown = reader.shown(&path);
            let text: Arc<str> = text.trim_start_matches('\u{feff}').into();
            let file = reader.add(&resolved, &shown, Arc::clone(&text), Syntax::Objects);
            let Some(file) = file else { continue };
            passed.push(Passed { path: resolved, file, shown, span: item.span, text });
        }
    }
    passed
}
