//! Hides secrets in messages.
//!
//! A message has places in files. A value that is hidden at one of these places is also hidden in the text of the
//! message, both as written and with its escapes resolved. A fix that would write the value is left out.

use std::collections::{BTreeMap, HashSet};
use std::ops::Range;

use aho_corasick::{AhoCorasick, AhoCorasickKind};

use super::stack::unescaped;
use super::{Shown, looks};
use crate::diag::{Diagnostic, Label, Report};
use crate::escape::escaped;
use crate::source::{FileId, Sources, Span};

/// Hides the secrets of one report.
pub struct Cover<'a> {
    sources: &'a Sources,
    /// The hidden parts of each file that the report mentions, sorted, without overlaps.
    hidden: BTreeMap<FileId, Vec<Range<usize>>>,
    /// The values that are hidden in every text.
    values: Option<AhoCorasick>,
}

/// How many hidden values of a part are searched in the rest of it.
const MOST_REPEATED: usize = 8;

/// How many bytes before and after a place are searched for hidden values.
const NEAR: usize = 400;

impl<'a> Cover<'a> {
    /// Finds what to hide in `report`, whose places are in `sources`.
    pub fn new(report: &Report, sources: &'a Sources) -> Self {
        let mut hidden: BTreeMap<FileId, Vec<Range<usize>>> = BTreeMap::new();
        let mut values: Vec<String> = report.hidden_texts().iter().map(ToString::to_string).collect();
        for span in report.hidden() {
            hidden.entry(span.file).or_default().push(span.range());
            let text = sources.text(*span);
            let inner = text.trim_matches(['"', '\'', '\n']);
            values.extend([inner.to_owned(), unescaped(inner, '"')]);
        }
        values.retain(|value| is_recognisable(value));
        values.sort();
        values.dedup();
        let files = report.findings().iter().flat_map(|finding| places(&finding.diagnostic));
        for file in files.map(|span| span.file).collect::<std::collections::BTreeSet<_>>() {
            let own = sources.file(file).map(|file| super::hidden(file).to_vec()).unwrap_or_default();
            hidden.entry(file).or_default().extend(own);
        }
        let hidden = hidden.into_iter().map(|(file, ranges)| (file, merged(ranges))).collect();
        // Other kinds take long to build for a long value that repeats itself.
        let kind = Some(AhoCorasickKind::ContiguousNFA);
        let search = || AhoCorasick::builder().kind(kind).ascii_case_insensitive(true).build(&values).ok();
        let values = if values.is_empty() { None } else { search() };
        Self { sources, hidden, values }
    }

    /// The hidden ranges in a part of a file.
    pub fn hidden(&self, file: FileId, part: &Range<usize>) -> &[Range<usize>] {
        let known = self.hidden.get(&file).map(Vec::as_slice);
        let ranges = known.or_else(|| self.sources.file(file).map(super::hidden)).unwrap_or_default();
        let from = ranges.partition_point(|range| range.end <= part.start);
        let to = ranges.partition_point(|range| range.start < part.end);
        ranges.get(from..to).unwrap_or_default()
    }

    /// A part of a file with its secrets hidden.
    pub fn source(&self, file: FileId, part: Range<usize>) -> Shown {
        let text = self.sources.file(file).and_then(|file| file.text.get(part.clone())).unwrap_or_default();
        let inside = self.hidden(file, &part).iter();
        let mut inside: Vec<Range<usize>> = inside
            .map(|range| range.start.saturating_sub(part.start)..range.end.min(part.end) - part.start)
            .collect();
        // A comment behind a secret may repeat it, without its references.
        let mut again = Vec::new();
        for range in inside.iter().take(MOST_REPEATED) {
            let (value, behind) = (text.get(range.clone()), text.get(range.end..).unwrap_or_default());
            for plain in value.into_iter().flat_map(|value| value.split(['{', '}'])) {
                let plain = plain.trim_matches(['"', '\'', ' ', '\n']);
                let found = behind.match_indices(plain).filter(|_| is_recognisable(plain));
                again.extend(found.map(|(at, _)| range.end + at..range.end + at + plain.len()));
            }
        }
        inside.extend(again);
        Shown::new(text, inside)
    }

    /// A text from values of the stack with its secrets hidden.
    pub fn value(&self, text: &str) -> String {
        let looks = looks::hits(text).into_iter().map(|hit| hit.range);
        let known = self.values.iter().flat_map(|values| values.find_iter(text)).map(|found| found.range());
        Shown::new(text, looks.chain(known)).text
    }

    /// The diagnostic with its secrets hidden. Its places do not change.
    #[must_use]
    pub fn diagnostic(&self, diagnostic: &Diagnostic) -> Diagnostic {
        let mut words = Words {
            values: self.values.as_ref(),
            near: Vec::new(),
            spoken_of: Vec::new(),
            visible: String::new(),
        };
        for span in places(diagnostic) {
            let Some(file) = self.sources.file(span.file) else { continue };
            let lines = file.lines_of(span);
            let around = lines.start.max((span.start as usize).saturating_sub(NEAR))
                ..lines.end.min(span.end as usize + NEAR);
            let hidden = self.hidden(span.file, &around);
            if hidden.is_empty() {
                continue;
            }
            let visible = self.source(span.file, around.clone()).text;
            words.visible.push_str(&visible);
            let words_visible: HashSet<&str, rustc_hash::FxBuildHasher> =
                visible.split(|c: char| !c.is_alphanumeric()).collect();
            for range in hidden {
                let text = file.text.get(range.clone()).unwrap_or_default();
                let written = text.trim_matches(['"', '\'', '\n', ' ']);
                // A word that is visible anyway, such as the name of the key, is not secret.
                if written.is_empty() || words_visible.contains(written) {
                    continue;
                }
                // What is left around a reference says nothing if it is as short as a slash.
                if written.len() < 4 && file.touches_public(range) {
                    continue;
                }
                let own = range.start < span.end as usize && range.end > span.start as usize;
                let into = if own { &mut words.spoken_of } else { &mut words.near };
                into.push(written.to_ascii_lowercase());
                let read = unescaped(written, '"');
                if read != written {
                    into.push(read.to_ascii_lowercase());
                }
            }
        }
        let label = |label: &Label| Label { span: label.span, text: words.text(&label.text) };
        Diagnostic {
            rule: diagnostic.rule,
            message: words.text(&diagnostic.message),
            primary: diagnostic.primary.as_ref().map(label),
            related: diagnostic.related.iter().map(label).collect(),
            help: diagnostic.help.iter().map(|help| words.text(help)).collect(),
            fix: diagnostic.fix.as_ref().filter(|fix| !self.hides(fix.span)).and_then(|fix| {
                let (replacement, title) = (words.text(&fix.replacement), words.text(&fix.title));
                // A fix with a hidden value cannot be applied.
                let whole = replacement == escaped(&fix.replacement);
                whole.then(|| crate::diag::Fix {
                    span: fix.span,
                    replacement: fix.replacement.clone(),
                    title,
                    is_certain: fix.is_certain,
                })
            }),
            owners: diagnostic.owners.clone(),
            only_in: diagnostic.only_in,
        }
    }

    /// Whether something at a place is hidden.
    pub(crate) fn hides(&self, span: Span) -> bool {
        let range = span.range();
        self.hidden(span.file, &range)
            .iter()
            .any(|hidden| hidden.start < range.end && hidden.end > range.start)
    }
}

/// Whether a value is recognisable as a secret. A common word is not, and hiding it would damage messages.
fn is_recognisable(value: &str) -> bool {
    value.len() >= 6 && !value.bytes().all(|byte| byte.is_ascii_lowercase())
}

/// The places of a diagnostic.
fn places(diagnostic: &Diagnostic) -> impl Iterator<Item = Span> + '_ {
    let labels = diagnostic.primary.iter().chain(&diagnostic.related).map(|label| label.span);
    labels.chain(diagnostic.fix.iter().map(|fix| fix.span))
}

/// The ranges, sorted; overlapping ones are joined.
pub(super) fn merged(mut ranges: Vec<Range<usize>>) -> Vec<Range<usize>> {
    ranges.retain(|range| !range.is_empty());
    ranges.sort_by_key(|range| range.start);
    let mut merged: Vec<Range<usize>> = Vec::with_capacity(ranges.len());
    for range in ranges {
        match merged.last_mut() {
            Some(last) if range.start <= last.end => last.end = last.end.max(range.end),
            _ => merged.push(range),
        }
    }
    merged
}

/// Hides secrets in the texts of one diagnostic.
struct Words<'a> {
    values: Option<&'a AhoCorasick>,
    /// The hidden values near its places, in small letters.
    near: Vec<String>,
    /// The hidden values at its places, in small letters.
    spoken_of: Vec<String>,
    /// What the file shows at its places: the name of a key, which is shown even if its value contains it.
    visible: String,
}

impl Words<'_> {
    fn text(&self, text: &str) -> String {
        let mut covered: Vec<Range<usize>> = Vec::new();
        if let Some(values) = self.values {
            covered.extend(values.find_iter(text).map(|found| found.range()));
        }
        // A name that the excerpt shows anyway: that of a key, also if its value contains it.
        let segments = quoted(text);
        let is_visible = |segment: &Range<usize>| {
            text.get(segment.clone()).is_some_and(|inner| !inner.is_empty() && self.visible.contains(inner))
        };
        let (visible, others): (Vec<_>, Vec<_>) = segments.into_iter().partition(is_visible);
        let long = self.near.iter().filter(|value| value.len() >= 4);
        let whole = long.chain(self.spoken_of.iter().filter(|value| value.len() >= 3));
        let small = text.to_ascii_lowercase();
        for value in whole {
            let found = small.match_indices(value.as_str()).map(|(at, found)| at..at + found.len());
            covered.extend(found.filter(|found| {
                !visible.iter().any(|name| name.start <= found.start && found.end <= name.end)
            }));
        }
        for segment in others {
            let inner = text.get(segment.clone()).unwrap_or_default();
            // A value of two characters is part of nearly everything.
            if self.spoken_of.iter().any(|value| value.len() >= 3 && is_part(inner, value)) {
                covered.push(segment);
            }
        }
        covered.extend(looks_in_prose(text));
        escaped(&Shown::new(text, covered).text).into_owned()
    }
}

/// The parts of a message that look secret: in backticks by the usual rules, outside of them by stricter ones.
pub(super) fn looks_in_prose(text: &str) -> Vec<Range<usize>> {
    let mut ranges = Vec::new();
    for segment in quoted(text) {
        let hits = looks::hits(text.get(segment.clone()).unwrap_or_default()).into_iter();
        ranges.extend(hits.map(|hit| segment.start + hit.range.start..segment.start + hit.range.end));
    }
    ranges.extend(looks::hits(text).into_iter().filter(|hit| hit.in_prose).map(|hit| hit.range));
    ranges
}

/// The parts of a text between backticks.
fn quoted(text: &str) -> Vec<Range<usize>> {
    let ticks: Vec<usize> = text.match_indices('`').map(|(at, _)| at).collect();
    ticks.chunks_exact(2).filter_map(|pair| Some(pair.first()? + 1..*pair.get(1)?)).collect()
}

/// Whether one text contains the other, comparing only letters and digits, so that other spellings match.
fn is_part(one: &str, other: &str) -> bool {
    let plain = |text: &str| -> String {
        text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
    };
    let (one, other) = (plain(one), plain(other));
    !one.is_empty() && !other.is_empty() && (one.contains(&other) || other.contains(&one))
}
