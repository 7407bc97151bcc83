//! `[config.NAME]`.

use std::sync::Arc;

use super::fields::Fields;
use super::{Reader, Texts};
use crate::diag::Diagnostic;
use crate::grammar::lines;
use crate::grammar::name::NameKind;
use crate::model::{Config, ConfigKey, ConfigKeys, Content, Part, Text};
use crate::origin::{At, Layer, Origin};
use crate::resolve::Allow;
use crate::source::{Span, Syntax};
use crate::tree::{Entry, Value};

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Config {
    reader.tainted = false;
    let fields = Fields::of(entry, reader);
    let mut keys = ConfigKeys::default();
    for (key, entry) in fields.map(reader, "key") {
        if let Some(content) = content(reader, &format!("config.{name}/{key}"), entry) {
            keys.push(ConfigKey { name: Arc::clone(key), span: entry.key_span, content });
        }
    }
    for written in fields.one_or_list(reader, "lines") {
        for path in reader.files(&written) {
            read_lines(reader, &path, &mut keys);
        }
    }
    for written in fields.one_or_list(reader, "files") {
        for path in reader.files(&written) {
            read_file(reader, &path, &mut keys);
        }
    }
    let present = fields.plain(reader, "present");
    check_source(reader, name, &fields);
    for key in fields.plains(reader, "keys").unwrap_or_default() {
        let span = key.span().unwrap_or(fields.span);
        keys.push(ConfigKey { name: key.value, span, content: Content::Present });
    }
    if reader.tainted {
        reader.symbols.to_mut().set_incomplete("config", name);
    }
    Config { name: Arc::clone(name), span: fields.span, present, keys }
}

/// A config is in the cluster, and has a list of keys, or it is made here.
fn check_source(reader: &mut Reader<'_>, name: &str, fields: &Fields<'_>) {
    let span = |key: &str| fields.entry(key).map(|entry| entry.key_span);
    let made = ["key", "lines", "files"].into_iter().find_map(span);
    let help = "A config is made here (key, lines, files), or is present in the cluster \
                (present = \"…\", keys = [\"…\"]).";
    let problem = match (span("present"), made, span("keys")) {
        (Some(present), Some(made), _) => {
            let message = format!("config.{name} is made here and is in the cluster already.");
            Diagnostic::new("bad-value", message).at(made, "this").also(present, "and this")
        }
        (Some(present), None, None) => {
            let message = format!("config.{name} does not say which keys it has.");
            Diagnostic::new("missing-key", message).at(present, "`keys` is missing")
        }
        (None, _, Some(keys)) => {
            let message = format!("config.{name} lists keys but is not present.");
            Diagnostic::new("bad-value", message).at(keys, "only for one that is in the cluster already")
        }
        _ => return,
    };
    reader.sink.push(problem.help(help));
}

/// Adds a file as a key of its name.
fn read_file(reader: &mut Reader<'_>, path: &At<Arc<str>>, keys: &mut ConfigKeys) {
    let Some((_, bytes)) = reader.file(path) else { return };
    let Some(span) = path.span() else { return };
    let name: Arc<str> = path.value.rsplit('/').next().unwrap_or_default().into();
    if let Err(problem) = NameKind::Key.check(&name) {
        reader.sink.push(
            Diagnostic::new("bad-name", format!("The file `{}` can't be a key by its name.", path.value))
                .at(span, "")
                .help(format!(
                    "Here {}; rename the file, or name it: key.NAME = {{ file = \"…\" }}.",
                    problem.reason
                )),
        );
        return;
    }
    if let Some(first) = keys.get(&name).map(|first| first.span) {
        twice(reader, &name, span, first);
        return;
    }
    keys.push(ConfigKey { name, span, content: Content::File { bytes, origin: path.origin } });
}

fn twice(reader: &mut Reader<'_>, name: &str, second: Span, first: Span) {
    reader.sink.push(
        Diagnostic::new("defined-twice", format!("`{name}` is defined twice."))
            .at(second, "defined again here")
            .also(first, "first defined here")
            .help("Keep one of the two."),
    );
}

fn content(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Content> {
    if !matches!(entry.node.value, Value::Table(_)) {
        return reader.text(&entry.node, Allow::Names).map(Content::Text);
    }
    let fields = Fields::of(entry, reader);
    if fields.lacks("file") {
        reader.missing(owner, fields.span, "file", "\"conf/settings.ini\"");
    }
    let path = fields.plain(reader, "file")?;
    let (_, bytes) = reader.file(&path)?;
    Some(Content::File { bytes, origin: path.origin })
}

/// Adds the keys of a file of `KEY=value` lines; one that is a key already is reported.
fn read_lines(reader: &mut Reader<'_>, path: &At<Arc<str>>, keys: &mut ConfigKeys) {
    let Some((resolved, bytes)) = reader.file(path) else { return };
    let Ok(text) = std::str::from_utf8(&bytes) else {
        reader.sink.push(
            Diagnostic::new("file-unreadable", format!("The file `{}` is not UTF-8.", path.value))
                .at(path.span(), "")
                .help("Save it as UTF-8, or take it as a file: key.NAME = { file = \"…\" }."),
        );
        return;
    };
    let text = text.trim_start_matches('\u{feff}');
    let shown = reader.shown(path);
    let Texts::Growing(sources) = &mut reader.sources else { return };
    let file = sources.add(&resolved, &shown, text.into(), Syntax::Lines);
    let layer = match path.origin {
        Origin::Written { layer, .. } => layer,
        Origin::Defaulted(_) => Layer::Stack,
    };
    let (settings, broken) = lines::parse(text);
    for line in broken {
        let span = Span::new(file, line.at);
        reader.sink.push(
            Diagnostic::new("broken-line", "This line of a settings file can't be read.")
                .at(span, line.reason)
                .also(path.span(), "the file is named here")
                .help("Write KEY=value; a value with spaces or # at its ends takes quotes."),
        );
    }
    for setting in settings {
        let span = Span::new(file, setting.key_at);
        let name: Arc<str> = setting.key.into();
        if let Err(problem) = NameKind::Key.check(&name) {
            reader.sink.push(
                Diagnostic::new("bad-name", format!("`{name}` is not the key of a config"))
                    .at(span, problem.reason)
                    .also(path.span(), "the file is named here")
                    .help("rename it in the file"),
            );
            continue;
        }
        if let Some(first) = keys.get(&name).map(|first| first.span) {
            twice(reader, &name, span, first);
            continue;
        }
        let origin = Origin::Written { span: Span::new(file, setting.value_at), layer };
        let content = Content::Text(Text { parts: vec![Part::Plain(setting.value.into())], origin });
        keys.push(ConfigKey { name, span, content });
    }
}
