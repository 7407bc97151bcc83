//! Reads the files of secrets: the keys of their lines, and texts that may contain references. Values are looked at and
//! not kept.

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use super::references::Unresolved;
use super::{Found, is_encoded};
use crate::diag::Diagnostic;
use crate::diag::reading::{FILE_UNREADABLE, UNKNOWN_NAME};
use crate::grammar::reference::RefKind;
use crate::language::config::REFERENCES;
use crate::language::secret::{KEYS, LINES};
use crate::model::{SecretForm, SecretKey, SecretSource};
use crate::origin::{Layer, Sourced};
use crate::read::Reader;
use crate::read::fields::Fields;
use crate::read::lines::{self, Line};
use crate::source::{Span, Syntax};

/// Adds the keys of files of `KEY=value` lines. The files need not exist if the keys are listed.
pub(super) fn read_lines(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    fields: &Fields<'_>,
    listed: &[(Arc<str>, Span)],
    keys: &mut Vec<Found>,
) {
    let references = fields.or_default(reader, &REFERENCES).value;
    let written = fields.list(reader, &LINES).unwrap_or_default();
    let paths: Vec<_> = written.iter().map(|path| reader.secret_path(path)).collect();
    let source = SecretSource::Lines(paths.iter().flatten().cloned().collect());
    let layer = written.first().map_or(Layer::Stack, |path| lines::layer(path.origin));
    let mut is_whole = !fields.has_invalid(reader, &[&LINES, &KEYS]);
    let mut found = Vec::new();
    let wanted: BTreeSet<&Arc<str>> = listed.iter().map(|(name, _)| name).collect();
    for (written, path) in written.iter().zip(paths) {
        let Some(path) = path else {
            is_whole = false;
            continue;
        };
        if reader.files.size(&path).is_err() {
            is_whole = false;
            if listed.is_empty() {
                no_lines(reader, written);
            }
            continue;
        }
        let read = lines::read(reader, written, Syntax::SecretLines);
        is_whole &= read.is_some();
        for line in read.into_iter().flatten() {
            if listed.is_empty() || wanted.contains(&line.name) {
                let mut key = of_line(line, &source, layer, references);
                key.key.is_listed = !listed.is_empty();
                found.push(key);
            }
        }
    }
    let known: BTreeSet<Arc<str>> = found.iter().map(|found: &Found| Arc::clone(&found.key.name)).collect();
    for (key, span) in listed.iter().filter(|(key, _)| !known.contains(key)) {
        if is_whole {
            let files: Vec<String> = written.iter().map(|path| format!("`{}`", path.value)).collect();
            reader.taint();
            reader.sink.push(
                Diagnostic::new(
                    &UNKNOWN_NAME,
                    format!("`{key}` of `secret.{name}` is not in {}", files.join(", ")),
                )
                .at(*span, "no such line")
                .help(format!("add the line `{key}=…` to the file, or remove the key")),
            );
        }
        found.push(Found::new(SecretKey::new(Arc::clone(key), *span, source.clone()), layer));
    }
    if listed.is_empty() && !is_whole {
        reader.symbols.to_mut().set_incomplete(RefKind::Secret, name);
    }
    let mut places: HashMap<Arc<str>, usize> =
        keys.iter().enumerate().map(|(at, known)| (Arc::clone(&known.key.name), at)).collect();
    for found in found {
        let key = &found.key;
        let place = places.get(&key.name).copied();
        match place.and_then(|place| keys.get_mut(place)) {
            None => {
                places.insert(Arc::clone(&key.name), keys.len());
                keys.push(found);
            }
            Some(known) if known.layer == layer => lines::twice(reader, &key.name, key.span, known.key.span),
            Some(known) if known.layer < layer => *known = found,
            Some(_) => {}
        }
    }
}

/// Reports a file of secrets that does not exist, so that its keys are not known.
fn no_lines(reader: &mut Reader<'_>, written: &Sourced<Arc<str>>) {
    reader.taint();
    reader.sink.push(
        Diagnostic::new(&FILE_UNREADABLE, format!("cannot read `{}`", written.value))
            .at(written.span(), "file not found, so its keys are not known")
            .help("create it, or correct the path")
            .help("or list its keys, so that a check needs no file: `keys = [\"…\"]`"),
    );
}

/// The key of a line. If it may contain references, its value is kept until they are resolved.
fn of_line(line: Line, source: &SecretSource, layer: Layer, references: bool) -> Found {
    let Line { name, span, value, origin, is_literal } = line;
    let key = SecretKey {
        size: Some(value.len() as u64),
        form: is_encoded(value.trim()).then_some(SecretForm::Base64),
        line: Some(origin),
        ..SecretKey::new(name, span, source.clone())
    };
    let text = (references && !is_literal).then_some(Unresolved { value, origin });
    Found { text, ..Found::new(key, layer) }
}

/// The text of a file that may contain references. It is kept until they are resolved.
pub(super) fn text_of(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>) -> Option<Unresolved> {
    let (resolved, bytes) = reader.file(path)?;
    let shown = reader.shown(path);
    let Ok(text) = std::str::from_utf8(&bytes).map(Arc::<str>::from) else {
        lines::not_text(reader, path);
        return None;
    };
    let file = reader.add(&resolved, &shown, Arc::clone(&text), Syntax::Secret)?;
    let origin = lines::whole(path, Span::new(file, 0..text.len()));
    Some(Unresolved { value: text, origin })
}
