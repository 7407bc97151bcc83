//! What the parser objects to, in words that say what to do.
//!
//! No message repeats the text of a value: it may be a secret.

use toml::de::Error;

use super::duplicate;
use crate::diag::{Diagnostic, Sink};
use crate::source::{FileId, Span};

/// How many syntax errors of one file are reported; a file with more is no stack file.
const MOST: usize = 50;

/// Whether it is about a key that is there twice.
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
            Diagnostic::new("defined-twice", format!("`{name}` is defined twice."))
                .at(Span::new(file, second.clone()), "defined again here")
                .also(first.map(|first| Span::new(file, first)), "first defined here")
                .help("Keep one of the two, or move what differs into one table."),
        );
    }
    let others: Vec<&Error> = errors.iter().filter(|error| !is_duplicate(error)).collect();
    let span = |error: &Error| Span::new(file, error.span().unwrap_or(0..0));
    for error in others.iter().take(MOST) {
        let at = error.span().and_then(|span| text.get(span)).unwrap_or_default();
        let (message, help) = explain(error.message(), at);
        sink.push(Diagnostic::new("syntax", message).at(span(error), "").help(help));
    }
    if let Some(next) = others.get(MOST) {
        let more = others.len() - MOST;
        sink.push(
            Diagnostic::new("syntax", format!("There are {more} more syntax errors from here on."))
                .at(span(next), "")
                .help("Is this a stack file? Mend the first ones and try again."),
        );
    }
}

/// The parser's message about the text `at`, as what is wrong and what to do.
fn explain(message: &str, at: &str) -> (String, &'static str) {
    let says = |part: &str| message.contains(part);
    let bare = says("must be quoted") || says("invalid float") || says("invalid boolean");
    let (wrong, help) = if bare && at.trim().is_empty() {
        ("A value is missing behind `=`.", "Write key = value; text in double quotes.")
    } else if bare {
        (
            "This is neither text in quotes, nor a number, nor true or false.",
            "Put text in double quotes: key = \"value\".",
        )
    } else if says("invalid basic string") || says("invalid literal string") {
        (
            "The text is not closed.",
            "Text ends with the quote that it begins with, on the same line; longer text takes three.",
        )
    } else if says("unclosed array") {
        ("The list is not closed.", "End it with ].")
    } else if says("unclosed inline table") {
        ("The table is not closed.", "End it with }.")
    } else if says("unclosed table") {
        ("The header is not closed.", "A header is [name], or [kind.name].")
    } else if says("key with no value") || says("unquoted key") {
        (
            "This is not a key with a value.",
            "Write key = value; a key with other letters than a-z, 0-9, - and _ takes quotes.",
        )
    } else if says("leading zero") {
        ("A number does not begin with 0.", "Write it without the 0, or as text in double quotes.")
    } else if says("escaped value") {
        (
            "There is no such escape in text.",
            "A backslash is written twice, or the text put in single quotes.",
        )
    } else if says("unexpected key or value") {
        (
            "Something follows where the line should end.",
            "One key = value on a line; several values go in a list, [ ].",
        )
    } else if says("extend value") {
        ("A key with dots reaches into what is no table.", "Write the value, or the table, in one place.")
    } else {
        return (
            format!("This is not valid TOML: {message}."),
            "Text is in \"double quotes\", lists in [ ], tables in { } or under a [header].",
        );
    };
    (wrong.to_owned(), help)
}
