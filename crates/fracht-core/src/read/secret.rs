//! Reads `[secret.NAME]`: not the values, only where they are.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE, DEFINED_TWICE, MISSING_KEY, SECRET_WRITTEN};
use crate::language::secret::{ENV, FILE, KEY, KEY_TABLE, KEYS, PRESENT, SECRET_TABLE};
use crate::model::{Secret, SecretForm, SecretKey, SecretSource};
use crate::tree::{Entry, Node, Value};

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Secret {
    let fields = Fields::of(entry, &SECRET_TABLE, reader);
    let present = fields.get(reader, &PRESENT);
    let mut keys = Vec::new();
    for (key, entry) in fields.named(reader, &KEY) {
        let owner = format!("secret.{name}/{key}");
        if let Some(source) = source(reader, &owner, entry) {
            let (size, form) = match &source {
                SecretSource::File(path) => (reader.files.size(path).ok(), form(reader, path)),
                SecretSource::Variable(_) | SecretSource::Present => (None, None),
            };
            keys.push(SecretKey { name: Arc::clone(key), span: entry.key_span, source, size, form });
        }
    }
    let listed = fields.list(reader, &KEYS);
    let is_empty = |node: &Node| matches!(&node.value, Value::List(items) if items.is_empty());
    if let Some(node) = fields.node(&KEYS).filter(|node| present.is_some() && is_empty(node)) {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`keys` of `secret.{name}` is empty"))
                .at(node.span, "no reference can name a key")
                .help("list the keys of the secret in the cluster, for example `keys = [\"password\"]`"),
        );
    }
    let mut known = BTreeSet::new();
    for key in listed.unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        if !known.insert(Arc::clone(&key.value)) {
            reader.sink.push(
                Diagnostic::new(
                    &DEFINED_TWICE,
                    format!("key `{}` of `secret.{name}` is listed twice", key.value),
                )
                .at(span, "listed again here")
                .help("remove one of them"),
            );
            continue;
        }
        keys.push(SecretKey { name: key.value, span, source: SecretSource::Present, size: None, form: None });
    }
    check_source(reader, name, &fields);
    Secret { name: Arc::clone(name), span: fields.span, present, keys }
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
    let span = |field| fields.entry(field).map(|entry| entry.key_span);
    let problem = match (span(&PRESENT), span(&KEY), span(&KEYS)) {
        (Some(present), Some(key), _) => {
            Diagnostic::new(&BAD_VALUE, format!("`secret.{name}` sets both `key` and `present`"))
                .at(key, "`present` is also set")
                .also(present, "already exists in the cluster")
                .help("remove `present`, or replace `key` by `keys = [\"…\"]`")
        }
        (Some(present), None, None) => {
            Diagnostic::new(&MISSING_KEY, format!("`keys` is missing in `secret.{name}`"))
                .at(present, "required by `present`")
                .help("add them, for example `keys = [\"password\"]`")
        }
        (None, _, Some(keys)) => {
            Diagnostic::new(&BAD_VALUE, format!("`keys` in `secret.{name}` needs `present`"))
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

/// Reads the source of a key's value.
fn source(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<SecretSource> {
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
    match (fields.entry(&ENV), fields.entry(&FILE)) {
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
    }
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
