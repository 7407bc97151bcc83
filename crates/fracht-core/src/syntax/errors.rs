//! Syntax errors, in words that say what to do.
//!
//! No message repeats the text of a value: it may be a secret.

use std::collections::BTreeSet;
use std::ops::Range;

use toml::de::{DeTable, Error};

use super::repair::{self, MOST_ERRORS, Repaired};
use super::{duplicate, sections};
use crate::diag::reading::{DEFINED_TWICE, SYNTAX};
use crate::diag::{Diagnostic, Sink};
use crate::source::{FileId, Span};

/// Whether the error is about a key that is defined twice.
pub(super) fn is_duplicate(error: &Error) -> bool {
    error.message().starts_with("duplicate key")
}

/// Reports what is not closed, and the errors of a file.
pub(super) fn report(text: &str, file: FileId, repaired: &Repaired<'_>, rest: &[Error], sink: &mut Sink) {
    let (_, errors) = DeTable::parse_recoverable(&repaired.text);
    let twice = errors.iter().filter(|error| is_duplicate(error)).filter_map(Error::span);
    let mut twice: Vec<_> = twice.take(MOST_ERRORS).collect();
    twice.sort_by_key(|range| range.start);
    let fixed = &repaired.text;
    // Of a table that is defined twice, its header is reported, not each of its keys.
    let headers: Vec<_> =
        twice.iter().filter(|range| sections::is_header_at(fixed, range.start)).cloned().collect();
    twice.retain(|range| {
        let own = headers.iter().rev().find(|header| header.start <= range.start);
        own.is_none_or(|header| header == range || sections::end(fixed, header.start) <= range.start)
    });
    for (second, first) in duplicate::first_places(fixed, &twice) {
        let name = sections::header_at(fixed, second.start)
            .unwrap_or_else(|| fixed.get(second.clone()).unwrap_or_default());
        let place = |range| Span::new(file, repaired.old_range(range));
        sink.push(
            Diagnostic::new(&DEFINED_TWICE, format!("`{name}` is defined twice"))
                .at(place(second.clone()), "defined again here")
                .also(first.map(place), "first defined here")
                .help("keep one of them, or merge them into one table"),
        );
    }
    let one_by_one = repaired.errors.iter().map(|(place, error)| (place.clone(), error));
    let mut at_once: Vec<_> =
        rest.iter().map(|error| (repaired.old_range(error.span().unwrap_or(0..0)), error)).collect();
    at_once.sort_by_key(|(span, _)| span.start);
    // The first error of a line mostly causes the others.
    let is_same_line = |one: usize, other: usize| !text.get(one..other).unwrap_or_default().contains('\n');
    at_once.dedup_by(|(second, _), (first, _)| is_same_line(first.start, second.start));
    // Several keys below one value are one mistake.
    let mut parents = BTreeSet::new();
    let mut is_first = |place: &Range<usize>, error: &Error| {
        let parent = error.message().contains(EXTENDS).then(|| parent(text, place.start)).flatten();
        parent.is_none_or(|(_, value)| parents.insert(value.start))
    };
    let one_by_one: Vec<_> = one_by_one.filter(|(place, error)| is_first(place, error)).collect();
    let count = repaired.unclosed.len() + repaired.errors.len() + at_once.len();
    let explained = one_by_one.into_iter().chain(at_once).map(|(span, error)| {
        if let Some(name) = blank_in_header(text, span.start, error) {
            return Diagnostic::new(&SYNTAX, "invalid name of a table")
                .at(Span::new(file, span), "not part of a name")
                .help(format!("write `[{name}]`"));
        }
        let at = text.get(span.clone()).unwrap_or_default();
        let (message, label, help) = explain(error.message(), at);
        let parent = error.message().contains(EXTENDS).then(|| parent(text, span.start)).flatten();
        let help = match &parent {
            Some((key, _)) => format!("write its value and its keys as one table: `{key} = {{ … }}`"),
            None => help.to_owned(),
        };
        Diagnostic::new(&SYNTAX, message)
            .at(Span::new(file, span), label)
            .also(parent.map(|(_, value)| Span::new(file, value)), "has this value")
            .help(help)
    });
    let mut problems = repaired.unclosed.iter().map(|value| value.problem(file)).chain(explained);
    for problem in problems.by_ref().take(MOST_ERRORS) {
        sink.push(problem);
    }
    if let Some(next) = problems.next() {
        let more = count - MOST_ERRORS;
        sink.push(
            Diagnostic::new(&SYNTAX, format!("{more} more syntax errors follow"))
                .at(next.primary.map(|label| label.span), "and more from here on")
                .help("fix the first ones and try again; is this a stack file?"),
        );
    }
}

/// A part of the parser's message about a key below a value that is not a table.
const EXTENDS: &str = "extend value";

/// The name that is meant by a header with a blank in it.
fn blank_in_header(text: &str, at: usize, error: &Error) -> Option<String> {
    let header = sections::header_at(text, at).filter(|_| error.message().contains("unclosed table"))?;
    repair::joined(header.strip_prefix('[')?.strip_suffix(']')?)
}

/// The key above, in the same section, below which the dotted key in the line of a byte is, and its value.
fn parent(text: &str, at: usize) -> Option<(&str, Range<usize>)> {
    let start = text.get(..at)?.rfind('\n').map_or(0, |end| end + 1);
    let (name, _) = text.get(start..)?.split_once('=')?;
    let is_above = |key: &str| name.trim().strip_prefix(key).is_some_and(|rest| rest.starts_with('.'));
    let mut end = start;
    for line in text.get(..start)?.lines().rev() {
        let begin = end.checked_sub(line.len() + 1)?;
        if line.trim_start().starts_with('[') {
            return None;
        }
        if let Some((key, value)) = line.split_once('=').filter(|(key, _)| is_above(key.trim())) {
            let lead = value.len() - value.trim_start().len();
            let from = begin + key.len() + 1 + lead;
            return Some((key.trim(), from..from + value.trim().len()));
        }
        end = begin;
    }
    None
}

/// Parts of the parser's messages. For each: what is wrong, why this spot is, and what to do.
const EXPLANATIONS: &[(&[&str], &str, &str, &str)] = &[
    (
        &["invalid basic string", "invalid literal string"],
        "unterminated string",
        "no closing quote on this line",
        "close it with the same quote on the same line, or use three quotes for several lines",
    ),
    (
        &["must be quoted", "invalid float", "invalid boolean"],
        "invalid value: strings need quotes",
        "not in quotes",
        "put it in double quotes: `name = \"text\"`",
    ),
    (&["unclosed array table"], "unclosed table header: missing `]]`", "never closed", "write `[[name]]`"),
    (&["unclosed array"], "unclosed list: missing `]`", "never closed", "end it with `]`"),
    (&["unclosed inline table"], "unclosed table: missing `}`", "never closed", "end it with `}`"),
    (
        &["unclosed table"],
        "unclosed table header: missing `]`",
        "never closed",
        "write `[name]` or `[kind.name]`",
    ),
    (
        &[
            "key with no value",
            "unquoted key",
            "missing key for inline table",
            "key-value pair, expected key",
            "table open",
        ],
        "expected `KEY = VALUE`",
        "not a key with a value",
        "write `KEY = VALUE`; quote keys that have characters other than A-Z, a-z, 0-9, - and _",
    ),
    (
        &["missing value"],
        "missing value after `=`",
        "no value",
        "write `KEY = VALUE`; strings need double quotes",
    ),
    (
        &["multi-line"],
        "a key cannot be a string of several lines",
        "three quotes",
        "use one quote on each side",
    ),
    (
        &["missing comma between array", "unexpected `=` in array"],
        "missing comma or `]` in a list",
        "expected `,` or `]` before this",
        "separate items with commas, and end the list with `]`",
    ),
    (
        &["missing comma between key-value", "missing assignment between"],
        "missing comma or `}` in a table",
        "expected `,` or `}` before this",
        "write `{ KEY = VALUE, KEY = VALUE }`",
    ),
    (&["extra comma"], "unexpected comma", "nothing before this comma", "remove it"),
    (&["extra `=`", "extra assignment"], "unexpected `=`", "second `=` of this key", "write `KEY = VALUE`"),
    (
        &["leading zero"],
        "numbers cannot start with 0",
        "starts with 0",
        "remove the 0, or write a string in double quotes",
    ),
    (
        &["may only go between digits", "radix", "unexpected sign", "numeric sign", "number prefix"],
        "invalid number",
        "not a number",
        "write digits only, or a string in double quotes",
    ),
    (
        &["escaped value", "unicode value"],
        "invalid escape sequence",
        "not an escape",
        "write `\\\\` for a backslash, or use single quotes",
    ),
    (
        &["unexpected key or value", "unexpected content"],
        "unexpected text after the value",
        "not part of the value",
        "write one `KEY = VALUE` on a line; several values go in a list, `[ ]`",
    ),
    (
        &[EXTENDS],
        "dotted key: its parent already has a value that is not a table",
        "its parent is not a table",
        "write the value, or the table, in one place",
    ),
    (
        &["recurse", "recursion"],
        "lists and tables are nested too deeply",
        "too deep",
        "nest fewer lists and tables",
    ),
    (
        &["carriage return", "comment character"],
        "invalid control character",
        "control character",
        "remove it; lines end with a line feed",
    ),
];

/// The parser's message about the text `at`: what is wrong, why this spot is, and what to do.
fn explain(message: &str, at: &str) -> (String, &'static str, &'static str) {
    let no_text = at.trim().is_empty() && message.contains("must be quoted");
    let message = if no_text { "missing value" } else { message };
    let says = |parts: &[&str]| parts.iter().any(|part| message.contains(part));
    match EXPLANATIONS.iter().find(|(parts, ..)| says(parts)) {
        Some((_, wrong, label, help)) => ((*wrong).to_owned(), label, help),
        None => (
            format!("invalid TOML: {message}"),
            "not valid here",
            "strings are in \"double quotes\", lists in `[ ]`, tables in `{ }` or under a `[header]`",
        ),
    }
}
