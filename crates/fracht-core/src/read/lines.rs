//! Reads files of `KEY=value` lines: `lines` of a config or a secret.

use std::sync::Arc;

use super::Reader;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE, BROKEN_LINE, DEFINED_TWICE, FILE_UNREADABLE};
use crate::grammar::lines;
use crate::grammar::name::NameKind;
use crate::origin::{Layer, Origin, Sourced};
use crate::source::{Span, Syntax};

/// A setting of a file.
pub(super) struct Line {
    pub(super) name: Arc<str>,
    /// Where the name is written.
    pub(super) span: Span,
    pub(super) value: Arc<str>,
    /// Where the value is written.
    pub(super) origin: Origin,
    /// Whether the value is in single quotes, which take it as it is.
    pub(super) is_literal: bool,
}

/// The layer of a value that is written.
pub(super) fn layer(origin: Origin) -> Layer {
    match origin {
        Origin::Written { layer, .. } => layer,
        Origin::Default => Layer::Stack,
    }
}

/// The settings of a file. Lines that are none, and names that are none, are reported. `None` if the file cannot be
/// read, which is reported as well.
pub(super) fn read(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>, syntax: Syntax) -> Option<Vec<Line>> {
    let (resolved, bytes) = reader.file(path)?;
    let Ok(text) = std::str::from_utf8(&bytes) else {
        reader.sink.push(
            Diagnostic::new(&FILE_UNREADABLE, format!("`{}` is not UTF-8", path.value))
                .at(path.span(), "not a text file")
                .help("save it as UTF-8")
                .help(format!("or take it as a file: `key.NAME = {{ file = \"{}\" }}`", path.value)),
        );
        return None;
    };
    let text = text.trim_start_matches('\u{feff}');
    let shown = reader.shown(path);
    let file = reader.add(&resolved, &shown, text.into(), syntax)?;
    let (settings, broken) = lines::parse(text);
    for line in broken {
        reader.sink.push(
            Diagnostic::new(&BROKEN_LINE, "invalid line in a settings file")
                .at(Span::new(file, line.at), line.reason)
                .also(path.span(), "the file is named here")
                .help("write `KEY=VALUE`; quote a value that starts or ends with a space or contains ` #`"),
        );
    }
    let layer = layer(path.origin);
    let line = |setting: lines::Setting| {
        let span = Span::new(file, setting.key_at);
        let name: Arc<str> = setting.key.into();
        if let Err(problem) = NameKind::Key.check(&name) {
            reader.sink.push(
                Diagnostic::new(&BAD_NAME, format!("invalid name `{name}`"))
                    .at(span, problem.label)
                    .also(path.span(), "the file is named here")
                    .help(format!("{}; rename it in the file", problem.reason)),
            );
            return None;
        }
        let is_literal = text.get(setting.value_at.clone()).is_some_and(|value| value.starts_with('\''));
        let origin = Origin::Written { span: Span::new(file, setting.value_at), layer };
        Some(Line { name, span, value: setting.value.into(), origin, is_literal })
    };
    Some(settings.into_iter().filter_map(line).collect())
}

/// The origin of the whole text of a file, at `span`, that the stack names as `path`.
pub(super) fn whole(path: &Sourced<Arc<str>>, span: Span) -> Origin {
    Origin::Written { span, layer: layer(path.origin) }
}

/// Reports a file in which references were to be replaced, and that is not text.
pub(super) fn not_text(reader: &mut Reader<'_>, path: &Sourced<Arc<str>>) {
    reader.taint();
    reader.sink.push(
        Diagnostic::new(&BAD_VALUE, format!("`{}` is not text, so it has no references", path.value))
            .at(path.span(), "not UTF-8, or has a NUL character")
            .help("remove `references`"),
    );
}

/// Reports a key that is defined twice in one layer.
pub(super) fn twice(reader: &mut Reader<'_>, name: &str, second: Span, first: Span) {
    reader.sink.push(
        Diagnostic::new(&DEFINED_TWICE, format!("`{name}` is defined twice"))
            .at(second, "defined again here")
            .also(first, "first defined here")
            .help("keep one of them"),
    );
}
