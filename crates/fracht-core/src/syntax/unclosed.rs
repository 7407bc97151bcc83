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
    /// A string of several lines.
    Text(char),
    /// A list or table that is not closed because of a string in it that is not.
    Quote(usize),
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

    /// Whether it is a header.
    pub(super) fn is_header(&self) -> bool {
        self.what == What::Header
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
            What::Text('"') => ("string", "\"\"\"", "end it with `\"\"\"`"),
            What::Text(_) => ("string", "'''", "end it with `'''`"),
            What::Quote(at) => {
                let help =
                    "close it with the same quote on the same line, or use three quotes for several lines";
                return Diagnostic::new(&SYNTAX, "unterminated string")
                    .at(Span::new(file, at..at + 1), "no closing quote on this line")
                    .help(help);
            }
        };
        let width = match self.what {
            What::Header => 2,
            What::Text(_) => 3,
            What::List | What::Table | What::Quote(_) => 1,
        };
        Diagnostic::new(&SYNTAX, format!("unclosed {what}: missing `{closing}`"))
            .at(Span::new(file, self.start..self.start + width), "never closed")
            .help(help)
    }
}

/// What is not closed in a text, and its lines.
#[derive(Debug, Default)]
pub(super) struct Lines {
    /// Everything that is not closed, in its order.
    pub(super) unclosed: Vec<Unclosed>,
    /// Where each line starts. A value of several lines belongs to the line of its key.
    pub(super) starts: Vec<usize>,
}

/// Finds what is not closed in a text, and its lines.
pub(super) fn find(text: &str) -> Lines {
    let mut found = Vec::new();
    let mut starts = Vec::new();
    // The open brackets with their bytes, the outermost first.
    let mut open: Vec<(What, usize)> = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let line = text.get(at..).and_then(|rest| rest.split_inclusive('\n').next()).unwrap_or_default();
        if let Some((what, start)) = open.first().copied() {
            let in_list = open.last().is_some_and(|(what, _)| *what == What::List);
            // In a table, a comma or the bracket comes before the next entry.
            let before = text.get(..at).unwrap_or_default().trim_end();
            let before = before.rsplit('\n').next().unwrap_or_default();
            let before = before.split(" #").next().unwrap_or_default().trim_end();
            let separated = in_list
                || before.ends_with([',', '{', '['])
                || before.trim().is_empty()
                || before.trim_start().starts_with('#');
            if is_header(line) || (in_list || !separated) && is_entry(line) {
                found.push(Unclosed { what, start, end: at });
                open.clear();
            }
        }
        if open.is_empty() {
            starts.push(at);
        }
        let content = line.split('#').next().unwrap_or_default().trim();
        if open.is_empty() && content.starts_with('[') {
            if content.starts_with("[[") && !content.ends_with("]]") && content.is_ascii() {
                let start = at + (line.len() - line.trim_start().len());
                found.push(Unclosed { what: What::Header, start, end: start + content.len() });
            }
            at += line.len();
        } else {
            at = match line_end(text, at, &mut open) {
                Ok(end) => end,
                Err(string) => {
                    let at = string.end;
                    found.push(match open.first().copied() {
                        Some((around, start)) => {
                            let is_quote = matches!(string.what, What::Quote(_));
                            Unclosed { what: if is_quote { string.what } else { around }, start, end: at }
                        }
                        None => string,
                    });
                    open.clear();
                    at
                }
            };
        }
    }
    found.extend(open.first().map(|&(what, start)| Unclosed { what, start, end: text.len() }));
    Lines { unclosed: found, starts }
}

/// Reads a line, with the strings of several lines that start on it. Returns the byte after it.
///
/// # Errors
/// A string of several lines that is not closed.
fn line_end(text: &str, from: usize, open: &mut Vec<(What, usize)>) -> Result<usize, Unclosed> {
    let mut at = from;
    // Outside of values, a bracket before the `=` is not that of a value.
    let mut in_value = !open.is_empty();
    while let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) {
        let rest = text.get(at..).unwrap_or_default();
        match c {
            '\n' => return Ok(at + 1),
            '#' => return Ok(at + rest.find('\n').map_or(rest.len(), |end| end + 1)),
            '"' | '\'' => {
                let length = string_length(rest, c);
                let line = rest.find('\n').map_or(text.len(), |end| at + end);
                let is_short =
                    length < 2 || !text.get(at..at + length).is_some_and(|whole| whole.ends_with(c));
                if !open.is_empty() && at + length == line && is_short {
                    return Err(Unclosed {
                        what: What::Quote(at),
                        start: at,
                        end: (line + 1).min(text.len()),
                    });
                }
                if let Some(end) = unclosed_text(text, at, length, c) {
                    return Err(Unclosed { what: What::Text(c), start: at, end });
                }
                at += length;
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
    Ok(text.len())
}

/// Where a string of several lines should have ended, if it is not closed: before the next header of a table in a table,
/// which a text of settings rarely has. It is not closed if it goes on to the end of the text, or if what closes it is
/// rather the start of another one, `KEY = """`.
fn unclosed_text(text: &str, at: usize, length: usize, quote: char) -> Option<usize> {
    let three = [quote; 3].iter().collect::<String>();
    let whole = text.get(at..at + length)?;
    let inner = whole.strip_prefix(&three)?;
    let last = inner.strip_suffix(&three);
    let opens = last.is_some_and(|inner| {
        let line = inner.rsplit('\n').next().unwrap_or_default();
        inner.contains('\n')
            && line.strip_suffix('=').or(line.trim_end().strip_suffix('=')).is_some_and(is_key_of_line)
    });
    if last.is_some() && !opens {
        return None;
    }
    let mut end = at + three.len();
    for line in inner.split_inclusive('\n') {
        if is_header(line) && line.contains('.') {
            return Some(end);
        }
        end += line.len();
    }
    last.is_none().then_some(at + length)
}

/// Whether a text is the key at the start of a line.
fn is_key_of_line(text: &str) -> bool {
    is_key(text.trim())
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
pub(super) fn is_header(line: &str) -> bool {
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
pub(super) fn is_key(text: &str) -> bool {
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
            ("a = \"\"\"\nx\n[b.c]\nd = 1\n", &["\"\"\"\nx"]),
            ("a = '''\nx\n", &["'''\nx"]),
            ("a = { b = 1, c = 2\nd = 3\n", &["{ b = 1, c = 2"]),
            ("a = { b = 'x, c = 2 }\nd = 3\n", &["{ b = 'x, c = 2 }"]),
            ("a = \"\"\"\nx\n[b.c]\nd = \"\"\"\ny\n\"\"\"\n", &["\"\"\"\nx"]),
        ] {
            let found: Vec<&str> = find(text).unclosed.iter().map(|value| &text[value.range(text)]).collect();
            assert_eq!(found, values, "{text}");
        }
        for closed in [
            "a = [\n  [1],\n  ['x'],\n  [true]\n]\n[b]\n[[c]]\nd = '['\n# [\ne = '''\n[\n'''\nf = \"\\\"[\"\n",
            "a = { b = 1,\n  c = 2,\n}\n",
            "a = [{ b = 1,\n  c = 2 }, \"d = [\",\n  \"[e]\"]\n",
            "'[' = 1\n[ = 2\n{\n",
        ] {
            assert_eq!(find(closed).unclosed, [], "{closed}");
        }
    }
}
