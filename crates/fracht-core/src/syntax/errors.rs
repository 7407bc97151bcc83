//! Syntax errors, in words that say what to do.
//!
//! No message repeats the text of a value: it may be a secret.

use toml::de::Error;

use super::duplicate;
use crate::diag::reading::{DEFINED_TWICE, SYNTAX};
use crate::diag::{Diagnostic, Sink};
use crate::source::{FileId, Span};

/// The most syntax errors of one file that are reported. A file with more is probably not a stack file.
const MOST: usize = 50;

/// Whether the error is about a key that is defined twice.
pub(super) fn is_duplicate(error: &Error) -> bool {
    error.message().starts_with("duplicate key")
}

/// Reports the errors of a file.
pub(super) fn report(text: &str, file: FileId, errors: &[Error], sink: &mut Sink) {
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
    let others: Vec<&Error> = errors.iter().filter(|error| !is_duplicate(error)).collect();
    let span = |error: &Error| Span::new(file, error.span().unwrap_or(0..0));
    for error in others.iter().take(MOST) {
        let at = error.span().and_then(|span| text.get(span)).unwrap_or_default();
        let (message, label, help) = explain(error.message(), at);
        sink.push(Diagnostic::new(&SYNTAX, message).at(span(error), label).help(help));
    }
    if let Some(next) = others.get(MOST) {
        let more = others.len() - MOST;
        sink.push(
            Diagnostic::new(&SYNTAX, format!("{more} more syntax errors follow"))
                .at(span(next), "and more from here on")
                .help("fix the first ones and try again; is this a stack file?"),
        );
    }
}

/// The parser's message about the text `at`: what is wrong, why this spot is, and what to do.
fn explain(message: &str, at: &str) -> (String, &'static str, &'static str) {
    let says = |part: &str| message.contains(part);
    let bare = says("must be quoted") || says("invalid float") || says("invalid boolean");
    let (wrong, label, help) = if bare && at.trim().is_empty() {
        ("missing value after `=`", "no value", "write `key = value`; strings need double quotes")
    } else if bare {
        ("invalid value: strings need quotes", "not in quotes", "put it in double quotes: `name = \"text\"`")
    } else if says("invalid basic string") || says("invalid literal string") {
        (
            "unterminated string",
            "no closing quote on this line",
            "close it with the same quote on the same line, or use three quotes for several lines",
        )
    } else if says("unclosed array") {
        ("unclosed list: missing `]`", "never closed", "end it with `]`")
    } else if says("unclosed inline table") {
        ("unclosed table: missing `}`", "never closed", "end it with `}`")
    } else if says("unclosed table") {
        ("unclosed table header: missing `]`", "never closed", "write `[name]` or `[kind.name]`")
    } else if says("key with no value") || says("unquoted key") {
        (
            "expected `key = value`",
            "not a key with a value",
            "write `key = value`; quote keys that have characters other than A-Z, a-z, 0-9, - and _",
        )
    } else if says("leading zero") {
        ("numbers cannot start with 0", "starts with 0", "remove the 0, or write a string in double quotes")
    } else if says("escaped value") {
        ("invalid escape sequence", "not an escape", "write `\\\\` for a backslash, or use single quotes")
    } else if says("unexpected key or value") {
        (
            "unexpected text after the value",
            "not part of the value",
            "write one `key = value` on a line; several values go in a list, `[ ]`",
        )
    } else if says("extend value") {
        (
            "dotted key: its parent already has a value that is not a table",
            "its parent is not a table",
            "write the value, or the table, in one place",
        )
    } else {
        return (
            format!("invalid TOML: {message}"),
            "not valid here",
            "strings are in \"double quotes\", lists in `[ ]`, tables in `{ }` or under a `[header]`",
        );
    };
    (wrong.to_owned(), label, help)
}
