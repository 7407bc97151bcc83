//! `[config.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::grammar::lines;
use crate::model::{Config, ConfigKey, Content, Part, Text};
use crate::origin::{At, Layer, Origin};
use crate::resolve::Allow;
use crate::source::Span;
use crate::tree::{Entry, Value};

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Config {
    let fields = Fields::of(entry, reader);
    let mut keys = Vec::new();
    for (key, entry) in fields.map(reader, "key") {
        if let Some(content) = content(reader, &format!("config.{name}/{key}"), entry) {
            keys.push(ConfigKey { name: Arc::clone(key), span: entry.key_span, content });
        }
    }
    if let Some(path) = fields.plain(reader, "lines") {
        read_lines(reader, &path, &mut keys);
    }
    Config { name: Arc::clone(name), span: fields.span, keys }
}

fn content(reader: &mut Reader<'_>, owner: &str, entry: &Entry) -> Option<Content> {
    if !matches!(entry.node.value, Value::Table(_)) {
        return reader.text(&entry.node, Allow::Names).map(Content::Text);
    }
    let fields = Fields::of(entry, reader);
    if fields.node("file").is_none() {
        reader.missing(owner, fields.span, "file", "\"conf/settings.ini\"");
    }
    let path = fields.plain(reader, "file")?;
    let (_, bytes) = reader.file(&path)?;
    Some(Content::File { bytes, origin: path.origin })
}

/// Adds the keys of a file of `KEY=value` lines; one that is a key already is reported.
fn read_lines(reader: &mut Reader<'_>, path: &At<Arc<str>>, keys: &mut Vec<ConfigKey>) {
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
    let file = reader.sources.add(
        &resolved,
        reader.folder_shown.join(&*path.value).display().to_string(),
        text.into(),
    );
    let layer = match path.origin {
        Origin::Written { layer, .. } => layer,
        Origin::Defaulted(_) => Layer::Stack,
    };
    let (settings, broken) = lines::parse(text);
    for line in broken {
        let span = Span::new(file, line.at);
        // Such a file may hold what should not be seen: the message shows the reason, not the line.
        reader.sink.hide(span);
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
        if let Some(first) = keys.iter().find(|key| key.name == name) {
            reader.sink.push(
                Diagnostic::new("defined-twice", format!("`{name}` is defined twice."))
                    .at(span, "defined again here")
                    .also(first.span, "first defined here")
                    .help("Keep one of the two."),
            );
            continue;
        }
        let origin = Origin::Written { span: Span::new(file, setting.value_at), layer };
        let content = Content::Text(Text { parts: vec![Part::Plain(setting.value.into())], origin });
        keys.push(ConfigKey { name, span, content });
    }
}
