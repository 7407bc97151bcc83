//! `mount."/path"` of a service or a task.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::suggest::Unknown;
use crate::grammar::{mode, quantity, reference};
use crate::model::{Mount, Mounted, Scratch};
use crate::source::Span;
use crate::tree::{Entry, Value};

/// Reads a mount; `None` if what is mounted can't be told.
pub(super) fn read(reader: &mut Reader<'_>, path: &Arc<str>, entry: &Entry) -> Option<Mount> {
    let mut mount = Mount {
        path: Arc::clone(path),
        path_span: entry.key_span,
        what: Mounted::Scratch(Scratch::default()),
        origin: entry.node.origin(),
        part: None,
        mode: None,
        read_only: false,
    };
    match &entry.node.value {
        Value::Table(_) => {
            let fields = Fields::of(entry, reader);
            mount.what = source(reader, path, &fields)?;
            mount.part = part(reader, path, &fields, &mount.what);
            mount.mode = mode(reader, path, &fields, &mount.what);
            if let (Some(entry), false) = (fields.entry("shared"), matches!(mount.what, Mounted::Scratch(_)))
            {
                reader.tainted = true;
                reader.sink.push(
                    Diagnostic::new(
                        "bad-value",
                        format!("what is mounted at `{path}` is not a scratch folder"),
                    )
                    .at(entry.key_span, "only for a scratch folder")
                    .help("remove `shared`: containers that mount one volume share it anyway"),
                );
            }
            mount.read_only = fields.boolean(reader, "read-only").is_some_and(|only| only.value);
        }
        Value::Text(text) => mount.what = mounted(reader, text, entry.node.span)?,
        _ => {
            reader.lose(entry.node.span);
            return None;
        }
    }
    mount.read_only |= matches!(mount.what, Mounted::Config(..) | Mounted::Secret(..));
    Some(mount)
}

/// What a table says is mounted.
fn source(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>) -> Option<Mounted> {
    let given: Vec<_> =
        ["from", "scratch", "folder"].into_iter().filter(|key| fields.node(key).is_some()).collect();
    match given.as_slice() {
        ["from"] => {
            let from = fields.plain(reader, "from")?;
            mounted(reader, &from.value, from.span()?)
        }
        ["scratch"] => {
            let size = fields.small(reader, "scratch", quantity::bytes).map(|size| size.value);
            let shared = fields.plain(reader, "shared").map(|name| name.value);
            Some(Mounted::Scratch(Scratch { size, shared }))
        }
        [_] => {
            let folder = fields.plain(reader, "folder")?;
            reader.path(&folder).map(Mounted::Folder)
        }
        [] => {
            reader.missing(&format!("The mount of {path}"), fields.span, "from", "\"volume.NAME\"");
            None
        }
        [one, other, ..] => {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new("bad-value", format!("Two things are mounted at {path}."))
                    .at(fields.entry(other).map(|entry| entry.key_span), format!("`{one}` is given as well"))
                    .help(format!("Keep one of `{one}` and `{other}`.")),
            );
            None
        }
    }
}

fn part(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>, what: &Mounted) -> Option<Arc<str>> {
    let part = fields.plain(reader, "part")?;
    let inside = !part.value.is_empty()
        && !part.value.starts_with('/')
        && part.value.split('/').all(|step| !step.is_empty() && step != "." && step != "..");
    let problem = match what {
        Mounted::Volume(_) if inside => return Some(part.value),
        Mounted::Volume(_) => {
            Diagnostic::new("bad-value", format!("`{}` is no folder in a volume.", part.value))
                .at(part.span(), "not a path that stays inside")
                .help("Write a path without / before it and without `.` and `..`, such as \"tables/2026\".")
        }
        _ => Diagnostic::new("bad-value", format!("What is mounted at {path} has no parts."))
            .at(part.span(), "only for a volume")
            .help("For one key of a config or a secret write it behind a slash: from = \"config.NAME/KEY\"."),
    };
    reader.tainted = true;
    reader.sink.push(problem);
    None
}

fn mode(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>, what: &Mounted) -> Option<u16> {
    let bits = fields.small(reader, "mode", mode::parse)?;
    if matches!(what, Mounted::Config(..) | Mounted::Secret(..)) {
        return Some(bits.value);
    }
    reader.tainted = true;
    reader.sink.push(
        Diagnostic::new("bad-value", format!("The files at {path} have modes of their own."))
            .at(bits.span(), "only for a config or a secret")
            .help("Remove it; whoever writes the files sets their modes."),
    );
    None
}

fn mounted(reader: &mut Reader<'_>, text: &str, span: Span) -> Option<Mounted> {
    let Ok(written) = reference::parse(text) else {
        reader.lose(span);
        return None;
    };
    let symbols = &reader.symbols;
    let (found, keys) = match written.kind {
        "volume" => (symbols.volume(written.name).map(Mounted::Volume), None),
        "config" => match symbols.config(written.name) {
            Some((id, keys)) => (Some(Mounted::Config(id, None)), Some(keys)),
            None => (None, None),
        },
        "secret" => match symbols.secret(written.name) {
            Some((id, keys)) => (Some(Mounted::Secret(id, None)), Some(keys)),
            None => (None, None),
        },
        _ => {
            reader.lose(span);
            return None;
        }
    };
    let Some(found) = found else {
        let unknown = Unknown { what: written.kind, name: written.name, span, exact: false };
        unknown.report(|| symbols.names(written.kind), reader.sink);
        reader.tainted = true;
        return None;
    };
    let Some(part) = written.part else { return Some(found) };
    if let Mounted::Volume(_) = found {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", "A volume has no keys to mount.")
                .at(span, format!("`/{part}` can't be told apart"))
                .help(format!(
                    "For a folder in it write {{ from = \"volume.{}\", part = \"{part}\" }}.",
                    written.name
                )),
        );
        return None;
    }
    let key = keys.and_then(|keys| keys.get(part)).map(Arc::clone);
    match (key, found) {
        (Some(key), Mounted::Config(id, _)) => Some(Mounted::Config(id, Some(key))),
        (Some(key), Mounted::Secret(id, _)) => Some(Mounted::Secret(id, Some(key))),
        _ if symbols.is_incomplete(written.kind, written.name) => {
            reader.tainted = true;
            None
        }
        _ => {
            let what = format!("key of {}.{}", written.kind, written.name);
            let unknown = Unknown { what: &what, name: part, span, exact: false };
            unknown.report(|| keys.into_iter().flatten().map(|key| &**key), reader.sink);
            reader.tainted = true;
            None
        }
    }
}
