//! What `--format json` writes. `docs/json.md` tells of it.

use fracht_core::diag::{Finding, Label, Report, Severity};
use fracht_core::source::{Sources, Span};
use serde::Serialize;

/// A place in a file, from 1; the end is behind the last character.
#[derive(Serialize)]
pub(crate) struct Place {
    file: String,
    line: usize,
    column: usize,
    end_line: usize,
    end_column: usize,
}

/// A place with a few words.
#[derive(Serialize)]
struct Marked {
    #[serde(flatten)]
    place: Place,
    label: String,
}

/// A change that mends a problem.
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
    /// Empty: all that were checked.
    targets: Vec<String>,
}

/// How many of each severity.
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

/// Where a span is.
pub(crate) fn place(span: Span, sources: &Sources) -> Place {
    let start = sources.place(span);
    let end = sources.place(Span { start: span.end, ..span });
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
    report.findings().iter().map(|finding| problem(finding, sources)).collect()
}

fn problem(finding: &Finding, sources: &Sources) -> Problem {
    let marked = |label: &Label| Marked { place: place(label.span, sources), label: label.text.clone() };
    let diagnostic = &finding.diagnostic;
    Problem {
        rule: diagnostic.rule,
        severity: finding.severity.word(),
        message: diagnostic.message.clone(),
        place: diagnostic.primary.as_ref().map(marked),
        related: diagnostic.related.iter().map(marked).collect(),
        help: diagnostic.help.clone(),
        fix: diagnostic.fix.as_ref().map(|fix| Fix {
            title: fix.title.clone(),
            place: place(fix.span, sources),
            replacement: fix.replacement.clone(),
        }),
        targets: finding.targets.clone(),
    }
}
