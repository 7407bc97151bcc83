//! A text with stars in place of hidden ranges, escaped unsafe characters, and a map from old to new positions.

use std::fmt::Write as _;
use std::ops::Range;

use crate::escape::is_unsafe;

/// What is shown instead of a hidden range, whatever its length.
pub const STARS: &str = "****";

/// A text that is safe to show.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shown {
    /// The text. It has as many lines as before.
    pub text: String,
    /// For each change: the byte after it in the old text and in the new text.
    moves: Vec<(usize, usize)>,
}

impl Shown {
    /// The text with stars in place of some byte ranges, which may overlap, and with unsafe characters escaped.
    pub fn new(text: &str, covered: impl IntoIterator<Item = Range<usize>>) -> Self {
        Self::of(text, covered, true)
    }

    /// The text with stars in place of some byte ranges, otherwise unchanged.
    pub fn covering(text: &str, covered: impl IntoIterator<Item = Range<usize>>) -> String {
        Self::of(text, covered, false).text
    }

    fn of(text: &str, covered: impl IntoIterator<Item = Range<usize>>, escape: bool) -> Self {
        let mut ranges: Vec<Range<usize>> = covered.into_iter().filter(|range| !range.is_empty()).collect();
        ranges.sort_by_key(|range| range.start);
        let mut shown = Self { text: String::with_capacity(text.len()), moves: Vec::new() };
        let mut from = 0;
        for range in ranges {
            if range.end <= from {
                continue;
            }
            shown.plain(text, from, range.start.max(from), escape);
            shown.stars(text, range.start.max(from), range.end.min(text.len()));
            from = range.end;
        }
        shown.plain(text, from, text.len(), escape);
        shown
    }

    fn plain(&mut self, text: &str, from: usize, to: usize, escape: bool) {
        let part = text.get(from..to).unwrap_or_default();
        for (index, c) in part.char_indices() {
            if escape && is_unsafe(c) && !matches!(c, '\n' | '\t') {
                // Writing to a string cannot fail.
                let _ = write!(self.text, "\\u{:04X}", u32::from(c));
                self.moves.push((from + index + c.len_utf8(), self.text.len()));
            } else {
                self.text.push(c);
            }
        }
    }

    /// Adds stars for each line of a range, so that the number of lines does not change.
    fn stars(&mut self, text: &str, from: usize, to: usize) {
        let mut at = from;
        for line in text.get(from..to).unwrap_or_default().split_inclusive('\n') {
            let bare = line.trim_end_matches(['\n', '\r']);
            at += line.len();
            if !bare.trim().is_empty() {
                self.text.push_str(STARS);
            }
            if line.ends_with('\n') {
                self.text.push('\n');
            }
            self.moves.push((at, self.text.len()));
        }
    }

    /// The position of an old byte in the new text. A byte within a change moves to the end of the change.
    pub fn at(&self, old: usize) -> usize {
        let index = self.moves.partition_point(|(behind, _)| *behind <= old);
        let (behind, new) = index.checked_sub(1).and_then(|index| self.moves.get(index)).unwrap_or(&(0, 0));
        let plain = new + (old - behind);
        // Within the next change: at most its end.
        let limit = self.moves.get(index).map_or(self.text.len(), |(_, end)| *end);
        plain.min(limit)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spans_follow_the_text() {
        let text = "a = \"gull\"\u{1b} # x\nb = 'kelp\nweed'\n";
        let shown = Shown::new(
            text,
            ["gull", "kelp\nweed", "ull"].map(|part| {
                let from = text.find(part).unwrap();
                from..from + part.len()
            }),
        );
        assert_eq!(shown.text, "a = \"****\"\\u001B # x\nb = '****\n****'\n");
        for part in ["a = ", "\" ", "# x", "b = ", "'\n"] {
            let at = |text: &str| text.rfind(part);
            if let (Some(old), Some(new)) = (at(text), at(&shown.text)) {
                assert_eq!(shown.at(old), new, "{part:?}");
            }
        }
        assert_eq!(shown.at(text.len()), shown.text.len());
        assert_eq!(Shown::new("plain", []).text, "plain");
    }
}
