//! Reads `[config.NAME]`.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use super::lines::{self, Line};
use crate::cover::may_be_secret;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE, MISSING_KEY, SECRET_IN_CONFIG, UNKNOWN_NAME};
use crate::grammar::name::NameKind;
use crate::grammar::reference::RefKind;
use crate::language::AnyField;
use crate::language::config::{
    CONFIG_TABLE, FILE, FILE_REFERENCES, FILE_TABLE, FILES, KEY, KEYS, LINES, PRESENT, REFERENCES, VALUE,
};
use crate::model::{Config, ConfigKey, ConfigKeys, Content, KeyAddress, KeyAddresses, Part, Text};
use crate::origin::Sourced;
use crate::resolve::CONFIG;
use crate::source::{Sources, Span, Syntax};
use crate::tree::Entry;

/// Reads a config; `secret_lines` are the places of values that are secret, each with its secret.
pub(super) fn read(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    entry: &Entry,
    secret_lines: &BTreeMap<Span, &str>,
) -> Config {
    reader.tainted = false;
    let fields = Fields::of(entry, &CONFIG_TABLE, reader);
    let mut keys = ConfigKeys::default();
    for (key, entry) in fields.named(reader, &KEY) {
        if let Some(content) = content(reader, &format!("config.{name}/{key}"), entry) {
            let mut key = ConfigKey::new(key, entry.key_span, content);
            let mut layers = std::iter::successors(Some(&entry.node), |node| node.under.as_deref());
            key.is_file = layers.any(|node| node.table().is_some());
            keys.push(key);
        }
    }
    let in_table = keys.len();
    let listed = fields.list(reader, &KEYS).unwrap_or_default();
    let (mut lines, mut is_whole) = (Vec::new(), !fields.has_invalid(reader, &[&LINES, &KEYS]));
    for written in fields.list(reader, &LINES).unwrap_or_default() {
        let paths = reader.files(&written);
        is_whole &= !paths.is_empty();
        for path in paths {
            let read = lines::read(reader, &path, Syntax::Lines);
            is_whole &= read.is_some();
            lines.extend(read.into_iter().flatten());
        }
    }
    if fields.has_invalid(reader, &[&KEYS]) {
        lines.clear(); // which of them are meant cannot be told
    }
    if !listed.is_empty() && fields.entry(&LINES).is_some() {
        if is_whole {
            check_listed(reader, name, &listed, &lines);
        }
        let wanted: BTreeSet<&Arc<str>> = listed.iter().map(|key| &key.value).collect();
        lines.retain(|line| wanted.contains(&line.name));
    }
    for line in lines.iter().filter(|line| !may_be_secret(&line.name, &line.value)) {
        // The file may be one with secrets as well.
        let Some(value) = line.origin.span() else { continue };
        match secret_lines.get(&value) {
            Some(secret) => in_plain_text(reader, name, line, secret),
            None if !listed.is_empty() => reader.publish(value),
            None => {}
        }
    }
    let references = fields.or_default(reader, &REFERENCES).value;
    for line in lines {
        add_line(reader, line, references, &mut keys);
    }
    for written in fields.list(reader, &FILES).unwrap_or_default() {
        for path in reader.files(&written) {
            read_file(reader, &path, (&mut keys, in_table));
        }
    }
    let present = fields.get(reader, &PRESENT);
    check_source(reader, name, &fields);
    if fields.entry(&LINES).is_none() {
        for key in listed {
            let span = key.span().unwrap_or(fields.span);
            keys.push(ConfigKey::new(&key.value, span, Content::Present));
        }
    }
    if reader.tainted {
        reader.symbols.to_mut().set_incomplete(RefKind::Config, name);
    }
    Config {
        name: Arc::clone(name),
        span: fields.span,
        present,
        addresses: addresses(&keys, &reader.sources),
        keys,
    }
}

/// The addresses in the texts of the keys.
fn addresses(keys: &ConfigKeys, sources: &Sources) -> Vec<KeyAddress> {
    let mut addresses = KeyAddresses::default();
    for key in keys.iter() {
        if let Content::Text(text) = &key.content {
            addresses.add(&key.name, text, sources);
        }
    }
    addresses.list()
}

/// Reports a line that the stack lists as a key of a secret, and that a config takes as well.
fn in_plain_text(reader: &mut Reader<'_>, name: &str, line: &Line, secret: &str) {
    let key = &line.name;
    reader.sink.push(
        Diagnostic::new(
            &SECRET_IN_CONFIG,
            format!("`{key}` of `config.{name}` is a key of `secret.{secret}`"),
        )
        .at(line.span, format!("would be in plain text in `config.{name}`"))
        .help(format!("list the other keys in `keys` of `config.{name}`, without `{key}`"))
        .help(format!("or if it is not secret, remove it from `keys` of `secret.{secret}`")),
    );
}

/// Checks that a config either exists in the cluster, with a list of keys, or is generated from keys, lines and files.
fn check_source(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) {
    if fields.has_invalid(reader, &[&PRESENT, &KEYS]) {
        return;
    }
    let span = |field: &dyn AnyField| fields.entry(field).map(|entry| entry.key_span);
    let sources: [&dyn AnyField; 3] = [&KEY, &LINES, &FILES];
    let made = sources.into_iter().find_map(|field| Some((field.key().name, span(field)?)));
    let problem = match (span(&PRESENT), made, span(&KEYS)) {
        (Some(present), Some((key, made)), _) => {
            Diagnostic::new(&BAD_VALUE, format!("`config.{name}` sets both `{key}` and `present`"))
                .at(made, "`present` is also set")
                .also(present, "already exists in the cluster")
                .help(format!("remove `present`, or replace `{key}` by `keys = [\"…\"]`"))
        }
        (Some(present), None, None) => {
            Diagnostic::new(&MISSING_KEY, format!("`keys` is missing in `config.{name}`"))
                .at(present, "required by `present`")
                .help("add them, for example `keys = [\"REGION\"]`")
        }
        (None, _, Some(keys)) if span(&LINES).is_none() => {
            Diagnostic::new(&BAD_VALUE, format!("`keys` in `config.{name}` needs `present` or `lines`"))
                .at(keys, "only for an existing config")
                .help("add `present = \"NAME\"`, the name of the ConfigMap in the cluster")
                .help("or define each key: `key.NAME = \"value\"`")
        }
        _ => return,
    };
    reader.taint();
    reader.sink.push(problem);
}

/// Adds a file as a key with the name of the file. The first `in_table` of the keys are from `key`.
fn read_file(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>, (keys, in_table): (&mut ConfigKeys, usize)) {
    let Some((resolved, bytes)) = reader.file(path) else { return };
    let Some(span) = path.span() else { return };
    let name: Arc<str> = path.value.rsplit('/').next().unwrap_or_default().into();
    if let Err(problem) = NameKind::Key.check(&name) {
        reader.sink.push(
            Diagnostic::new(&BAD_NAME, format!("file name `{name}` is not a valid key"))
                .at(span, problem.label)
                .help(format!("name the key: `key.NAME = {{ file = \"{}\" }}`", path.value))
                .help("or rename the file"),
        );
        return;
    }
    let file = reader.source(&resolved, &bytes, path);
    // `key.NAME` may say more of a file that a pattern matches as well.
    let is_of_table = keys.place(&name).is_some_and(|place| place < in_table);
    if is_of_table && file.is_some() && keys.get(&name).and_then(|key| key.content.file()) == file {
        return;
    }
    let content = Content::File { bytes, origin: path.origin, file };
    add(reader, keys, ConfigKey::new(&name, span, content));
}

fn content(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Content> {
    let fields = Fields::of(entry, &FILE_TABLE, reader);
    if let Some(node) = fields.short() {
        return reader.text(node, &VALUE, &CONFIG).map(Content::Text);
    }
    fields.require(reader, owner, &FILE);
    let references = fields.or_default(reader, &FILE_REFERENCES).value;
    let path = fields.get(reader, &FILE)?;
    let (resolved, bytes) = reader.file(&path)?;
    let file = reader.source(&resolved, &bytes, &path);
    let content = Content::File { bytes, origin: path.origin, file };
    if !references {
        return Some(content);
    }
    let Some((text, file)) = content.as_text().zip(file) else {
        lines::not_text(reader, &path);
        return None;
    };
    let origin = lines::whole(&path, Span::new(file, 0..text.len()));
    Some(Content::Text(reader.setting(&text.into(), origin)))
}

/// Adds the key of a line. References are replaced in it, unless its value is in single quotes.
fn add_line(reader: &mut Reader<'_>, line: Line, references: bool, keys: &mut ConfigKeys) {
    let Line { name, span, value, origin, is_literal } = line;
    let takes_references = references && !is_literal;
    let text = if takes_references {
        reader.setting(&value, origin)
    } else {
        Text { parts: Box::new([Part::Plain(value)]), origin }
    };
    let content = Content::Text(text);
    add(reader, keys, ConfigKey { takes_references, ..ConfigKey::new(&name, span, content) });
}

/// Reports the keys to take that no line has.
fn check_listed(reader: &mut Reader<'_>, name: &str, listed: &[Sourced<Arc<str>>], lines: &[Line]) {
    let known: BTreeSet<&str> = lines.iter().map(|line| &*line.name).collect();
    for key in listed.iter().filter(|key| !known.contains(&*key.value)) {
        reader.taint();
        let (key, span) = (&key.value, key.span());
        reader.sink.push(
            Diagnostic::new(&UNKNOWN_NAME, format!("`{key}` of `config.{name}` is not in its `lines`"))
                .at(span, "no such line")
                .help(format!("add the line `{key}=…` to the file, or remove the key")),
        );
    }
}

/// Adds a key. Of two keys with one name, that of the later layer counts. Two of one layer are reported.
fn add(reader: &mut Reader<'_>, keys: &mut ConfigKeys, key: ConfigKey) {
    let Some(first) = keys.get_mut(&key.name) else {
        keys.push(key);
        return;
    };
    match (key.content.origin(), first.content.origin()) {
        (Some(own), Some(other)) if lines::layer(own) > lines::layer(other) => {
            let under = std::mem::replace(first, key);
            first.is_file |= under.is_file;
            first.under = std::iter::once(other).chain(under.under).collect();
        }
        (Some(own), Some(other)) if lines::layer(own) < lines::layer(other) => {
            first.is_file |= key.is_file;
            first.under.push(own);
        }
        _ => {
            let span = first.span;
            lines::twice(reader, &key.name, key.span, span);
        }
    }
}
