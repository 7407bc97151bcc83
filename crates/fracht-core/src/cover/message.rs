//! Messages as they may be shown.
//!
//! A message speaks of values at places. What is covered at these places is covered in the message too, as it is
//! written or as it was read; a fix that would write it again is left out.

use std::collections::BTreeMap;
use std::ops::Range;

use aho_corasick::AhoCorasick;

use super::stack::unescaped;
use super::{Shown, looks};
use crate::diag::{Diagnostic, Label, Report};
use crate::escape::escaped;
use crate::source::{FileId, Sources, Span};

/// Covers what a report says.
pub struct Cover<'a> {
    sources: &'a Sources,
    /// What is covered in each file that has been spoken of, sorted, without overlaps.
    hidden: BTreeMap<FileId, Vec<Range<usize>>>,
    /// The values that are covered wherever they turn up.
    values: Option<AhoCorasick>,
}

/// How far from the place of a message, in bytes, a value may be that it speaks of.
const NEAR: usize = 400;

impl<'a> Cover<'a> {
    /// Covers what `report` says of `sources`.
    pub fn new(report: &Report, sources: &'a Sources) -> Self {
        let mut hidden: BTreeMap<FileId, Vec<Range<usize>>> = BTreeMap::new();
        let mut values: Vec<String> = report.hidden_texts().iter().map(ToString::to_string).collect();
        for span in report.hidden() {
            hidden.entry(span.file).or_default().push(span.range());
            let text = sources.text(*span);
            let inner = text.trim_matches(['"', '\'', '\n']);
            values.extend([inner.to_owned(), unescaped(inner, '"')]);
        }
        // A common word says nothing, and would take words out of messages.
        values.retain(|value| value.len() >= 6 && !value.bytes().all(|byte| byte.is_ascii_lowercase()));
        values.sort();
        values.dedup();
        let files = report.findings().iter().flat_map(|finding| places(&finding.diagnostic));
        for file in files.map(|span| span.file).collect::<std::collections::BTreeSet<_>>() {
            let own = sources.file(file).map(|file| super::hidden(file).to_vec()).unwrap_or_default();
            hidden.entry(file).or_default().extend(own);
        }
        let hidden = hidden.into_iter().map(|(file, ranges)| (file, merged(ranges))).collect();
        let search = || AhoCorasick::builder().ascii_case_insensitive(true).build(&values).ok();
        let values = if values.is_empty() { None } else { search() };
        Self { sources, hidden, values }
    }

    /// What is covered in a part of a file.
    pub fn hidden(&self, file: FileId, part: &Range<usize>) -> &[Range<usize>] {
        let known = self.hidden.get(&file).map(Vec::as_slice);
        let ranges = known.or_else(|| self.sources.file(file).map(super::hidden)).unwrap_or_default();
        let from = ranges.partition_point(|range| range.end <= part.start);
        let to = ranges.partition_point(|range| range.start < part.end);
        ranges.get(from..to).unwrap_or_default()
    }

    /// A part of a file as it may be shown.
    pub fn source(&self, file: FileId, part: Range<usize>) -> Shown {
        let text = self.sources.file(file).and_then(|file| file.text.get(part.clone())).unwrap_or_default();
        let inside = self.hidden(file, &part).iter();
        let inside =
            inside.map(|range| range.start.saturating_sub(part.start)..range.end.min(part.end) - part.start);
        Shown::new(text, inside)
    }

    /// A text that comes from values of the stack, as it may be shown.
    pub fn value(&self, text: &str) -> String {
        let looks = looks::hits(text).into_iter().map(|hit| hit.range);
        let known = self.values.iter().flat_map(|values| values.find_iter(text)).map(|found| found.range());
        Shown::new(text, looks.chain(known)).text
    }

    /// The diagnostic as it may be shown. Its places stay.
    #[must_use]
    pub fn diagnostic(&self, diagnostic: &Diagnostic) -> Diagnostic {
        let mut words = Words { values: self.values.as_ref(), near: Vec::new(), spoken_of: Vec::new() };
        for span in places(diagnostic) {
            let Some(file) = self.sources.file(span.file) else { continue };
            let lines = file.lines_of(span);
            let around = lines.start.max((span.start as usize).saturating_sub(NEAR))
                ..lines.end.min(span.end as usize + NEAR);
            let visible = self.source(span.file, around.clone()).text;
            for range in self.hidden(span.file, &around) {
                let text = file.text.get(range.clone()).unwrap_or_default();
                let written = text.trim_matches(['"', '\'', '\n', ' ']);
                // What can be read beside it anyway, such as the name of the key, is no secret.
                let word = |c: char| !c.is_alphanumeric();
                let open = !written.contains(word) && visible.split(word).any(|other| other == written);
                if written.is_empty() || open {
                    continue;
                }
                let own = range.start < span.end as usize && range.end > span.start as usize;
                let into = if own { &mut words.spoken_of } else { &mut words.near };
                into.push(written.to_owned());
                let read = unescaped(written, '"');
                if read != written {
                    into.push(read);
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
                // What is covered can't be written.
                let whole = replacement == escaped(&fix.replacement);
                whole.then(|| crate::diag::Fix {
                    span: fix.span,
                    replacement: fix.replacement.clone(),
                    title,
                })
            }),
        }
    }

    /// Whether something at a place is covered.
    pub(crate) fn hides(&self, span: Span) -> bool {
        let range = span.range();
        self.hidden(span.file, &range)
            .iter()
            .any(|hidden| hidden.start < range.end && hidden.end > range.start)
    }
}

/// The places that a diagnostic speaks of.
fn places(diagnostic: &Diagnostic) -> impl Iterator<Item = Span> + '_ {
    let labels = diagnostic.primary.iter().chain(&diagnostic.related).map(|label| label.span);
    labels.chain(diagnostic.fix.iter().map(|fix| fix.span))
}

/// The ranges sorted, those that overlap as one.
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

/// The words of one diagnostic.
struct Words<'a> {
    values: Option<&'a AhoCorasick>,
    /// What is covered on the lines that it shows.
    near: Vec<String>,
    /// What is covered at the very places that it speaks of.
    spoken_of: Vec<String>,
}

impl Words<'_> {
    fn text(&self, text: &str) -> String {
        let mut covered: Vec<Range<usize>> = Vec::new();
        if let Some(values) = self.values {
            covered.extend(values.find_iter(text).map(|found| found.range()));
        }
        let long = self.near.iter().filter(|value| value.len() >= 4);
        let whole = long.chain(self.spoken_of.iter().filter(|value| value.len() >= 3));
        for value in whole {
            covered.extend(occurrences(text, value));
        }
        for segment in quoted(text) {
            let inner = text.get(segment.clone()).unwrap_or_default();
            if self.spoken_of.iter().any(|value| is_part(inner, value)) {
                covered.push(segment);
            }
        }
        covered.extend(looks_in_prose(text));
        escaped(&Shown::new(text, covered).text).into_owned()
    }
}

/// What looks secret in a text for people: anything in backticks, and outside of them what is no part of a sentence.
pub(super) fn looks_in_prose(text: &str) -> Vec<Range<usize>> {
    let mut ranges = Vec::new();
    for segment in quoted(text) {
        let hits = looks::hits(text.get(segment.clone()).unwrap_or_default()).into_iter();
        ranges.extend(hits.map(|hit| segment.start + hit.range.start..segment.start + hit.range.end));
    }
    ranges.extend(looks::hits(text).into_iter().filter(|hit| hit.in_prose).map(|hit| hit.range));
    ranges
}

/// Where a value stands in a text, in capital or small letters.
fn occurrences(text: &str, value: &str) -> Vec<Range<usize>> {
    let (small, value) = (text.to_ascii_lowercase(), value.to_ascii_lowercase());
    small.match_indices(&value).map(|(at, found)| at..at + found.len()).collect()
}

/// The parts of a text that stand between backticks.
fn quoted(text: &str) -> Vec<Range<usize>> {
    let ticks: Vec<usize> = text.match_indices('`').map(|(at, _)| at).collect();
    ticks.chunks_exact(2).filter_map(|pair| Some(pair.first()? + 1..*pair.get(1)?)).collect()
}

/// Whether one of the two holds the other, looking at letters and digits alone: what was spelled in another way is the
/// same.
fn is_part(one: &str, other: &str) -> bool {
    let plain = |text: &str| -> String {
        text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
    };
    let (one, other) = (plain(one), plain(other));
    !one.is_empty() && !other.is_empty() && (one.contains(&other) || other.contains(&one))
}
