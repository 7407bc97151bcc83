//! Finds lists, inline tables and headers that are not closed.
//!
//! The parser reads an unclosed value on to the end of the file, and reports every line on the way. A header, or in a list a
//! `key = value` line, cannot be inside a value: it shows that the value before it is not closed.

use std::ops::Range;

use crate::diag::Diagnostic;
use crate::diag::reading::SYNTAX;
use crate::source::{FileId, Span};

/// What is not closed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum What {
    List,
    Table,
    /// A header that starts with `[[`.
    Header,
}

/// Something that is not closed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Unclosed {
    what: What,
    /// The byte of its opening bracket.
    start: usize,
    /// The byte after it: the start of the first line that is not part of it, or the end of the text.
    end: usize,
}

impl Unclosed {
    /// Its bytes, without space at the end.
    pub(super) fn range(&self, text: &str) -> Range<usize> {
        self.start..self.start + self.text(text).trim_end().len()
    }

    fn text<'t>(&self, text: &'t str) -> &'t str {
        text.get(self.start..self.end).unwrap_or_default()
    }

    /// The problem, at the opening bracket.
    pub(super) fn problem(&self, file: FileId) -> Diagnostic {
        let (what, closing, help) = match self.what {
            What::List => ("list", "]", "end it with `]`"),
            What::Table => ("table", "}", "end it with `}`"),
            What::Header => ("header", "]]", "write `[[NAME]]`"),
        };
        let width = if self.what == What::Header { 2 } else { 1 };
        Diagnostic::new(&SYNTAX, format!("unclosed {what}: missing `{closing}`"))
            .at(Span::new(file, self.start..self.start + width), "never closed")
            .help(help)
    }

    /// Valid text of the same length.
    fn replacement(&self, text: &str) -> String {
        let own = self.text(text);
        let valid = match self.what {
            What::Header => format!("[{}]", own.trim_matches(['[', ']', ' ', '\t'])),
            What::List | What::Table => "0".to_owned(),
        };
        let mut replacement = format!("{valid:0$}", own.len());
        if own.ends_with('\n') {
            replacement.pop();
            replacement.push('\n');
        }
        replacement
    }
}

/// The text with valid text in place of all that is not closed, so that the lines after it can be parsed. All other
/// bytes keep their place.
pub(super) fn replaced(text: &str, unclosed: &[Unclosed]) -> String {
    let mut out = String::with_capacity(text.len());
    for one in unclosed {
        out.push_str(text.get(out.len()..one.start).unwrap_or_default());
        out.push_str(&one.replacement(text));
    }
    out.push_str(text.get(out.len()..).unwrap_or_default());
    out
}

/// Everything that is not closed in a text, in its order.
pub(super) fn find(text: &str) -> Vec<Unclosed> {
    let mut found = Vec::new();
    // The open brackets with their bytes, the outermost first.
    let mut open: Vec<(What, usize)> = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let line = text.get(at..).and_then(|rest| rest.split_inclusive('\n').next()).unwrap_or_default();
        if let Some((what, start)) = open.first().copied() {
            let in_list = open.last().is_some_and(|(what, _)| *what == What::List);
            if is_header(line) || in_list && is_entry(line) {
                found.push(Unclosed { what, start, end: at });
                open.clear();
            }
        }
        let content = line.split('#').next().unwrap_or_default().trim();
        if open.is_empty() && content.starts_with('[') {
            if content.starts_with("[[") && !content.ends_with("]]") && content.is_ascii() {
                let start = at + (line.len() - line.trim_start().len());
                found.push(Unclosed { what: What::Header, start, end: start + content.len() });
            }
            at += line.len();
        } else {
            at = line_end(text, at, &mut open);
        }
    }
    found.extend(open.first().map(|&(what, start)| Unclosed { what, start, end: text.len() }));
    found
}

/// Reads a line, with the strings of several lines that start on it. Returns the byte after it.
fn line_end(text: &str, from: usize, open: &mut Vec<(What, usize)>) -> usize {
    let mut at = from;
    // Outside of values, a bracket before the `=` is not that of a value.
    let mut in_value = !open.is_empty();
    while let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) {
        let rest = text.get(at..).unwrap_or_default();
        match c {
            '\n' => return at + 1,
            '#' => return at + rest.find('\n').map_or(rest.len(), |end| end + 1),
            '"' | '\'' => {
                at += string_length(rest, c);
                continue;
            }
            '=' => in_value = true,
            '[' if in_value => open.push((What::List, at)),
            '{' if in_value => open.push((What::Table, at)),
            ']' | '}' => {
                let closed = if c == ']' { What::List } else { What::Table };
                open.pop_if(|(what, _)| *what == closed);
            }
            _ => {}
        }
        at += c.len_utf8();
    }
    text.len()
}

/// The bytes of the string at the start of a text. One that is not closed ends with its line, or with the text if it
/// has three quotes.
fn string_length(text: &str, quote: char) -> usize {
    let three = [quote; 3].iter().collect::<String>();
    let (open, close) =
        if text.starts_with(&three) { (3, &*three) } else { (1, three.get(..1).unwrap_or_default()) };
    let mut at = open;
    while let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) {
        if text.get(at..).is_some_and(|rest| rest.starts_with(close)) {
            return at + close.len();
        }
        if c == '\n' && open == 1 {
            return at;
        }
        at += c.len_utf8();
        if c == '\\' && quote == '"' {
            at += text.get(at..).and_then(|rest| rest.chars().next()).map_or(0, char::len_utf8);
        }
    }
    text.len()
}

/// Whether a line is the header of a table: a list of values never looks like one, since its names have no quotes.
fn is_header(line: &str) -> bool {
    let line = line.split('#').next().unwrap_or_default().trim();
    let inner = line.strip_prefix("[[").and_then(|line| line.strip_suffix("]]"));
    let inner = inner.or_else(|| line.strip_prefix('[')?.strip_suffix(']'));
    inner.is_some_and(|name| is_key(name.trim()) && !matches!(name.trim(), "true" | "false" | "inf" | "nan"))
}

/// Whether a line starts with a key and a `=`.
fn is_entry(line: &str) -> bool {
    line.split_once('=').is_some_and(|(key, _)| is_key(key.trim()))
}

/// Whether a text is a key that starts with a letter: words, quoted or not, joined by dots.
fn is_key(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && text.chars().all(|c| c.is_alphanumeric() || "-_.\"'/:@ ".contains(c))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn unclosed_values_end_before_the_next_header_or_entry() {
        for (text, values) in [
            ("a = [1, 2\n[b]\n", &["[1, 2"][..]),
            ("a = [\n  'x',\nb = 2\nc = [3]\n", &["[\n  'x',"]),
            ("a = { b = [1, 2\n[c]\nd = {\n", &["{ b = [1, 2", "{"]),
            ("a = [ { b = 1,\n  c = 2 }\n", &["[ { b = 1,\n  c = 2 }"]),
            ("a = [1", &["[1"]),
            ("a = { b = 1,\nc = 2\n[d.'e f']\n", &["{ b = 1,\nc = 2"]),
            ("[[a]\nb = 1\n  [[ c # d\n", &["[[a]", "[[ c"]),
        ] {
            let found: Vec<&str> = find(text).iter().map(|value| &text[value.range(text)]).collect();
            assert_eq!(found, values, "{text}");
            let replaced = replaced(text, &find(text));
            assert_eq!(replaced.len(), text.len());
            assert!(toml::de::DeTable::parse(&replaced).is_ok(), "{replaced}");
        }
        for closed in [
            "a = [\n  [1],\n  ['x'],\n  [true]\n]\n[b]\n[[c]]\nd = '['\n# [\ne = '''\n[\n'''\nf = \"\\\"[\"\n",
            "a = { b = 1,\n  c = 2,\n}\n",
            "a = [{ b = 1,\n  c = 2 }, \"d = [\",\n  \"[e]\"]\n",
            "'[' = 1\n[ = 2\n{\n",
        ] {
            assert_eq!(find(closed), [], "{closed}");
        }
    }
}
