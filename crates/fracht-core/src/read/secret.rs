//! `[secret.NAME]`. Values are not read: only where they are.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::model::{Secret, SecretKey, SecretSource};
use crate::source::Span;
use crate::tree::{Entry, Value};

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Secret {
    let fields = Fields::of(entry, reader);
    let present = fields.plain(reader, "present");
    let mut keys = Vec::new();
    for (key, entry) in fields.map(reader, "key") {
        let owner = format!("secret.{name}/{key}");
        if let Some(source) = source(reader, &owner, entry) {
            let size = match &source {
                SecretSource::File(path) => reader.files.size(path).ok(),
                SecretSource::Variable(_) | SecretSource::Present => None,
            };
            keys.push(SecretKey { name: Arc::clone(key), span: entry.key_span, source, size });
        }
    }
    for key in fields.plains(reader, "keys").unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        keys.push(SecretKey { name: key.value, span, source: SecretSource::Present, size: None });
    }
    check_source(reader, name, &fields);
    Secret { name: Arc::clone(name), span: fields.span, present, keys }
}

/// A secret is in the cluster, and has a list of keys, or it is made here, and has keys with sources.
fn check_source(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) {
    let span = |key| fields.entry(key).map(|entry| entry.key_span);
    let help = "A secret is made here (key.NAME = { env = … }), or is present in the cluster \
                (present = \"…\", keys = [\"…\"]).";
    let clash = |one: Span, other: Span, message: String| {
        Diagnostic::new("bad-value", message).at(one, "this").also(other, "and this").help(help)
    };
    match (span("present"), span("key"), span("keys")) {
        (Some(present), Some(key), _) => reader.sink.push(clash(
            key,
            present,
            format!("secret.{name} is made here and is in the cluster already."),
        )),
        (Some(present), None, None) => reader.sink.push(
            Diagnostic::new("missing-key", format!("secret.{name} does not say which keys it has."))
                .at(present, "`keys` is missing")
                .help("Add them, for example: keys = [\"password\"]"),
        ),
        (None, _, Some(keys)) => reader.sink.push(
            Diagnostic::new("bad-value", format!("secret.{name} lists keys but is not present."))
                .at(keys, "only for a secret that is in the cluster already")
                .help(help),
        ),
        (None, None, None) => {
            reader.missing(&format!("secret.{name}"), fields.span, "key.NAME", "{ env = \"VARIABLE\" }");
        }
        (Some(_), None, Some(_)) | (None, Some(_), None) => {}
    }
}

fn source(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<SecretSource> {
    if let Value::Text(_) = entry.node.value {
        reader.sink.hide(entry.node.span);
        reader.sink.push(
            // Not the rule on secrets in clear, which can be turned off: without a source there is no value.
            Diagnostic::new("bad-value", format!("{owner} is written in clear."))
                .at(entry.node.span, "a secret never stands in a stack file")
                .help("Say where it is to be read: { env = \"VARIABLE\" } or { file = \"path\" }.")
                .help("If this file was ever shared, change the secret: it is no longer one."),
        );
        return None;
    }
    let fields = Fields::of(entry, reader);
    let variable = fields.plain(reader, "env");
    let file = fields.plain(reader, "file");
    match (variable, file) {
        (Some(variable), None) => Some(SecretSource::Variable(variable.value)),
        // The file may be missing where the stack is only checked: its place is all that is needed.
        (None, Some(path)) => reader.secret_path(&path).map(SecretSource::File),
        (Some(_), Some(file)) => {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} has two sources."))
                    .at(file.span(), "`env` is given as well")
                    .help("Keep one of `env` and `file`."),
            );
            None
        }
        (None, None) => {
            if fields.lacks("env") && fields.lacks("file") {
                reader.missing(owner, fields.span, "env", "\"VARIABLE\"");
            }
            None
        }
    }
}
