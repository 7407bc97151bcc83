//! A finding with the lines that it is about.

use std::borrow::Cow;

use annotate_snippets::{Annotation, AnnotationKind, Group, Level, Renderer, Snippet};
use fracht_core::diag::{Finding, Label, Report, Severity, secret_looking};
use fracht_core::source::{SourceFile, Sources};

/// Columns that an excerpt may take.
const WIDTH: usize = 100;
/// Labels further apart than this many lines get an excerpt each: what lies between is not read.
const FAR: usize = 100;

/// The finding for people, with colours.
pub(crate) fn show(finding: &Finding, report: &Report, sources: &Sources) -> String {
    let diagnostic = &finding.diagnostic;
    let level = match finding.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Hint => Level::NOTE.with_name("hint"),
    };
    let mut group = level
        .primary_title(diagnostic.message.as_str())
        .id(diagnostic.rule)
        .elements(snippets(finding, report, sources));
    if !finding.targets.is_empty() {
        let targets = finding.targets.join(", ");
        group = group.element(Level::NOTE.message(format!("only under the target {targets}")));
    }
    if let Some(fix) = &diagnostic.fix {
        group = group.element(Level::HELP.message(sentence(&fix.title)));
    }
    group = diagnostic
        .help
        .iter()
        .fold(group, |group: Group<'_>, help| group.element(Level::HELP.message(wrapped(help))));
    Renderer::styled().term_width(WIDTH).render(&[group])
}

/// An order as a sentence.
fn sentence(order: &str) -> String {
    let mut chars = order.chars();
    let first = chars.next().map(char::to_uppercase).into_iter().flatten();
    first.chain(chars).chain(['.']).collect()
}

/// The text in lines that fit behind `= help: `.
fn wrapped(text: &str) -> String {
    textwrap::fill(text, WIDTH - 14)
}

/// The places of a finding, near ones together.
fn snippets<'a>(
    finding: &'a Finding,
    report: &Report,
    sources: &'a Sources,
) -> Vec<Snippet<'a, Annotation<'a>>> {
    let diagnostic = &finding.diagnostic;
    let primary = diagnostic.primary.iter().map(|label| (AnnotationKind::Primary, label));
    let related = diagnostic.related.iter().map(|label| (AnnotationKind::Context, label));
    let mut groups: Vec<Vec<(AnnotationKind, &Label)>> = Vec::new();
    for (kind, label) in primary.chain(related) {
        let line = sources.place(label.span).line;
        let near = groups.iter_mut().find(|group| {
            group.iter().any(|(_, other)| {
                other.span.file == label.span.file && sources.place(other.span).line.abs_diff(line) <= FAR
            })
        });
        match near {
            Some(group) => group.push((kind, label)),
            None => groups.push(vec![(kind, label)]),
        }
    }
    groups.iter().filter_map(|group| snippet(group, report, sources)).collect()
}

/// One excerpt: the lines from the first label to the last.
fn snippet<'a>(
    labels: &[(AnnotationKind, &'a Label)],
    report: &Report,
    sources: &'a Sources,
) -> Option<Snippet<'a, Annotation<'a>>> {
    let (_, first) = labels.first()?;
    let file = sources.file(first.span.file)?;
    let lines = || labels.iter().map(|(_, label)| file.line_of(label.span.start));
    let (from, to) = (lines().min()?, lines().max()?);
    let (start, end) = (file.line_range(from).start, file.line_range(to).end);
    let text = shown_text(file, start..end, first, report);
    let mut snippet = Snippet::source(text).path(file.shown.as_str()).line_start(from);
    for (kind, label) in labels {
        // A value of several lines is shown by its first one.
        let line_end = file.line_range(file.line_of(label.span.start)).end;
        let at = (label.span.start as usize).min(line_end);
        let until = (label.span.end as usize).clamp(at, line_end);
        let words = (!label.text.is_empty()).then_some(label.text.as_str());
        snippet = snippet.annotation(kind.span(at - start..until - start).label(words));
    }
    Some(snippet)
}

/// The text of some lines, with stars for what is secret.
fn shown_text<'a>(
    file: &'a SourceFile,
    range: std::ops::Range<usize>,
    label: &Label,
    report: &Report,
) -> Cow<'a, str> {
    let text = file.text.get(range.clone()).unwrap_or_default();
    let in_range = |span: &&fracht_core::source::Span| {
        span.file == label.span.file && (span.start as usize) < range.end && (span.end as usize) > range.start
    };
    let marked = report.hidden().iter().filter(in_range).map(|span| {
        let from = (span.start as usize).saturating_sub(range.start);
        from..(span.end as usize).saturating_sub(range.start).min(text.len())
    });
    let hidden: Vec<_> = marked.chain(secret_looking(text)).collect();
    if hidden.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut bytes = text.as_bytes().to_vec();
    for at in hidden.into_iter().flatten() {
        if let Some(byte) = bytes.get_mut(at).filter(|byte| **byte != b'\n') {
            *byte = b'*';
        }
    }
    Cow::Owned(String::from_utf8_lossy(&bytes).into_owned())
}
