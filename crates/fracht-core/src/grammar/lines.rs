//! Settings files: `KEY=value` lines, as most programs read them.
//!
//! Grammar of a line: blank; `# comment`; or `[export] KEY = value`, where the value is bare (up to ` #`
//! or the end, trimmed), in single quotes (as it stands), or in double quotes (`\n \r \t \" \\ \$` are
//! escapes). A quoted value may go over several lines.

use std::error::Error;
use std::fmt;
use std::ops::Range;

/// A setting with its places in the text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Setting {
    /// The key.
    pub key: String,
    /// The bytes of the key.
    pub key_at: Range<usize>,
    /// The value, with quotes and escapes resolved.
    pub value: String,
    /// The bytes of the value, with its quotes.
    pub value_at: Range<usize>,
}

/// An invalid line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BrokenLine {
    /// The invalid bytes.
    pub at: Range<usize>,
    /// Why they are invalid.
    pub reason: &'static str,
}

impl fmt::Display for BrokenLine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.reason)
    }
}

impl Error for BrokenLine {}

/// Reads all lines. An invalid line does not prevent reading the next ones.
pub fn parse(text: &str) -> (Vec<Setting>, Vec<BrokenLine>) {
    let (mut settings, mut broken) = (Vec::new(), Vec::new());
    let mut at = 0;
    while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
        let line_end = at + rest.find('\n').unwrap_or(rest.len());
        let line = text.get(at..line_end).unwrap_or_default();
        let trimmed = line.trim_start();
        let start = at + line.len() - trimmed.len();
        let next = if trimmed.trim_end().is_empty() || trimmed.starts_with('#') {
            line_end
        } else {
            match setting(text, start, line_end) {
                Ok((setting, end)) => {
                    settings.push(setting);
                    end
                }
                Err(line) => {
                    broken.push(line);
                    line_end
                }
            }
        };
        at = next + 1;
    }
    (settings, broken)
}

/// Reads the setting that starts at byte `start`, and returns the end of its last line.
fn setting(text: &str, start: usize, line_end: usize) -> Result<(Setting, usize), BrokenLine> {
    let line = text.get(start..line_end).unwrap_or_default();
    let whole = start..start + line.trim_end().len();
    let broken = |reason| BrokenLine { at: whole.clone(), reason };
    let Some(equals) = line.find('=') else {
        return Err(broken("not KEY=value; a comment starts with #"));
    };
    let before = line.get(..equals).unwrap_or_default();
    let skipped = match before.strip_prefix("export") {
        Some(rest) if rest.starts_with([' ', '\t']) => before.len() - rest.trim_start().len(),
        _ => 0,
    };
    let key = before.get(skipped..).unwrap_or_default().trim_end();
    if key.is_empty() || key.contains(char::is_whitespace) {
        return Err(broken("a key has no spaces"));
    }
    let key_at = start + skipped..start + skipped + key.len();
    let after = line.get(equals + 1..).unwrap_or_default();
    let value_start = start + equals + 1 + after.len() - after.trim_start_matches([' ', '\t']).len();
    let rest = text.get(value_start..).unwrap_or_default();
    let (value, length) = match rest.chars().next() {
        Some(quote @ ('"' | '\'')) => quoted(rest, quote).ok_or_else(|| broken("unclosed quote"))?,
        _ => bare(text.get(value_start..line_end).unwrap_or_default()),
    };
    let value_at = value_start..value_start + length;
    let tail = text.get(value_at.end..).unwrap_or_default();
    let end = value_at.end + tail.find('\n').unwrap_or(tail.len());
    let left = text.get(value_at.end..end).unwrap_or_default().trim();
    if !left.is_empty() && !left.starts_with('#') {
        return Err(broken("text after the closing quote"));
    }
    Ok((Setting { key: key.to_owned(), key_at, value, value_at }, end))
}

/// Reads a value without quotes: up to a comment after a space, or to the end of the line.
fn bare(line: &str) -> (String, usize) {
    let comment = line
        .char_indices()
        .zip(std::iter::once(' ').chain(line.chars()))
        .find(|((_, c), before)| *c == '#' && before.is_whitespace())
        .map_or(line.len(), |((at, _), _)| at);
    let value = line.get(..comment).unwrap_or_default().trim_end();
    (value.to_owned(), value.len())
}

/// Reads a value in quotes, with its length including them; `None` if the closing quote is missing.
fn quoted(text: &str, quote: char) -> Option<(String, usize)> {
    let mut value = String::new();
    let mut chars = text.char_indices().skip(1);
    while let Some((at, c)) = chars.next() {
        match c {
            _ if c == quote => return Some((value.replace("\r\n", "\n"), at + 1)),
            '\\' if quote == '"' => {
                let (_, escaped) = chars.next()?;
                match escaped {
                    'n' => value.push('\n'),
                    'r' => value.push('\r'),
                    't' => value.push('\t'),
                    '"' | '\\' | '$' => value.push(escaped),
                    other => value.extend(['\\', other]),
                }
            }
            _ => value.push(c),
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pairs(text: &str) -> Vec<(String, String)> {
        let (settings, broken) = parse(text);
        assert_eq!(broken, []);
        for setting in &settings {
            assert_eq!(&text[setting.key_at.clone()], setting.key);
        }
        settings.into_iter().map(|setting| (setting.key, setting.value)).collect()
    }

    #[test]
    fn settings_lines_are_read() {
        let cases = [
            ("A=1", "1"),
            ("export A=1 # one", "1"),
            ("A = 1 ", "1"),
            ("A=", ""),
            ("A=a=b", "a=b"),
            ("A=a#b", "a#b"),
            ("A=# only a comment", ""),
            ("A='a\\n#b' # c", "a\\n#b"),
            ("A=\"a\\n\\\"b\\\\\"", "a\n\"b\\"),
            ("A=\"a\r\nb\"\r", "a\nb"),
            ("  A=ü\r\n", "ü"),
        ];
        for (text, value) in cases {
            assert_eq!(pairs(text), [("A".to_owned(), value.to_owned())], "{text:?}");
        }
        assert_eq!(pairs("# c\n\nA=1\r\nB='x\ny'\nC=3").len(), 3);
        assert_eq!(pairs(""), []);
    }

    #[test]
    fn a_broken_line_has_its_location_and_hides_no_other() {
        let (settings, broken) = parse("A=1\nnonsense\nB C=2\nD=\"x\" y\nE=5\nF='open");
        assert_eq!(settings.iter().map(|s| &*s.key).collect::<Vec<_>>(), ["A", "E"]);
        assert_eq!(broken.len(), 4);
        assert_eq!(broken[0].at, 4..12);
        assert!(broken[3].reason.contains("unclosed"));
    }
}
