//! Reads the files of secrets: the keys of their lines, and the references in them. Values are looked at and not kept.

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use super::is_encoded;
use crate::diag::Diagnostic;
use crate::diag::reading::{FILE_UNREADABLE, UNKNOWN_NAME};
use crate::grammar::reference::RefKind;
use crate::language::config::REFERENCES;
use crate::language::secret::{KEYS, LINES};
use crate::model::{KeyAddresses, Replacement, SecretForm, SecretKey, SecretSource};
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
    (keys, addresses): (&mut Vec<(SecretKey, Layer)>, &mut KeyAddresses),
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
                found.push(of_line(reader, line, &source, references.then_some(&mut *addresses)));
            }
        }
    }
    let known: BTreeSet<Arc<str>> = found.iter().map(|key: &SecretKey| Arc::clone(&key.name)).collect();
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
        found.push(SecretKey::new(Arc::clone(key), *span, source.clone()));
    }
    if listed.is_empty() && !is_whole {
        reader.symbols.to_mut().set_incomplete(RefKind::Secret, name);
    }
    let mut places: HashMap<Arc<str>, usize> =
        keys.iter().enumerate().map(|(at, (key, _))| (Arc::clone(&key.name), at)).collect();
    for key in found {
        let place = places.get(&key.name).copied();
        match place.and_then(|place| keys.get_mut(place)) {
            None => {
                places.insert(Arc::clone(&key.name), keys.len());
                keys.push((key, layer));
            }
            Some((known, own)) if *own == layer => {
                let first = known.span;
                lines::twice(reader, &key.name, key.span, first);
            }
            Some(known) if known.1 < layer => *known = (key, layer),
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

/// The key of a line. Its value is looked at and not kept.
/// References are replaced if `addresses` is set, which gets the addresses among them.
fn of_line(
    reader: &mut Reader<'_>,
    line: Line,
    source: &SecretSource,
    addresses: Option<&mut KeyAddresses>,
) -> SecretKey {
    let Line { name, span, value, origin, is_literal } = line;
    let mut references = Vec::new();
    if let Some(addresses) = addresses.filter(|_| !is_literal) {
        let (text, known) = reader.secret(&value, origin);
        references = known;
        addresses.add(&name, &text);
    }
    SecretKey {
        size: Some(value.len() as u64),
        form: is_encoded(value.trim()).then_some(SecretForm::Base64),
        references,
        line: Some(origin),
        ..SecretKey::new(name, span, source.clone())
    }
}

/// What the references in a file stand for. The file is looked at and not kept.
pub(super) fn references_of(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    path: &Sourced<Arc<str>>,
    addresses: &mut KeyAddresses,
) -> Vec<Replacement> {
    let Some((resolved, bytes)) = reader.file(path) else { return Vec::new() };
    let shown = reader.shown(path);
    let Ok(text) = std::str::from_utf8(&bytes).map(Arc::<str>::from) else {
        lines::not_text(reader, path);
        return Vec::new();
    };
    let Some(file) = reader.add(&resolved, &shown, Arc::clone(&text), Syntax::Secret) else {
        return Vec::new();
    };
    let origin = lines::whole(path, Span::new(file, 0..text.len()));
    let (text, references) = reader.secret(&text, origin);
    addresses.add(name, &text);
    references
}
