//! Repairs a text with syntax errors, line by line, so that all other lines can be read.
//!
//! After an error the parser guesses how to go on, and often reports or loses lines that are right. So only the first
//! error is taken; its line becomes a valid one with the same key, and the text is parsed again.

use std::collections::BTreeMap;
use std::ops::Range;

use toml::de::{DeTable, Error};

use super::errors::is_duplicate;
use super::unclosed::{self, Lines, Unclosed, is_key};

/// The most bytes that are parsed to find errors one by one. What is wrong in the rest is reported at once.
const MOST_BYTES: usize = 32 << 20;
/// The most errors that are found one by one.
pub(super) const MOST_ERRORS: usize = 50;

/// A text of which broken lines are replaced by valid ones.
pub(super) struct Repaired<'t> {
    /// The text as it is.
    old: &'t str,
    /// The valid text.
    pub(super) text: String,
    /// The replaced bytes of the old text with their replacements, by their start.
    edits: BTreeMap<usize, (usize, String)>,
    moves: Moves,
    /// What is not closed.
    pub(super) unclosed: Vec<Unclosed>,
    /// The errors that were found one by one, with their places in the old text.
    pub(super) errors: Vec<(Range<usize>, Error)>,
}

/// The replacements of a repaired text, in its order: where each is in the new text, and what is there in the old one.
#[derive(Clone, Debug, Default)]
pub(super) struct Moves(Vec<(Range<usize>, Range<usize>)>);

impl Moves {
    /// The place in the old text of a byte of the new one. One in a replacement is at the same distance from its start.
    fn old(&self, byte: usize) -> usize {
        let index = self.0.partition_point(|(new, _)| new.start <= byte);
        let Some((new, old)) = index.checked_sub(1).and_then(|index| self.0.get(index)) else { return byte };
        if byte < new.end {
            (old.start + (byte - new.start)).min(old.end)
        } else {
            old.end + (byte - new.end)
        }
    }

    /// The bytes of the old text of those of the new one.
    pub(super) fn old_range(&self, new: Range<usize>) -> Range<usize> {
        let start = self.old(new.start);
        start..self.old(new.end).max(start)
    }
}

/// What a broken line becomes.
enum Repair {
    /// A valid header.
    Header(String),
    /// A key with a value, which is broken.
    Key(String),
    /// Nothing.
    Blank,
}

/// The header or the key that a broken line has.
fn repair(line: &str) -> Repair {
    let content = line.split(" #").next().unwrap_or_default().trim();
    let bare = content.split('#').next().unwrap_or_default().trim();
    let name = bare.trim_matches(['[', ']', ' ', '\t']);
    if bare.starts_with('[')
        && bare.ends_with(']')
        && let Some(name) = joined(name)
    {
        return Repair::Header(format!("[{name}]"));
    }
    if (bare.starts_with('[') || bare.ends_with(']') && !bare.contains(['=', ','])) && is_key(name) {
        return Repair::Header(if bare.starts_with("[[") || bare.ends_with("]]") {
            format!("[[{name}]]")
        } else {
            format!("[{name}]")
        });
    }
    let end = content.find(['=', ':', ' ', '\t']).unwrap_or(content.len());
    let key = content.get(..end).unwrap_or_default();
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_.\"'/".contains(c);
    let quotes = |quote: char| key.matches(quote).count() % 2 == 0;
    if !key.is_empty()
        && key.chars().all(plain)
        && is_key(key)
        && quotes('"')
        && quotes('\'')
        && !key.contains("..")
    {
        return Repair::Key(format!("{key} = 0"));
    }
    Repair::Blank
}

/// The name of a header with blanks in it: `service.api` for `service api`, `service.tide-gauge` for `service.tide gauge`.
pub(super) fn joined(name: &str) -> Option<String> {
    let words: Vec<&str> = name.split([' ', '\t', '/', ':']).filter(|word| !word.is_empty()).collect();
    let plain = |word: &&str| word.chars().all(|c| c.is_ascii_alphanumeric() || "-_.".contains(c));
    if words.len() < 2 || !words.iter().all(plain) {
        return None;
    }
    let (first, rest) = words.split_first()?;
    let name = if first.contains('.') { words.join("-") } else { format!("{first}.{}", rest.join("-")) };
    is_key(&name).then_some(name)
}

impl<'t> Repaired<'t> {
    /// Repairs a text; the errors that are left are those of [`Self::rest`].
    pub(super) fn of(old: &'t str) -> (Self, Vec<Error>) {
        let Lines { unclosed, starts } = unclosed::find(old);
        let mut repaired = Self {
            old,
            text: String::new(),
            edits: BTreeMap::new(),
            moves: Moves::default(),
            unclosed: Vec::new(),
            errors: Vec::new(),
        };
        for one in &unclosed {
            repaired.close(one);
        }
        repaired.unclosed = unclosed;
        let rounds = (MOST_BYTES / old.len().max(1)).clamp(2, MOST_ERRORS);
        for _ in 0..rounds {
            repaired.apply();
            let (_, errors) = DeTable::parse_recoverable(&repaired.text);
            let first = errors
                .into_iter()
                .filter(|error| !is_duplicate(error))
                .min_by_key(|error| error.span().map_or(0, |span| span.start));
            let Some(first) = first else { return (repaired, Vec::new()) };
            let place = repaired.old_range(first.span().unwrap_or(0..0));
            if !repaired.replace_line(&starts, place.start) {
                break;
            }
            repaired.errors.push((place, first));
        }
        repaired.apply();
        let (_, errors) = DeTable::parse_recoverable(&repaired.text);
        (repaired, errors.into_iter().filter(|error| !is_duplicate(error)).collect())
    }

    /// Replaces what is not closed.
    fn close(&mut self, one: &Unclosed) {
        let range = one.range(self.old);
        let text = self.old.get(range.clone()).unwrap_or_default();
        let valid = if one.is_header() {
            format!("[[{}]]", text.trim_matches(['[', ']', ' ', '\t']))
        } else {
            "0".to_owned()
        };
        self.edits.insert(range.start, (range.end, valid));
    }

    /// Replaces the line of a byte, the second time by nothing; false if that has been done as well.
    fn replace_line(&mut self, starts: &[usize], at: usize) -> bool {
        let index = starts.partition_point(|start| *start <= at).saturating_sub(1);
        let start = starts.get(index).copied().unwrap_or(0);
        let end = starts.get(index + 1).copied().unwrap_or(self.old.len());
        let text = self.old.get(start..end).unwrap_or_default();
        let (lead, bare) = (text.len() - text.trim_start().len(), text.trim_end());
        let range = start + lead.min(bare.len())..start + bare.len();
        let before: Vec<usize> =
            self.edits.range(start..end.max(start + 1)).map(|(start, _)| *start).collect();
        let blank = before
            .iter()
            .any(|at| self.edits.get(at).is_some_and(|(end, text)| *end == range.end && text.is_empty()));
        if blank || range.is_empty() {
            return false;
        }
        let was_whole = before
            .iter()
            .any(|at| *at == range.start && self.edits.get(at).is_some_and(|(end, _)| *end == range.end));
        for at in before {
            self.edits.remove(&at);
        }
        let valid = match repair(self.old.get(range.clone()).unwrap_or_default()) {
            Repair::Header(text) | Repair::Key(text) if !was_whole => text,
            _ => String::new(),
        };
        self.edits.insert(range.start, (range.end, valid));
        true
    }

    /// Writes the new text.
    fn apply(&mut self) {
        self.text.clear();
        self.moves.0.clear();
        let mut at = 0;
        for (start, (end, valid)) in &self.edits {
            self.text.push_str(self.old.get(at..*start).unwrap_or_default());
            let from = self.text.len();
            self.text.push_str(valid);
            self.moves.0.push((from..self.text.len(), *start..*end));
            at = *end;
        }
        self.text.push_str(self.old.get(at..).unwrap_or_default());
    }

    /// The bytes of the old text of those of the new one.
    pub(super) fn old_range(&self, new: Range<usize>) -> Range<usize> {
        self.moves.old_range(new)
    }

    /// Where the bytes of the new text are in the old one.
    pub(super) fn moved(&self) -> Moves {
        self.moves.clone()
    }

    /// Whether a text had to be repaired.
    pub(super) fn is_changed(&self) -> bool {
        !self.edits.is_empty()
    }

    /// The replaced bytes of the old text, except for those of headers, which are read.
    pub(super) fn broken(&self) -> impl Iterator<Item = Range<usize>> + '_ {
        let values = self.edits.iter().filter(|(_, (_, text))| !text.starts_with('['));
        values.map(|(start, (end, _))| *start..*end)
    }

    /// The first bytes of the lines of which nothing is left, so that any key may be missing, and of headers, which may be
    /// the rest of something else.
    pub(super) fn lost(&self) -> impl Iterator<Item = usize> + '_ {
        let lost = |text: &str| text.is_empty() || text.starts_with('[');
        self.edits.iter().filter(move |(_, (_, text))| lost(text)).map(|(start, _)| *start)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lines_beside_a_broken_one_are_read() {
        let text = "[a]\nx = 1\ny 2\nz = [1,\n 2 3,\n]\n[b\nw = 4\nv = 'open\nq = { r 1 }\nc]\ns = 5\n";
        let (repaired, rest) = Repaired::of(text);
        assert!(rest.is_empty(), "{rest:?}");
        assert_eq!(repaired.text, "[a]\nx = 1\ny = 0\nz = 0\n[b]\nw = 4\nv = 0\nq = 0\n[c]\ns = 5\n");
        let lines: Vec<usize> =
            repaired.errors.iter().map(|(at, _)| text[..at.start].matches('\n').count() + 1).collect();
        assert_eq!(lines, [3, 5, 7, 9, 10, 11]);
        for word in ["x = 1", "w = 4", "s = 5"] {
            let new = repaired.text.find(word).unwrap();
            assert_eq!(repaired.moves.old(new), text.find(word).unwrap(), "{word}");
        }
    }
}
