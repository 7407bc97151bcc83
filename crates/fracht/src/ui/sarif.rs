//! The problems of a stack as a SARIF log (Static Analysis Results Interchange Format 2.1.0, OASIS).

use fracht_core::cover::Cover;
use fracht_core::diag::{Finding, Label, Report, Severity};
use fracht_core::rules::{self, Rule};
use fracht_core::source::{Sources, Span};
use serde::Serialize;

use super::json;

/// The schema of the standard.
const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

/// A log with one run (section 3.13).
#[derive(Serialize)]
pub(crate) struct Log {
    #[serde(rename = "$schema")]
    schema: &'static str,
    version: &'static str,
    runs: [Run; 1],
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Run {
    tool: Tool,
    column_kind: &'static str,
    results: Vec<Outcome>,
}

#[derive(Serialize)]
struct Tool {
    driver: Driver,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Driver {
    name: &'static str,
    semantic_version: &'static str,
    rules: Vec<Page>,
}

/// A rule (section 3.49).
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Page {
    id: &'static str,
    short_description: Text,
    full_description: Text,
    help: Help,
    default_configuration: Configuration,
}

#[derive(Serialize)]
struct Text {
    text: String,
}

#[derive(Serialize)]
struct Help {
    text: String,
    markdown: String,
}

#[derive(Serialize)]
struct Configuration {
    level: &'static str,
}

/// A problem (section 3.27).
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Outcome {
    rule_id: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    rule_index: Option<usize>,
    level: &'static str,
    message: Text,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    locations: Vec<Location>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    related_locations: Vec<Location>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    fixes: Vec<Fix>,
    properties: Properties,
}

#[derive(Serialize)]
struct Properties {
    /// The targets that have it; empty for all that were checked.
    targets: Vec<String>,
    /// What to do.
    help: Vec<String>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Location {
    physical_location: Physical,
    message: Text,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Physical {
    artifact_location: Artifact,
    region: Region,
}

#[derive(Serialize)]
struct Artifact {
    uri: String,
}

/// A region by lines and columns, which count from 1; the end column is one past the last character (section 3.30).
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Region {
    start_line: usize,
    start_column: usize,
    end_line: usize,
    end_column: usize,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Fix {
    description: Text,
    artifact_changes: [Change; 1],
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Change {
    artifact_location: Artifact,
    replacements: [Replacement; 1],
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Replacement {
    deleted_region: Region,
    inserted_content: Text,
}

fn message(text: impl Into<String>) -> Text {
    Text { text: text.into() }
}

fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Error => "error",
        Severity::Warning => "warning",
        Severity::Hint => "note",
    }
}

/// The path as the reference of a URI (RFC 3986, section 4.2).
fn uri(path: &str) -> String {
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte);
    let byte = |byte: u8| if plain(byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") };
    path.bytes().map(byte).collect()
}

fn physical(span: Span, sources: &Sources) -> Physical {
    let place = json::place(span, sources);
    let region = Region {
        start_line: place.line,
        start_column: place.column,
        end_line: place.end_line,
        end_column: place.end_column,
    };
    Physical { artifact_location: Artifact { uri: uri(&place.file) }, region }
}

fn page(rule: &Rule) -> Page {
    let pages = format!("{}\n\n{}", rule.summary, rule.why);
    let examples = format!("Bad:\n\n{}\nGood:\n\n{}", rule.fails, rule.passes);
    let blocks = format!("Bad:\n\n```toml\n{}```\n\nGood:\n\n```toml\n{}```", rule.fails, rule.passes);
    Page {
        id: rule.name,
        short_description: message(format!("{}.", rule.summary)),
        full_description: message(rule.why),
        help: Help { text: format!("{pages}\n\n{examples}"), markdown: format!("{pages}\n\n{blocks}") },
        default_configuration: Configuration { level: level(rule.severity) },
    }
}

fn outcome(finding: &Finding, cover: &Cover<'_>, sources: &Sources) -> Outcome {
    let diagnostic = cover.diagnostic(&finding.diagnostic);
    let location = |label: &Label| Location {
        physical_location: physical(label.span, sources),
        message: message(&*label.text),
    };
    let fix = diagnostic.fix.iter().map(|fix| {
        let Physical { artifact_location, region } = physical(fix.span, sources);
        let replacement =
            Replacement { deleted_region: region, inserted_content: message(&*fix.replacement) };
        Fix {
            description: message(&*fix.title),
            artifact_changes: [Change { artifact_location, replacements: [replacement] }],
        }
    });
    Outcome {
        rule_id: diagnostic.rule.name,
        rule_index: rules::all().position(|rule| rule == diagnostic.rule),
        level: level(finding.severity),
        locations: diagnostic.primary.iter().map(location).collect(),
        related_locations: diagnostic.related.iter().map(location).collect(),
        fixes: fix.collect(),
        properties: Properties { targets: finding.targets.clone(), help: diagnostic.help },
        message: message(diagnostic.message),
    }
}

/// The problems of a report as a log, with the pages of all rules.
pub(crate) fn log(report: &Report, sources: &Sources) -> Log {
    let cover = Cover::new(report, sources);
    let driver = Driver {
        name: "fracht",
        semantic_version: env!("CARGO_PKG_VERSION"),
        rules: rules::all().map(page).collect(),
    };
    let results = report.findings().iter().map(|finding| outcome(finding, &cover, sources)).collect();
    Log {
        schema: SCHEMA,
        version: "2.1.0",
        runs: [Run { tool: Tool { driver }, column_kind: "unicodeCodePoints", results }],
    }
}
