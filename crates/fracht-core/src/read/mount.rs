//! `mount."/path"` of a service or a task.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::grammar::{quantity, reference};
use crate::model::{Mount, Mounted};
use crate::resolve::Unknown;
use crate::tree::{Entry, Value};

/// Reads a mount; `None` if what is mounted can't be told.
pub(super) fn read(reader: &mut Reader<'_>, path: &Arc<str>, entry: &Entry) -> Option<Mount> {
    let what = match &entry.node.value {
        Value::Table(_) => scratch(reader, path, entry)?,
        Value::Text(text) => mounted(reader, text, entry)?,
        _ => {
            reader.lose(entry.node.span);
            return None;
        }
    };
    let origin = entry.node.origin();
    Some(Mount { path: Arc::clone(path), path_span: entry.key_span, what, origin })
}

fn scratch(reader: &mut Reader<'_>, path: &str, entry: &Entry) -> Option<Mounted> {
    let fields = Fields::of(entry, reader);
    if fields.node("scratch").is_none() {
        reader.missing(&format!("The mount of {path}"), fields.span, "scratch", "\"64Mi\"");
        return None;
    }
    Some(Mounted::Scratch(fields.small(reader, "scratch", quantity::bytes).map(|size| size.value)))
}

fn mounted(reader: &mut Reader<'_>, text: &str, entry: &Entry) -> Option<Mounted> {
    let span = entry.node.span;
    let Ok(written) = reference::parse(text) else {
        reader.lose(span);
        return None;
    };
    let unknown = |reader: &mut Reader<'_>, what: &str, name: &str, names: Vec<&str>| {
        let unknown = Unknown { what, name, span, exact: false };
        let problem = unknown.among(names);
        reader.tainted = true;
        reader.sink.push(problem);
        None
    };
    let symbols = &reader.symbols;
    let (found, keys) = match written.kind {
        "volume" => (symbols.volume(written.name).map(Mounted::Volume), &[][..]),
        "config" => match symbols.config(written.name) {
            Some((id, keys)) => (Some(Mounted::Config(id, None)), keys),
            None => (None, &[][..]),
        },
        "secret" => match symbols.secret(written.name) {
            Some((id, keys)) => (Some(Mounted::Secret(id, None)), keys),
            None => (None, &[][..]),
        },
        _ => {
            reader.lose(span);
            return None;
        }
    };
    let Some(found) = found else {
        let names: Vec<String> = symbols.names(written.kind).into_iter().map(str::to_owned).collect();
        let names = names.iter().map(String::as_str).collect();
        return unknown(reader, written.kind, written.name, names);
    };
    let Some(part) = written.part else { return Some(found) };
    if let Mounted::Volume(_) = found {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", "A volume has no parts to mount.")
                .at(span, format!("`/{part}` can't be told apart"))
                .help(format!("Mount the whole: \"volume.{}\".", written.name)),
        );
        return None;
    }
    let key = keys.iter().find(|key| ***key == *part).map(Arc::clone);
    match (key, found) {
        (Some(key), Mounted::Config(id, _)) => Some(Mounted::Config(id, Some(key))),
        (Some(key), Mounted::Secret(id, _)) => Some(Mounted::Secret(id, Some(key))),
        _ => {
            let keys: Vec<String> = keys.iter().map(ToString::to_string).collect();
            let names = keys.iter().map(String::as_str).collect();
            let what = format!("key of {}.{}", written.kind, written.name);
            unknown(reader, &what, part, names)
        }
    }
}
