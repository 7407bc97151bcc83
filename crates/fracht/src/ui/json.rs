//! Shared parts of the JSON of `--format json`, which docs/json.md describes.

use std::io;

use fracht_core::cover::{self, Cover};
use fracht_core::diag::{Finding, Label, Report, Severity};
use fracht_core::escape::is_unsafe;
use fracht_core::grammar::word::Word as _;
use fracht_core::source::{Sources, Span};
use serde::Serialize;
use serde_json::Value;

/// A place in a file. Lines and columns start at 1; the end is one past the last character.
#[derive(Serialize)]
pub(crate) struct Place {
    pub(super) file: String,
    pub(super) line: usize,
    pub(super) column: usize,
    pub(super) end_line: usize,
    pub(super) end_column: usize,
}

impl Place {
    /// The `file:line` of it.
    pub(crate) fn location(&self) -> String {
        format!("{}:{}", self.file, self.line)
    }
}

/// A place with its label.
#[derive(Serialize)]
struct Marked {
    #[serde(flatten)]
    place: Place,
    label: String,
}

/// A change that fixes a problem.
#[derive(Serialize)]
struct Fix {
    title: String,
    place: Place,
    replacement: String,
}

/// A problem.
#[derive(Serialize)]
pub(crate) struct Problem {
    rule: &'static str,
    severity: &'static str,
    message: String,
    place: Option<Marked>,
    related: Vec<Marked>,
    help: Vec<String>,
    fix: Option<Fix>,
    /// The targets that have it; empty for all that were checked.
    targets: Vec<String>,
}

/// The value as JSON that is also safe on a terminal: parts that look secret are hidden, and control characters are
/// escaped, which does not change the meaning of JSON.
pub(crate) fn covered(value: &impl Serialize) -> io::Result<String> {
    let mut value = serde_json::to_value(value)?;
    cover_texts(&mut value);
    let text = serde_json::to_string_pretty(&value)? + "\n";
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if is_unsafe(c) && c != '\n' {
            out.push_str(&format!("\\u{:04x}", u32::from(c)));
        } else {
            out.push(c);
        }
    }
    Ok(out)
}

fn cover_texts(value: &mut Value) {
    match value {
        Value::String(text) => *text = cover::prose(text),
        Value::Array(items) => items.iter_mut().for_each(cover_texts),
        Value::Object(fields) => fields.values_mut().for_each(cover_texts),
        _ => {}
    }
}

/// The number of problems of each severity.
#[derive(Serialize)]
pub(crate) struct Counts {
    errors: usize,
    warnings: usize,
    hints: usize,
}

impl Counts {
    pub(crate) fn of(report: &Report) -> Self {
        Self {
            errors: report.count(Severity::Error),
            warnings: report.count(Severity::Warning),
            hints: report.count(Severity::Hint),
        }
    }
}

/// The place of a span.
pub(crate) fn place(span: Span, sources: &Sources) -> Place {
    let start = sources.position(span);
    let end = sources.position(Span { start: span.end, ..span });
    Place {
        file: sources.file(span.file).map(|file| file.shown.clone()).unwrap_or_default(),
        line: start.line,
        column: start.column,
        end_line: end.line,
        end_column: end.column,
    }
}

/// The problems of a report.
pub(crate) fn problems(report: &Report, sources: &Sources) -> Vec<Problem> {
    let cover = Cover::new(report, sources);
    report.findings().iter().map(|finding| problem(finding, &cover, sources)).collect()
}

fn problem(finding: &Finding, cover: &Cover<'_>, sources: &Sources) -> Problem {
    let marked = |label: &Label| Marked { place: place(label.span, sources), label: label.text.clone() };
    let diagnostic = cover.diagnostic(&finding.diagnostic);
    Problem {
        rule: diagnostic.rule.name,
        severity: finding.severity.word(),
        message: diagnostic.message,
        place: diagnostic.primary.as_ref().map(marked),
        related: diagnostic.related.iter().map(marked).collect(),
        help: diagnostic.help,
        fix: diagnostic.fix.as_ref().map(|fix| Fix {
            title: fix.title.clone(),
            place: place(fix.span, sources),
            replacement: fix.replacement.clone(),
        }),
        targets: finding.targets.clone(),
    }
}
