//! Shows a problem with the lines of the file.

use std::ops::Range;

use annotate_snippets::{Annotation, AnnotationKind, Group, Level, Renderer, Snippet};
use fracht_core::cover::Cover;
use fracht_core::diag::{Diagnostic, Finding, Label, Severity};
use fracht_core::escape::escaped;
use fracht_core::source::{Position, SourceFile, Sources, Span};

use super::style::WIDTH;

/// The longest excerpt, in bytes. Of a longer one, only the part around the first label is shown.
const LONG: usize = 8_000;
/// The characters of a line that are shown on each side of its labels: a little more than fits, so that the end is marked
/// as cut.
const AROUND: usize = 120;
/// Labels that are more lines apart get separate excerpts.
const FAR: usize = 100;

/// The problem as text, with or without colors.
pub(crate) fn show(finding: &Finding, cover: &Cover<'_>, sources: &Sources, color: bool) -> String {
    let diagnostic = &cover.diagnostic(&finding.diagnostic);
    let level = match finding.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Hint => Level::NOTE.with_name("hint"),
    };
    let (snippets, places): (Vec<_>, Vec<_>) = excerpts(diagnostic, cover, sources).into_iter().unzip();
    let mut group =
        level.primary_title(diagnostic.message.as_str()).id(diagnostic.rule.name).elements(snippets);
    if !finding.targets.is_empty() {
        let targets = finding.targets.join(", ");
        group = group.element(Level::NOTE.message(format!("only for target {targets}")));
    }
    if let Some(fix) = &diagnostic.fix {
        group = group.element(Level::HELP.message(fix.title.as_str()));
    }
    group = diagnostic
        .help
        .iter()
        .fold(group, |group: Group<'_>, help| group.element(Level::HELP.message(wrapped(help))));
    let renderer = if color { Renderer::styled() } else { Renderer::plain() };
    with_places(renderer.term_width(WIDTH).render(&[group]), &places)
}

/// Where an excerpt begins, as `file:line:column`.
struct Place {
    /// In the text that is shown, which may be cut or covered: what the renderer writes.
    shown: String,
    /// In the file.
    real: String,
}

/// The text of a problem, with the places in the file.
fn with_places(mut text: String, places: &[Place]) -> String {
    let mut from = text.find('\n').unwrap_or_default(); // behind the title
    for Place { shown, real } in places {
        let Some(at) = text.get(from..).and_then(|rest| rest.find(shown)).map(|at| from + at) else {
            continue;
        };
        let end = at + shown.len();
        if !text.as_bytes().get(end).is_some_and(u8::is_ascii_digit) {
            text.replace_range(at..end, real);
            from = at + real.len();
        }
    }
    text
}

/// The text in lines that fit after `= help: `.
fn wrapped(text: &str) -> String {
    textwrap::fill(text, WIDTH - 14)
}

/// The excerpts of a problem; near places share one.
fn excerpts<'a>(
    diagnostic: &'a Diagnostic,
    cover: &Cover<'_>,
    sources: &'a Sources,
) -> Vec<(Snippet<'a, Annotation<'a>>, Place)> {
    let primary = diagnostic.primary.iter().map(|label| (AnnotationKind::Primary, label));
    let related = diagnostic.related.iter().map(|label| (AnnotationKind::Context, label));
    let mut groups: Vec<Vec<(AnnotationKind, &Label)>> = Vec::new();
    for (kind, label) in primary.chain(related) {
        let line = sources.position(label.span).line;
        let near = groups.iter_mut().find(|group| {
            group.iter().any(|(_, other)| {
                other.span.file == label.span.file && sources.position(other.span).line.abs_diff(line) <= FAR
            })
        });
        match near {
            Some(group) => group.push((kind, label)),
            None => groups.push(vec![(kind, label)]),
        }
    }
    groups.iter().filter_map(|group| excerpt(group, cover, sources)).collect()
}

/// One excerpt: the lines from the first label to the last.
fn excerpt<'a>(
    labels: &[(AnnotationKind, &'a Label)],
    cover: &Cover<'_>,
    sources: &'a Sources,
) -> Option<(Snippet<'a, Annotation<'a>>, Place)> {
    let (_, first) = labels.first()?;
    let file = sources.file(first.span.file)?;
    let lines = || labels.iter().map(|(_, label)| file.line_of(label.span.start));
    let (mut from, to) = (lines().min()?, lines().max()?);
    let (mut start, mut end) = (file.line_range(from).start, file.line_range(to).end);
    if from == to {
        let starts = || labels.iter().map(|(_, label)| label.span.start);
        (start, end) = around(file, starts().min()?..starts().max()?);
    }
    if end - start > LONG {
        (start, end) = around(file, first.span.start..first.span.start);
        from = file.line_of(first.span.start);
    }
    let within = |span: Span| (start..=end).contains(&(span.start as usize));
    let shown = cover.source(first.span.file, start..end);
    let place = |byte: usize| shown.at(byte.saturating_sub(start));
    let path = escaped(&file.shown);
    let mut snippet = Snippet::source(shown.text.clone()).path(path.clone().into_owned()).line_start(from);
    for (kind, label) in labels.iter().filter(|(_, label)| within(label.span)) {
        // Of a value of several lines, only the first is marked.
        let line_end = file.line_range(file.line_of(label.span.start)).end.min(end);
        let at = (label.span.start as usize).min(line_end);
        let until = (label.span.end as usize).clamp(at, line_end);
        let words = (!label.text.is_empty()).then_some(label.text.as_str());
        snippet = snippet.annotation(kind.span(place(at)..place(until).max(place(at))).label(words));
    }
    let Position { line, column } = sources.position(first.span);
    let before = shown.text.get(..place(first.span.start as usize)).unwrap_or_default();
    let column_shown = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
    let at = |column: usize| format!("{path}:{line}:{column}");
    Some((snippet, Place { shown: at(column_shown), real: at(column) }))
}

/// The bytes of a line around some of its bytes, with as many characters on each side as may be shown.
fn around(file: &SourceFile, bytes: Range<u32>) -> (usize, usize) {
    let line = file.line_range(file.line_of(bytes.start));
    let part = |range: Range<usize>| file.text.get(range).unwrap_or_default();
    let before = part(line.start..bytes.start as usize).chars().rev().take(AROUND);
    let after = part(bytes.end as usize..line.end).chars().take(AROUND);
    let size = |bytes: usize, next: char| bytes + next.len_utf8();
    (bytes.start as usize - before.fold(0, size), bytes.end as usize + after.fold(0, size))
}
