//! `[[patch]]` and `pass`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::model::{Change, Passed, Patch, Raw};
use crate::origin::At;
use crate::tree::{Entry, Node, Value};

fn items<'t>(reader: &mut Reader<'_>, root: &'t Node, key: &str) -> &'t [Node] {
    match root.at(&[key]).map(|node| (&node.value, node.span)) {
        Some((Value::List(items), _)) => items,
        Some((_, span)) => {
            reader.lose(span);
            &[]
        }
        None => &[],
    }
}

pub(super) fn patches(reader: &mut Reader<'_>, root: &Node) -> Vec<Patch> {
    items(reader, root, "patch").iter().filter_map(|item| patch(reader, item)).collect()
}

fn patch(reader: &mut Reader<'_>, item: &Node) -> Option<Patch> {
    let entry = Entry { key_span: item.span, node: item.clone() };
    let fields = Fields::of(&entry, reader);
    let Some(on) = fields.plain(reader, "on") else {
        if fields.lacks("on") {
            reader.missing("This patch", item.span, "on", "\"Deployment/api\"");
        }
        return None;
    };
    let span = on.span().unwrap_or(item.span);
    let Some((kind, name)) =
        on.value.split_once('/').filter(|(kind, name)| !kind.is_empty() && !name.is_empty())
    else {
        reader.sink.push(
            Diagnostic::new("bad-value", format!("`{}` does not name an object.", on.value))
                .at(span, "not KIND/NAME")
                .help("Write its kind and its name, as render writes them: on = \"Deployment/api\"."),
        );
        return None;
    };
    let change = match (fields.node("merge"), fields.node("ops").map(|node| &node.value)) {
        (Some(merge), None) => Change::Merge(raw(reader, merge)?),
        (None, Some(Value::List(ops))) => {
            Change::Operations(ops.iter().filter_map(|op| Some((operation(reader, op)?, op.span))).collect())
        }
        (Some(_), Some(_)) => {
            reader.sink.push(
                Diagnostic::new("bad-value", "This patch changes the object in two ways.")
                    .at(fields.entry("ops").map(|entry| entry.key_span), "`merge` is given as well")
                    .help("Write two patches, in the order in which they are to be made."),
            );
            return None;
        }
        (None, Some(_)) => {
            fields.node("ops").map(|node| reader.lose(node.span))?;
            return None;
        }
        (None, None) => {
            let example = "{ spec.revisionHistoryLimit = 3 }";
            reader.missing("This patch", span, "merge", example);
            return None;
        }
    };
    Some(Patch { kind: kind.into(), name: name.into(), span, change })
}

/// An operation with all that it needs.
fn operation(reader: &mut Reader<'_>, node: &Node) -> Option<Raw> {
    let word = node.at(&["op"]).and_then(Node::text);
    let more = match word.map(|word| &**word) {
        Some("add" | "replace" | "test") => Some(("value", "\"…\"")),
        Some("move" | "copy") => Some(("from", "\"/spec/…\"")),
        _ => None,
    };
    let mut whole = true;
    for (key, example) in [("op", "\"replace\""), ("path", "\"/spec/…\"")].into_iter().chain(more) {
        if node.at(&[key]).is_none() {
            whole = false;
            reader.missing("This operation", node.span, key, example);
        }
    }
    raw(reader, node).filter(|_| whole)
}

/// A value of any shape; `None` for what JSON does not have, which has been reported.
fn raw(reader: &mut Reader<'_>, node: &Node) -> Option<Raw> {
    match &node.value {
        Value::Text(text) => Some(Raw::Text(Arc::clone(text))),
        Value::Integer(number) => Some(Raw::Integer(*number)),
        Value::Boolean(value) => Some(Raw::Boolean(*value)),
        Value::Float => {
            let number = reader.sources.text(node.span).replace('_', "").parse::<f64>().ok();
            let number = number.filter(|number| number.is_finite());
            if number.is_none() {
                reader.lose(node.span);
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
            reader.lose(node.span);
            None
        }
    }
}

pub(super) fn passed(reader: &mut Reader<'_>, root: &Node) -> Vec<Passed> {
    let mut passed: Vec<Passed> = Vec::new();
    for item in items(reader, root, "pass") {
        let Some(text) = item.text() else {
            reader.lose(item.span);
            continue;
        };
        let written = At { value: Arc::clone(text), origin: item.origin() };
        for path in reader.files(&written) {
            let Some((resolved, bytes)) = reader.file(&path) else { continue };
            if passed.iter().any(|known| known.path == resolved) {
                continue; // two patterns may fit one file
            }
            let Ok(text) = std::str::from_utf8(&bytes) else {
                reader.sink.push(
                    Diagnostic::new("file-unreadable", format!("The file `{}` is not UTF-8.", path.value))
                        .at(item.span, "")
                        .help("Objects are text: save it as UTF-8."),
                );
                continue;
            };
            let shown = reader.shown(&path);
            let text = text.trim_start_matches('\u{feff}').into();
            passed.push(Passed { path: resolved, shown, span: item.span, text });
        }
    }
    passed
}
