//! Reads `[config.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE, BROKEN_LINE, DEFINED_TWICE, FILE_UNREADABLE, MISSING_KEY};
use crate::grammar::lines;
use crate::grammar::name::NameKind;
use crate::grammar::reference::RefKind;
use crate::language::AnyField;
use crate::language::config::{CONFIG_TABLE, FILE, FILE_TABLE, FILES, KEY, KEYS, LINES, PRESENT, VALUE};
use crate::model::{Config, ConfigKey, ConfigKeys, Content, Part, Text};
use crate::origin::{Layer, Origin, Sourced};
use crate::resolve::CONFIG;
use crate::source::{Span, Syntax};
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Config {
    reader.tainted = false;
    let fields = Fields::of(entry, &CONFIG_TABLE, reader);
    let mut keys = ConfigKeys::default();
    for (key, entry) in fields.named(reader, &KEY) {
        if let Some(content) = content(reader, &format!("config.{name}/{key}"), entry) {
            keys.push(ConfigKey { name: Arc::clone(key), span: entry.key_span, content });
        }
    }
    for written in fields.list(reader, &LINES).unwrap_or_default() {
        for path in reader.files(&written) {
            read_lines(reader, &path, &mut keys);
        }
    }
    for written in fields.list(reader, &FILES).unwrap_or_default() {
        for path in reader.files(&written) {
            read_file(reader, &path, &mut keys);
        }
    }
    let present = fields.get(reader, &PRESENT);
    check_source(reader, name, &fields);
    for key in fields.list(reader, &KEYS).unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        keys.push(ConfigKey { name: key.value, span, content: Content::Present });
    }
    if reader.tainted {
        reader.symbols.to_mut().set_incomplete(RefKind::Config, name);
    }
    Config { name: Arc::clone(name), span: fields.span, present, keys }
}

/// Checks that a config either exists in the cluster, with a list of keys, or is generated from keys, lines and files.
fn check_source(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) {
    if fields.has_invalid(reader, &[&PRESENT, &KEYS]) {
        return;
    }
    let span = |field| fields.entry(field).map(|entry| entry.key_span);
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
        (None, _, Some(keys)) => {
            Diagnostic::new(&BAD_VALUE, format!("`keys` in `config.{name}` needs `present`"))
                .at(keys, "only for an existing config")
                .help("add `present = \"NAME\"`, the name of the ConfigMap in the cluster")
                .help("or define each key: `key.NAME = \"value\"`")
        }
        _ => return,
    };
    reader.taint();
    reader.sink.push(problem);
}

/// Adds a file as a key with the name of the file.
fn read_file(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>, keys: &mut ConfigKeys) {
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
    if let Some(first) = keys.get(&name).map(|first| first.span) {
        twice(reader, &name, span, first);
        return;
    }
    let file = reader.source(&resolved, &bytes, path);
    keys.push(ConfigKey { name, span, content: Content::File { bytes, origin: path.origin, file } });
}

fn twice(reader: &mut Reader<'_>, name: &str, second: Span, first: Span) {
    reader.sink.push(
        Diagnostic::new(&DEFINED_TWICE, format!("`{name}` is defined twice"))
            .at(second, "defined again here")
            .also(first, "first defined here")
            .help("keep one of them"),
    );
}

fn content(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Content> {
    let fields = Fields::of(entry, &FILE_TABLE, reader);
    if let Some(node) = fields.short() {
        return reader.text(node, &VALUE, &CONFIG).map(Content::Text);
    }
    fields.require(reader, owner, &FILE);
    let path = fields.get(reader, &FILE)?;
    let (resolved, bytes) = reader.file(&path)?;
    let file = reader.source(&resolved, &bytes, &path);
    Some(Content::File { bytes, origin: path.origin, file })
}

/// Adds the keys of a file of `KEY=value` lines. A key that already exists is reported.
fn read_lines(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>, keys: &mut ConfigKeys) {
    let Some((resolved, bytes)) = reader.file(path) else { return };
    let Ok(text) = std::str::from_utf8(&bytes) else {
        reader.sink.push(
            Diagnostic::new(&FILE_UNREADABLE, format!("`{}` is not UTF-8", path.value))
                .at(path.span(), "not a text file")
                .help("save it as UTF-8")
                .help(format!("or take it as a file: `key.NAME = {{ file = \"{}\" }}`", path.value)),
        );
        return;
    };
    let text = text.trim_start_matches('\u{feff}');
    let shown = reader.shown(path);
    let Some(file) = reader.add(&resolved, &shown, text.into(), Syntax::Lines) else { return };
    let layer = match path.origin {
        Origin::Written { layer, .. } => layer,
        Origin::Default => Layer::Stack,
    };
    let (settings, broken) = lines::parse(text);
    for line in broken {
        let span = Span::new(file, line.at);
        reader.sink.push(
            Diagnostic::new(&BROKEN_LINE, "invalid line in a settings file")
                .at(span, line.reason)
                .also(path.span(), "the file is named here")
                .help("write `KEY=VALUE`; quote a value that starts or ends with a space or contains ` #`"),
        );
    }
    for setting in settings {
        let span = Span::new(file, setting.key_at);
        let name: Arc<str> = setting.key.into();
        if let Err(problem) = NameKind::Key.check(&name) {
            reader.sink.push(
                Diagnostic::new(&BAD_NAME, format!("invalid name `{name}`"))
                    .at(span, problem.label)
                    .also(path.span(), "the file is named here")
                    .help(format!("{}; rename it in the file", problem.reason)),
            );
            continue;
        }
        if let Some(first) = keys.get(&name).map(|first| first.span) {
            twice(reader, &name, span, first);
            continue;
        }
        let origin = Origin::Written { span: Span::new(file, setting.value_at), layer };
        let content = Content::Text(Text { parts: Box::new([Part::Plain(setting.value.into())]), origin });
        keys.push(ConfigKey { name, span, content });
    }
}
