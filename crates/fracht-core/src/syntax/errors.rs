//! Syntax errors, in words that say what to do.
//!
//! No message repeats the text of a value: it may be a secret.

use toml::de::Error;

use super::duplicate;
use super::unclosed::Unclosed;
use crate::diag::reading::{DEFINED_TWICE, SYNTAX};
use crate::diag::{Diagnostic, Sink};
use crate::source::{FileId, Span};

/// The most syntax errors of one file that are reported. A file with more is probably not a stack file.
const MOST: usize = 50;

/// Whether the error is about a key that is defined twice.
pub(super) fn is_duplicate(error: &Error) -> bool {
    error.message().starts_with("duplicate key")
}

/// Reports the unclosed values and the errors of a file.
pub(super) fn report(text: &str, file: FileId, (unclosed, errors): (&[Unclosed], &[Error]), sink: &mut Sink) {
    let twice = errors.iter().filter(|error| is_duplicate(error)).filter_map(Error::span);
    let twice: Vec<_> = twice.take(MOST).collect();
    for (second, first) in duplicate::first_places(text, &twice) {
        let name = text.get(second.clone()).unwrap_or_default();
        sink.push(
            Diagnostic::new(&DEFINED_TWICE, format!("`{name}` is defined twice"))
                .at(Span::new(file, second.clone()), "defined again here")
                .also(first.map(|first| Span::new(file, first)), "first defined here")
                .help("keep one of them, or merge them into one table"),
        );
    }
    // The first error of a line mostly causes the others.
    let mut others: Vec<_> = errors
        .iter()
        .filter(|error| !is_duplicate(error))
        .map(|error| (error.span().unwrap_or(0..0), error))
        .collect();
    others.sort_by_key(|(span, _)| span.start);
    let is_same_line = |one: usize, other: usize| !text.get(one..other).unwrap_or_default().contains('\n');
    others.dedup_by(|(second, _), (first, _)| is_same_line(first.start, second.start));
    let explained = others.iter().map(|(span, error)| {
        let at = text.get(span.clone()).unwrap_or_default();
        let (message, label, help) = explain(error.message(), at);
        Diagnostic::new(&SYNTAX, message).at(Span::new(file, span.clone()), label).help(help)
    });
    let mut problems = unclosed.iter().map(|value| value.problem(file)).chain(explained);
    for problem in problems.by_ref().take(MOST) {
        sink.push(problem);
    }
    if let Some(next) = problems.next() {
        let more = unclosed.len() + others.len() - MOST;
        sink.push(
            Diagnostic::new(&SYNTAX, format!("{more} more syntax errors follow"))
                .at(next.primary.map(|label| label.span), "and more from here on")
                .help("fix the first ones and try again; is this a stack file?"),
        );
    }
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
        &["extend value"],
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
