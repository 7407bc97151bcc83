//! Reads `[secret.NAME]`: not the values, only where they are.

mod files;
mod references;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;

use self::references::{Read, Unresolved};
use super::Reader;
use super::fields::Fields;
use super::lines;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE, DEFINED_TWICE, MISSING_KEY, SECRET_WRITTEN};
use crate::grammar::make::Make;
use crate::language::config::FILE_REFERENCES;
use crate::language::secret::{ENV, FILE, KEY, KEY_TABLE, KEYS, LINES, MAKE, PRESENT, SECRET_TABLE};
use crate::language::{AnyField, stack};
use crate::model::{List, Secret, SecretForm, SecretKey, SecretSource};
use crate::origin::Layer;
use crate::source::Span;
use crate::tree::{Entry, Node, Value};

/// Reads all secrets.
pub(super) fn read_all(reader: &mut Reader<'_>, root: &Node) -> List<Secret> {
    let read: Vec<Read> = reader.each(root, &stack::SECRET, read);
    references::resolve(reader, read)
}

/// The lines of files that the stack lists as secret, by the places of their values, each with its secret.
pub(super) fn listed_lines(secrets: &List<Secret>) -> BTreeMap<Span, &str> {
    let mut listed = BTreeMap::new();
    for secret in secrets {
        let keys = secret.keys.iter().filter(|key| key.is_listed);
        listed.extend(keys.filter_map(|key| Some((key.line?.span()?, &*secret.name))));
    }
    listed
}

/// A key of a secret, and the layer that it belongs to.
struct Found {
    key: SecretKey,
    layer: Layer,
    /// Its value, if it may contain references.
    text: Option<Unresolved>,
}

impl Found {
    /// A key whose value contains no references.
    fn new(key: SecretKey, layer: Layer) -> Self {
        Self { key, layer, text: None }
    }
}

fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Read {
    let fields = Fields::of(entry, &SECRET_TABLE, reader);
    let present = fields.get(reader, &PRESENT);
    let mut keys: Vec<Found> = Vec::new();
    for (key, entry) in fields.named(reader, &KEY) {
        keys.extend(written(reader, &format!("secret.{name}/{key}"), (key, entry)));
    }
    let listed = listed(reader, name, &fields);
    if fields.entry(&LINES).is_some() {
        files::read_lines(reader, name, &fields, &listed, &mut keys);
    } else {
        let present = |(name, span)| SecretKey::new(name, span, SecretSource::Present);
        keys.extend(listed.into_iter().map(present).map(|key| Found::new(key, Layer::Stack)));
    }
    check_source(reader, name, &fields);
    let mut texts = Vec::new();
    let with_place = |(place, found): (usize, Found)| {
        texts.extend(found.text.map(|text| (place, text)));
        found.key
    };
    let keys: Vec<SecretKey> = keys.into_iter().enumerate().map(with_place).collect();
    check_made(reader, name, &keys);
    let addresses = Vec::new();
    (Secret { name: Arc::clone(name), span: fields.span, present, keys, addresses }, texts)
}

/// The keys that the stack lists, each with its place.
fn listed(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) -> Vec<(Arc<str>, Span)> {
    let is_empty = |node: &Node| matches!(&node.value, Value::List(items) if items.is_empty());
    let needs_keys =
        [&PRESENT as &dyn AnyField, &LINES].into_iter().any(|field| fields.entry(field).is_some());
    if let Some(node) = fields.node(&KEYS).filter(|node| needs_keys && is_empty(node)) {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`keys` of `secret.{name}` is empty"))
                .at(node.span, "no reference can name a key")
                .help("list the keys of the secret, for example `keys = [\"password\"]`"),
        );
    }
    let mut known = BTreeSet::new();
    let mut keys = Vec::new();
    for key in fields.list(reader, &KEYS).unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        if known.insert(Arc::clone(&key.value)) {
            keys.push((key.value, span));
            continue;
        }
        reader.sink.push(
            Diagnostic::new(
                &DEFINED_TWICE,
                format!("key `{}` of `secret.{name}` is listed twice", key.value),
            )
            .at(span, "listed again here")
            .help("remove one of them"),
        );
    }
    keys
}

/// A key that is written in the stack.
fn written(reader: &mut Reader<'_>, owner: &str, (name, entry): (&Arc<str>, &Entry)) -> Option<Found> {
    let (source, make) = source(reader, owner, entry)?;
    let (size, form) = match &source {
        SecretSource::File(path) => (reader.files.size(path).ok(), form(reader, path)),
        _ => (None, None),
    };
    let mut text = None;
    let fields = Fields::of(entry, &KEY_TABLE, reader);
    if let Some(replaced) = fields.get(reader, &FILE_REFERENCES).filter(|replaced| replaced.value) {
        match (fields.get(reader, &FILE), size) {
            (Some(path), Some(_)) => text = files::text_of(reader, &path),
            // A file need not exist to check the stack.
            (Some(_), None) => {}
            // That of an earlier layer belongs to the file that another source replaces.
            (None, _) if Some(lines::layer(replaced.origin)) < fields.node(&ENV).map(|env| env.layer) => {}
            (None, _) => {
                reader.taint();
                reader.sink.push(
                    Diagnostic::new(&BAD_VALUE, format!("`references` of `{owner}` needs `file`"))
                        .at(replaced.span(), "only for a file")
                        .help("remove it"),
                );
            }
        }
    }
    let key = SecretKey { size, form, make, ..SecretKey::new(Arc::clone(name), entry.key_span, source) };
    Some(Found { text, ..Found::new(key, entry.node.layer) })
}

/// Reports keys that are made by hand beside others: a Secret is either generated or made by hand.
fn check_made(reader: &mut Reader<'_>, name: &str, keys: &[SecretKey]) {
    let made = keys.iter().find(|key| key.source == SecretSource::Made);
    let other = keys.iter().find(|key| key.source != SecretSource::Made);
    let (Some(made), Some(other)) = (made, other) else { return };
    reader.taint();
    reader.sink.push(
        Diagnostic::new(
            &BAD_VALUE,
            format!("`secret.{name}` has keys that are created by hand beside others"),
        )
        .at(made.span, "in the cluster alone")
        .also(other.span, "written by `render --secrets`")
        .help(format!(
            "say where its value is kept, for example `env = \"{}\"` beside `make`",
            variable(&made.name)
        ))
        .help("or put it into a secret of its own"),
    );
}

/// The name of a variable for a key.
fn variable(key: &str) -> String {
    key.to_uppercase().replace(['-', '.'], "_")
}

/// The most bytes of a secret whose form is looked at. Certificates and key stores are larger.
const MOST_OF_FORM: u64 = 4096;

/// What a file with a secret looks like. Its content is not kept.
fn form(reader: &Reader<'_>, path: &Path) -> Option<SecretForm> {
    let bytes = reader.files.read(path, MOST_OF_FORM).ok()?;
    if bytes.starts_with(&[0xEF, 0xBB, 0xBF]) {
        return Some(SecretForm::Marked);
    }
    let text = std::str::from_utf8(&bytes).ok()?;
    is_encoded(text.trim()).then_some(SecretForm::Base64)
}

/// Whether a text is printable text in base64 (RFC 4648, section 4). What is random decodes to bytes that are not.
fn is_encoded(text: &str) -> bool {
    let digits = text.trim_end_matches('=');
    let value = |byte: u8| match byte {
        b'A'..=b'Z' => Some(u32::from(byte - b'A')),
        b'a'..=b'z' => Some(u32::from(byte - b'a') + 26),
        b'0'..=b'9' => Some(u32::from(byte - b'0') + 52),
        b'+' => Some(62),
        b'/' => Some(63),
        _ => None,
    };
    if digits.len() < 8 || !text.len().is_multiple_of(4) || text.len() - digits.len() > 2 {
        return false;
    }
    let (mut bits, mut count) = (0_u32, 0);
    for byte in digits.bytes() {
        let Some(value) = value(byte) else { return false };
        bits = (bits << 6) | value;
        count += 6;
        if count >= 8 {
            count -= 8;
            let decoded = (bits >> count) & 0xFF;
            let printable = (0x20..0x7F).contains(&decoded) || matches!(decoded, 0x0A | 0x0D | 0x09);
            if !printable {
                return false;
            }
            bits &= (1 << count) - 1;
        }
    }
    true
}

/// Checks that a secret either exists in the cluster, with a list of keys, or is generated from keys with sources.
fn check_source(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) {
    if fields.has_invalid(reader, &[&PRESENT, &KEYS]) {
        return;
    }
    let span = |field: &dyn AnyField| fields.entry(field).map(|entry| entry.key_span);
    let made = [&KEY as &dyn AnyField, &LINES];
    let made = made.into_iter().find_map(|field| Some((field.key().name, span(field)?)));
    let problem = match (span(&PRESENT), made, span(&KEYS)) {
        (Some(present), Some((key, made)), _) => {
            Diagnostic::new(&BAD_VALUE, format!("`secret.{name}` sets both `{key}` and `present`"))
                .at(made, "`present` is also set")
                .also(present, "already exists in the cluster")
                .help(format!("remove `present`, or replace `{key}` by `keys = [\"…\"]`"))
        }
        (Some(present), None, None) => {
            Diagnostic::new(&MISSING_KEY, format!("`keys` is missing in `secret.{name}`"))
                .at(present, "required by `present`")
                .help("add them, for example `keys = [\"password\"]`")
        }
        (None, _, Some(keys)) if span(&LINES).is_none() => {
            Diagnostic::new(&BAD_VALUE, format!("`keys` in `secret.{name}` needs `present` or `lines`"))
                .at(keys, "only for an existing secret")
                .help("add `present = \"NAME\"`, the name of the Secret in the cluster")
                .help("or define each key: `key.NAME = { env = \"VARIABLE\" }`")
        }
        (None, None, None) if fields.is_table() => {
            Diagnostic::new(&MISSING_KEY, format!("`key` is missing in `secret.{name}`"))
                .at(fields.span, "has no keys")
                .help("add one, for example `key.password = { env = \"DB_PASSWORD\" }`")
        }
        _ => return,
    };
    reader.taint();
    reader.sink.push(problem);
}

/// Reads the source of a key's value, and how to make it.
fn source(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<(SecretSource, Option<Make>)> {
    if let Value::Text(_) = &entry.node.value {
        reader.sink.hide(entry.node.span);
        reader.sink.push(
            Diagnostic::new(&SECRET_WRITTEN, format!("`{owner}` is written in plain text"))
                .at(entry.node.span, "hidden here, but readable in the file")
                .help("read it from a variable or a file: `{ env = \"VARIABLE\" }` or `{ file = \"path\" }`")
                .help("if this file was ever shared or committed, also change the secret"),
        );
        return None;
    }
    let fields = Fields::of(entry, &KEY_TABLE, reader);
    let make = fields.get(reader, &MAKE).map(|make| make.value);
    let source = match (fields.entry(&ENV), fields.entry(&FILE)) {
        (None, None) if fields.entry(&MAKE).is_some() => Some(SecretSource::Made),
        (Some(_), None) => {
            let variable = fields.get(reader, &ENV)?;
            // The cluster takes more names of variables than a shell can set.
            let plain = variable.value.replace(['-', '.'], "_");
            if plain != *variable.value
                && let Some(span) = variable.span()
            {
                let message = format!("no shell can set a variable `{}`", variable.value);
                reader.sink.push(
                    Diagnostic::new(&BAD_NAME, message).at(span, "only letters, digits and _").fix(
                        span,
                        format!("\"{plain}\""),
                        format!("write `{plain}`"),
                    ),
                );
            }
            Some(SecretSource::Variable(variable.value))
        }
        // The file need not exist to check the stack.
        (None, Some(_)) => {
            let path = fields.get(reader, &FILE)?;
            reader.secret_path(&path).map(SecretSource::File)
        }
        (Some(_), Some(_)) => {
            fields.both(reader, owner, &ENV, &FILE);
            None
        }
        (None, None) => {
            fields.missing(reader, owner, KEY_TABLE.one_of);
            None
        }
    };
    Some((source?, make))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn printable_text_in_base64_is_told_from_random_text() {
        // `gull-and-kelp`, with and without a line break.
        for text in ["Z3VsbC1hbmQta2VscA==", "Z3VsbC1hbmQta2VscAo="] {
            assert!(is_encoded(text), "{text}");
        }
        for text in [
            "",
            "gullandkelp1",
            "aB3dE5gH7jK9mN1pQ3sT",
            "hunter2",
            "c0ffee00c0ffee00",
            "Z3Vs",
            "gull-and-kelp",
        ] {
            assert!(!is_encoded(text), "{text}");
        }
    }
}
