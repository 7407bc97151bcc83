//! Reads `[secret.NAME]`: not the values, only where they are.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, MISSING_KEY, SECRET_WRITTEN};
use crate::language::secret::{ENV, FILE, KEY, KEY_TABLE, KEYS, PRESENT, SECRET_TABLE};
use crate::model::{Secret, SecretKey, SecretSource};
use crate::tree::{Entry, Value};

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Secret {
    let fields = Fields::of(entry, &SECRET_TABLE, reader);
    let present = fields.get(reader, &PRESENT);
    let mut keys = Vec::new();
    for (key, entry) in fields.named(reader, &KEY) {
        let owner = format!("secret.{name}/{key}");
        if let Some(source) = source(reader, &owner, entry) {
            let size = match &source {
                SecretSource::File(path) => reader.files.size(path).ok(),
                SecretSource::Variable(_) | SecretSource::Present => None,
            };
            keys.push(SecretKey { name: Arc::clone(key), span: entry.key_span, source, size });
        }
    }
    for key in fields.list(reader, &KEYS).unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        keys.push(SecretKey { name: key.value, span, source: SecretSource::Present, size: None });
    }
    check_source(reader, name, &fields);
    Secret { name: Arc::clone(name), span: fields.span, present, keys }
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
    reader.tainted = true;
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
        (Some(_), None) => Some(SecretSource::Variable(fields.get(reader, &ENV)?.value)),
        // The file need not exist to check the stack.
        (None, Some(_)) => {
            let path = fields.get(reader, &FILE)?;
            reader.secret_path(&path).map(SecretSource::File)
        }
        (Some(_), Some(file)) => {
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{owner}` sets both `env` and `file`"))
                    .at(file.key_span, "`env` is also set")
                    .help("keep one of them"),
            );
            None
        }
        (None, None) => {
            fields.missing(reader, owner, KEY_TABLE.one_of);
            None
        }
    }
}
