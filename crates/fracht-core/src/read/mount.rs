//! Reads `mount."/path"` of a service or a task.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::diag::unknown::Unknown;
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word;
use crate::language::mount::{FOLDER, FROM, MODE, MOUNT_TABLE, PART, READ_ONLY, SCRATCH, SHARED};
use crate::model::{Mount, Mounted, Scratch};
use crate::source::Span;
use crate::tree::Entry;

/// Reads a mount; `None` if its source is invalid.
pub(super) fn read(reader: &mut Reader<'_>, path: &Arc<str>, entry: &Entry) -> Option<Mount> {
    let fields = Fields::of(entry, &MOUNT_TABLE, reader);
    let what = source(reader, path, &fields)?;
    let part = part(reader, path, &fields, &what);
    let mode = mode(reader, path, &fields, &what);
    if let (Some(entry), false) = (fields.valid(reader, &SHARED), matches!(what, Mounted::Scratch(_))) {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`shared` works only with scratch folders, not at `{path}`"))
                .at(entry.key_span, "not a scratch folder")
                .help("remove `shared`: containers that mount one volume share it anyway"),
        );
    }
    let read_only = fields.get(reader, &READ_ONLY).is_some_and(|only| only.value);
    Some(Mount {
        path: Arc::clone(path),
        path_span: entry.key_span,
        read_only: read_only || matches!(what, Mounted::Config(..) | Mounted::Secret(..)),
        what,
        origin: entry.node.origin(),
        part,
        mode,
    })
}

/// The source of a mount.
fn source(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>) -> Option<Mounted> {
    let set: Vec<_> =
        MOUNT_TABLE.one_of.iter().filter_map(|field| Some((*field, fields.entry(*field)?))).collect();
    match set.as_slice() {
        [] => {
            fields.missing(reader, &format!("mount `{path}`"), MOUNT_TABLE.one_of);
            None
        }
        [_] => {
            if fields.entry(&FROM).is_some() {
                let from = fields.get(reader, &FROM)?;
                mounted(reader, &from.value, from.span()?)
            } else if fields.entry(&SCRATCH).is_some() {
                let size = fields.get(reader, &SCRATCH).map(|size| size.value);
                let shared = fields.get(reader, &SHARED).map(|name| name.value);
                Some(Mounted::Scratch(Scratch { size, shared }))
            } else {
                let folder = fields.get(reader, &FOLDER)?;
                reader.path(&folder).map(Mounted::Folder)
            }
        }
        [(one, _), (other, _), ..] => {
            fields.both(reader, &format!("mount `{path}`"), *one, *other);
            None
        }
    }
}

fn part(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>, what: &Mounted) -> Option<Arc<str>> {
    let part = fields.get(reader, &PART)?;
    let inside = !part.value.is_empty()
        && !part.value.starts_with('/')
        && part.value.split('/').all(|step| !step.is_empty() && step != "." && step != "..");
    let problem = match what {
        Mounted::Volume(_) if inside => return Some(part.value),
        Mounted::Volume(_) => Diagnostic::new(&BAD_VALUE, format!("invalid `part`: `{}`", part.value))
            .at(part.span(), "not a path inside the volume")
            .help("write a path without a leading `/`, without `.` and `..`, for example `part = \"tables/2026\"`"),
        _ => Diagnostic::new(&BAD_VALUE, format!("`part` works only with volumes, not at `{path}`"))
            .at(part.span(), "not a volume")
            .help("to mount one key of a config or a secret: `from = \"config.NAME/KEY\"`"),
    };
    reader.taint();
    reader.sink.push(problem);
    None
}

fn mode(reader: &mut Reader<'_>, path: &str, fields: &Fields<'_>, what: &Mounted) -> Option<u16> {
    let bits = fields.get(reader, &MODE)?;
    if matches!(what, Mounted::Config(..) | Mounted::Secret(..)) {
        return Some(bits.value);
    }
    reader.taint();
    reader.sink.push(
        Diagnostic::new(&BAD_VALUE, format!("`mode` works only with configs and secrets, not at `{path}`"))
            .at(bits.span(), "not a config or a secret")
            .help("remove `mode`: the program that writes the files sets their modes"),
    );
    None
}

/// The source of a mount that is a reference.
fn mounted(reader: &mut Reader<'_>, reference: &Reference, span: Span) -> Option<Mounted> {
    let Reference { kind, name, part } = reference;
    let symbols = &reader.symbols;
    let (found, keys) = match kind {
        RefKind::Volume => (symbols.volume(name).map(Mounted::Volume), None),
        RefKind::Config => match symbols.config(name) {
            Some((id, keys)) => (Some(Mounted::Config(id, None)), Some(keys)),
            None => (None, None),
        },
        _ => match symbols.secret(name) {
            Some((id, keys)) => (Some(Mounted::Secret(id, None)), Some(keys)),
            None => (None, None),
        },
    };
    let Some(found) = found else {
        reader.unknown(*kind, name, span);
        return None;
    };
    let Some(part) = part else { return Some(found) };
    if let Mounted::Volume(_) = found {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, "a volume has no keys").at(span, format!("remove `/{part}`")).help(
                format!("to mount a folder of it: `{{ from = \"volume.{name}\", part = \"{part}\" }}`"),
            ),
        );
        return None;
    }
    let key = keys.and_then(|keys| keys.get(part)).map(Arc::clone);
    match (key, found) {
        (Some(key), Mounted::Config(id, _)) => Some(Mounted::Config(id, Some(key))),
        (Some(key), Mounted::Secret(id, _)) => Some(Mounted::Secret(id, Some(key))),
        _ if symbols.is_incomplete(*kind, name) => {
            reader.taint();
            None
        }
        _ => {
            let owner = format!("{}.{name}", kind.word());
            let unknown = Unknown { what: "key", owner: Some(&owner), name: part, span, exact: false };
            unknown.report(|| keys.into_iter().flatten().map(|key| &**key), reader.sink);
            reader.taint();
            None
        }
    }
}
