//! Finds the parts of a stack file that must not be shown, even if its text is broken.
//!
//! The TOML parser skips broken text; this scanner does not. It goes through the text once and knows the path of each
//! value. It hides every value in a table of secrets, except for those that tell where to read the secret, every value
//! under a name that looks secret, and every part of a value that looks secret.

use std::ops::Range;

use super::address::password_of;
use super::looks::hits;
use super::names::{flag_name, is_login_flag, may_be_secret_name};
use super::place::{Treatment, ValueKind, below, by_name, is_secrets, treatment};
use super::word::{is_random, is_reference, is_switch};
use crate::language::ROOT;

/// The bytes of a stack file that must not be shown.
pub(crate) fn hidden(text: &str) -> Vec<Range<usize>> {
    let mut scan = Scan { text, at: 0, header: Vec::new(), hidden: Vec::new() };
    scan.document();
    scan.hidden
}

struct Scan<'t> {
    text: &'t str,
    at: usize,
    header: Vec<String>,
    hidden: Vec<Range<usize>>,
}

/// Whether a valid value at a path tells where a secret is.
fn says_where(path: &[String]) -> bool {
    matches!(treatment(path), Treatment::Unless(_))
}

/// The deepest nesting of tables and lists that is followed.
const DEEPEST: usize = 64;

impl<'t> Scan<'t> {
    fn rest(&self) -> &'t str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn take(&mut self, c: char) -> bool {
        let found = self.peek() == Some(c);
        if found {
            self.at += c.len_utf8();
        }
        found
    }

    /// Skips spaces and tabs.
    fn blanks(&mut self) {
        let rest = self.rest();
        self.at += rest.len() - rest.trim_start_matches([' ', '\t', '\r']).len();
    }

    /// The byte after the line.
    fn line_end(&self) -> usize {
        self.at + self.rest().find('\n').unwrap_or(self.rest().len())
    }

    fn hide(&mut self, from: usize, to: usize) {
        if from < to {
            self.hidden.push(from..to);
        }
    }

    fn hide_looks(&mut self, from: usize, to: usize) {
        let part = self.text.get(from..to).unwrap_or_default();
        self.hidden.extend(hits(part).into_iter().map(|hit| from + hit.range.start..from + hit.range.end));
    }

    fn document(&mut self) {
        while self.at < self.text.len() {
            self.blanks();
            match self.peek() {
                Some('\n') => self.at += 1,
                Some('#') => self.comment(&self.header.clone()),
                Some('[') => self.header(),
                Some(_) => self.entry(&self.header.clone(), &['\n'], 0),
                None => {}
            }
        }
    }

    /// Reads a comment: hidden as a whole in a table of secrets, else only the parts that look secret.
    fn comment(&mut self, path: &[String]) {
        let end = self.line_end();
        if treatment(path) == Treatment::Whole {
            let text = self.text.get(self.at..end).unwrap_or_default();
            let blank = text.len() - text.trim_start_matches(['#', ' ', '\t']).len();
            self.hide(self.at + blank, end);
        } else {
            self.hide_looks(self.at, end);
        }
        self.at = end;
    }

    /// Reads `[a.b]` or `[[a.b]]`. The rest of the line is read as an entry.
    fn header(&mut self) {
        while self.take('[') {}
        self.header = below(&[], self.keys());
        self.blanks();
        while self.take(']') {}
        if self.header.is_empty() {
            // Not a header.
            let end = self.line_end();
            self.hide_looks(self.at, end);
            self.at = end;
        }
    }

    /// Reads a dotted key.
    fn keys(&mut self) -> Vec<String> {
        let mut keys = Vec::new();
        loop {
            self.blanks();
            let key = match self.peek() {
                Some(quote @ ('"' | '\'')) => {
                    let range = self.quoted(quote);
                    self.hide_looks(range.start, range.end);
                    unescaped(self.text.get(range).unwrap_or_default(), quote)
                }
                _ => {
                    let rest = self.rest();
                    let end = rest.find(|c: char| !(c.is_alphanumeric() || "_-".contains(c)));
                    let key = rest.get(..end.unwrap_or(rest.len())).unwrap_or_default();
                    self.at += key.len();
                    key.to_owned()
                }
            };
            if key.is_empty() {
                return keys;
            }
            keys.push(key);
            let before = self.at;
            self.blanks();
            if !self.take('.') {
                self.at = before;
                return keys;
            }
        }
    }

    /// Reads a key and its value, up to one of `ends` if the value is missing.
    fn entry(&mut self, above: &[String], ends: &[char], depth: usize) {
        let start = self.at;
        let keys = self.keys();
        let key_end = self.at;
        let is_key = !keys.is_empty();
        let path = below(above, keys);
        self.blanks();
        if is_key && self.take('=') {
            self.blanks();
            // A missing value may be on the next line.
            if matches!(self.peek(), None | Some('\n')) && treatment(&path) == Treatment::Whole {
                self.value_below();
            } else {
                self.value(&path, depth);
            }
            return;
        }
        // Neither a key nor a value: only its place is known.
        let rest = self.rest();
        let end = self.at + rest.find(|c| c == '\n' || ends.contains(&c)).unwrap_or(rest.len());
        if !matches!(treatment(above), Treatment::Looks { .. }) {
            self.hide(start, end);
        } else if is_key && treatment(&path) == Treatment::Whole {
            self.hide(key_end, end);
        } else {
            self.hide_looks(start, end);
        }
        self.at = end;
        if self.at == start {
            self.at += self.peek().map_or(0, char::len_utf8);
        }
    }

    /// Hides the next line, unless it is an entry or a header.
    fn value_below(&mut self) {
        let start = self.at;
        self.take('\n');
        self.blanks();
        let from = self.at;
        let end = self.line_end();
        let line = self.text.get(from..end).unwrap_or_default();
        if line.is_empty() || line.starts_with(['[', '#']) || line.contains('=') {
            self.at = start;
            return;
        }
        self.hide(from, end);
        self.at = end;
    }

    /// Reads a value of any kind.
    fn value(&mut self, path: &[String], depth: usize) {
        match self.peek() {
            Some('{') if depth < DEEPEST => self.table(path, depth),
            Some('[') if depth < DEEPEST => self.list(path, depth),
            Some(quote @ ('"' | '\'')) => {
                let inner = self.quoted(quote);
                // Text after the closing quote belongs to a broken value, which then does not tell where a secret is.
                if self.tail(path) && says_where(path) {
                    self.hide(inner.start, inner.end);
                } else {
                    self.text_value(path, inner, quote);
                }
            }
            _ => self.bare(path),
        }
    }

    /// Reads a string and returns its inside. An unclosed one ends with its line, or with the file if it has three
    /// quotes.
    fn quoted(&mut self, quote: char) -> Range<usize> {
        let three: String = std::iter::repeat_n(quote, 3).collect();
        let (open, close) = if self.rest().starts_with(&three) { (3, three.as_str()) } else { (1, "") };
        let from = self.at + open;
        let rest = self.text.get(from..).unwrap_or_default();
        let mut chars = rest.char_indices();
        let mut end = rest.len();
        let mut behind = rest.len();
        while let Some((index, c)) = chars.next() {
            if c == '\\' && quote == '"' {
                if open == 1 && chars.as_str().starts_with('\n') {
                    (end, behind) = (index + 1, index + 1);
                    break;
                }
                chars.next();
            } else if open == 1 && (c == quote || c == '\n') {
                (end, behind) = (index, index + usize::from(c == quote));
                break;
            } else if open == 3 && rest.get(index..).is_some_and(|rest| rest.starts_with(close)) {
                // Up to two more quotes belong to the string.
                let more = rest.get(index + 3..).unwrap_or_default();
                let more = more.len() - more.trim_start_matches(quote).len();
                (end, behind) = (index + more.min(2), index + 3 + more.min(2));
                break;
            }
        }
        self.at = from + behind;
        from..from + end
    }

    fn text_value(&mut self, path: &[String], inner: Range<usize>, quote: char) {
        let written = self.text.get(inner.clone()).unwrap_or_default();
        match treatment(path) {
            Treatment::Whole
                if by_name(path)
                    && (written.trim().is_empty() || is_reference(written) || is_switch(written)) => {}
            Treatment::Whole => self.hide(inner.start, inner.end),
            Treatment::Unless(source) => {
                let closed = self.text.get(inner.end..).is_some_and(|rest| rest.starts_with(quote));
                if !closed || !source.is_well_formed(&unescaped(written, quote)) {
                    self.hide(inner.start, inner.end);
                }
            }
            Treatment::Looks { named: true } if is_random(&unescaped(written, quote)) => {
                self.hide(inner.start, inner.end);
            }
            // The resolved text may look secret where the escaped one does not.
            Treatment::Looks { .. }
                if quote == '"' && written.contains('\\') && !hits(&unescaped(written, quote)).is_empty() =>
            {
                self.hide(inner.start, inner.end);
            }
            Treatment::Looks { .. } => self.hide_looks(inner.start, inner.end),
        }
    }

    /// Reads the text between a value and the end of its line or the next value; true if there is any.
    fn tail(&mut self, path: &[String]) -> bool {
        self.blanks();
        let rest = self.rest();
        let end = self.at + rest.find(['\n', ',', ']', '}', '#']).unwrap_or(rest.len());
        if end > self.at {
            if matches!(treatment(path), Treatment::Looks { .. }) {
                self.hide_looks(self.at, end);
            } else {
                self.hide(self.at, end);
            }
        }
        std::mem::replace(&mut self.at, end) < end
    }

    /// Reads a value without quotes: a number, a word, or broken text.
    fn bare(&mut self, path: &[String]) {
        let start = self.at;
        let line_end = self.line_end();
        let line = self.text.get(start..line_end).unwrap_or_default();
        let treatment = treatment(path);
        if let Treatment::Unless(kind @ ValueKind::Switch) = treatment {
            let end = line.find([',', ']', '}', '#']).unwrap_or(line.len());
            let word = line.get(..end).unwrap_or_default().trim_end();
            if kind.is_well_formed(word) {
                self.at = start + word.len();
                return;
            }
        }
        let covered = !matches!(treatment, Treatment::Looks { .. });
        // A broken value may contain characters that otherwise end a value.
        let ends: &[char] = if covered { &['#'] } else { &[',', ']', '}', '#'] };
        let in_line = line.find(ends).unwrap_or(line.len());
        let word = line.get(..in_line).unwrap_or_default().trim_end();
        let closing = word.trim_end_matches(['}', ']', ',', ' ']);
        let word = if covered { closing } else { word };
        if covered {
            let plain = by_name(path) && (word.is_empty() || is_switch(word) || is_reference(word));
            if !plain {
                self.hide(start, start + word.len());
            }
        } else {
            self.hide_looks(start, start + word.len());
        }
        self.at = start + word.len();
        if word.is_empty() && !matches!(self.peek(), None | Some('\n' | ',' | ']' | '}' | '#')) {
            self.at += self.peek().map_or(0, char::len_utf8);
        }
    }

    /// Reads `{ key = value, … }`. An unclosed table ends before the next header.
    fn table(&mut self, path: &[String], depth: usize) {
        self.take('{');
        while let Some((c, _)) = self.between(path) {
            if c == '}' {
                self.at += 1;
                return;
            }
            self.entry(path, &[',', '}'], depth + 1);
        }
    }

    /// Reads `[ value, … ]`. An unclosed list ends before the next header.
    fn list(&mut self, path: &[String], depth: usize) {
        self.take('[');
        let mut before = String::new();
        // Of the values that tell where a secret is, only `keys` is a list.
        let item = below(path, vec![String::new()]);
        let path = if by_name(path) { path } else { item.as_slice() };
        let (mut texts, mut whole, mut closed) = (Vec::new(), true, false);
        let mut first = true;
        while let Some((c, comma)) = self.between(path) {
            if c == ']' {
                self.at += 1;
                closed = true;
                break;
            }
            whole &= comma || std::mem::take(&mut first);
            match c {
                '"' | '\'' => {
                    let inner = self.quoted(c);
                    let text = unescaped(self.text.get(inner.clone()).unwrap_or_default(), c);
                    self.argument(path, (inner.clone(), c), (&before, &text));
                    before = text;
                    texts.push(inner);
                }
                _ => {
                    before.clear();
                    let start = self.at;
                    self.value(path, depth + 1);
                    if self.at == start {
                        self.at += c.len_utf8();
                    }
                }
            }
        }
        if says_where(path) && !(whole && closed) {
            self.hidden.extend(texts.into_iter().filter(|text| !text.is_empty()));
        }
    }

    /// Reads a string in a list, which may be the value of the option before it.
    fn argument(
        &mut self,
        path: &[String],
        (inner, quote): (Range<usize>, char),
        (before, text): (&str, &str),
    ) {
        let named = flag_name(before).is_some_and(may_be_secret_name) && !text.starts_with('-');
        if named && !is_reference(text) && !is_switch(text) {
            self.hide(inner.start, inner.end);
        } else if is_login_flag(before) && password_of(text).is_some() {
            let written = self.text.get(inner.clone()).unwrap_or_default();
            let colon = written.find(':').map_or(0, |colon| colon + 1);
            self.hide(inner.start + colon, inner.end);
        } else {
            self.text_value(path, inner, quote);
        }
    }

    /// Skips the text between the parts of a table or a list. Returns the first character of the next part, and
    /// whether a comma was found; `None` if the closing bracket is missing.
    fn between(&mut self, path: &[String]) -> Option<(char, bool)> {
        let mut comma = false;
        loop {
            self.blanks();
            match self.peek()? {
                '\n' => {
                    self.at += 1;
                    if self.is_header() {
                        return None;
                    }
                }
                ',' => {
                    self.at += 1;
                    comma = true;
                }
                '#' => self.comment(path),
                c => return Some((c, comma)),
            }
        }
    }

    /// Whether the current line is the header of a table of the language.
    fn is_header(&self) -> bool {
        let line = self.text.get(self.at..self.line_end()).unwrap_or_default().trim_start();
        let Some(name) = line.strip_prefix('[') else { return false };
        let name = name.trim_start_matches(['[', ' ', '"', '\'']);
        let end = name.find(|c: char| !(c.is_alphanumeric() || "_-".contains(c))).unwrap_or(name.len());
        let name = name.get(..end).unwrap_or_default();
        ROOT.field(name).is_some() || is_secrets(name)
    }
}

/// A string in double quotes with its escapes resolved (TOML 1.1). Invalid escapes stay unchanged.
pub(super) fn unescaped(text: &str, quote: char) -> String {
    if quote != '"' || !text.contains('\\') {
        return text.to_owned();
    }
    let mut out = String::with_capacity(text.len());
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match chars.next() {
            Some('n') => out.push('\n'),
            Some('t') => out.push('\t'),
            Some('r') => out.push('\r'),
            Some('e') => out.push('\u{1b}'),
            Some(kind @ ('u' | 'U' | 'x')) => {
                let digits = match kind {
                    'x' => 2,
                    'u' => 4,
                    _ => 8,
                };
                let hex: String = chars.as_str().chars().take(digits).collect();
                match u32::from_str_radix(&hex, 16).ok().and_then(char::from_u32) {
                    Some(c) if hex.chars().count() == digits => {
                        out.push(c);
                        chars.nth(digits - 1);
                    }
                    _ => out.push(kind),
                }
            }
            Some(other) => out.push(other),
            None => {}
        }
    }
    out
}
