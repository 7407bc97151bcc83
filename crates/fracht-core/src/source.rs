//! The files of a stack, and the line and column of a position in one.
//!
//! Every value that is read from a file keeps its [`Span`], which is small and `Copy`. [`Sources`] has the texts.

use std::collections::{BTreeSet, HashMap};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use crate::escape::escaped;

/// A file in [`Sources`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(u32);

/// A range of bytes in one file, from `start` up to but not including `end`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span {
    /// The file that the bytes are in.
    pub file: FileId,
    /// The first byte.
    pub start: u32,
    /// The end: one past the last byte.
    pub end: u32,
}

impl Span {
    /// The span of a byte range from a parser.
    pub(crate) fn new(file: FileId, range: Range<usize>) -> Self {
        // Files over 64 MiB are refused before they are parsed, so that positions fit.
        let short = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        Self { file, start: short(range.start), end: short(range.end) }
    }

    /// The bytes, as a range of indexes into the text of the file.
    pub fn range(self) -> Range<usize> {
        self.start as usize..self.end as usize
    }

    /// Whether two spans share a byte or touch.
    pub fn overlaps(self, other: Span) -> bool {
        self.file == other.file && self.start <= other.end && other.start <= self.end
    }

    /// The part of this span between two offsets from its start, in bytes, cut to the span.
    #[must_use]
    pub(crate) fn part(self, from: usize, to: usize) -> Span {
        let at = |offset: usize| {
            self.start.saturating_add(u32::try_from(offset).unwrap_or(u32::MAX)).min(self.end)
        };
        Span { file: self.file, start: at(from), end: at(to) }
    }
}

/// Sorted places, each with the furthest end so far, so that a binary search finds an overlap.
pub(crate) struct Places {
    sorted: Vec<(Span, u32)>,
}

impl Places {
    /// Sorts places.
    pub(crate) fn of(places: impl Iterator<Item = Span>) -> Self {
        let mut sorted: Vec<(Span, u32)> = places.map(|span| (span, span.end)).collect();
        sorted.sort();
        let mut before: Option<(Span, u32)> = None;
        for (span, furthest) in &mut sorted {
            if let Some((_, end)) = before.filter(|(other, _)| other.file == span.file) {
                *furthest = end.max(*furthest);
            }
            before = Some((*span, *furthest));
        }
        Self { sorted }
    }

    /// Whether one of the places shares a byte with `place`, or touches it.
    pub(crate) fn overlap(&self, place: Span) -> bool {
        let behind =
            self.sorted.partition_point(|(span, _)| (span.file, span.start) <= (place.file, place.end));
        let last = behind.checked_sub(1).and_then(|index| self.sorted.get(index));
        last.is_some_and(|(span, furthest)| span.file == place.file && *furthest >= place.start)
    }
}

/// A line and a column, both from 1. Columns count characters, not bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Position {
    /// The line, from 1.
    pub line: usize,
    /// The column in characters, from 1.
    pub column: usize,
}

/// One file that was read.
#[derive(Debug)]
pub struct SourceFile {
    /// Where the file is.
    pub path: PathBuf,
    /// The path as messages show it: relative to the folder of the stack file.
    pub shown: String,
    /// Its text, without a byte-order mark.
    pub text: Arc<str>,
    syntax: Syntax,
    lines: OnceLock<Vec<u32>>,
    /// The parts of a file with secrets that are none: references, and what a config takes. Start and end of each.
    public: BTreeSet<(usize, usize)>,
    hidden: OnceLock<Vec<Range<usize>>>,
}

/// The syntax of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Syntax {
    /// TOML: a stack file.
    Stack,
    /// `KEY=value` lines.
    Lines,
    /// `KEY=value` lines with secrets.
    SecretLines,
    /// Any text that is a secret.
    Secret,
    /// Objects of a cluster, in YAML or JSON.
    Objects,
    /// Any other text: the content of a file that a config takes as it is.
    Other,
}

impl SourceFile {
    /// Its syntax.
    pub fn syntax(&self) -> Syntax {
        self.syntax
    }

    /// The byte at which each line starts.
    fn lines(&self) -> &[u32] {
        self.lines.get_or_init(|| {
            let breaks = memchr::memchr_iter(b'\n', self.text.as_bytes());
            std::iter::once(0).chain(breaks.map(|at| u32::try_from(at + 1).unwrap_or(u32::MAX))).collect()
        })
    }

    /// The line, from 1, that byte `at` is on.
    pub fn line_of(&self, at: u32) -> usize {
        self.lines().partition_point(|start| *start <= at).max(1)
    }

    /// The bytes of all lines that a span touches.
    pub fn lines_of(&self, span: Span) -> Range<usize> {
        let last = self.line_of(span.end.max(span.start.saturating_add(1)) - 1);
        self.line_range(self.line_of(span.start)).start..self.line_range(last).end
    }

    /// What [`cover::hidden`](crate::cover::hidden) finds in the text, kept after the first call.
    pub(crate) fn hidden_by(&self, find: impl FnOnce(&Self) -> Vec<Range<usize>>) -> &[Range<usize>] {
        self.hidden.get_or_init(|| find(self))
    }

    /// The ranges without those parts of them that are no secrets. `ranges` are sorted, without overlaps.
    pub(crate) fn without_public(&self, ranges: Vec<Range<usize>>) -> Vec<Range<usize>> {
        let mut public = self.public.iter().copied().peekable();
        let mut left = Vec::with_capacity(ranges.len());
        for mut range in ranges {
            while let Some((start, end)) = public.next_if(|(start, _)| *start < range.end) {
                left.push(range.start..start.max(range.start));
                range.start = end.clamp(range.start, range.end);
            }
            left.push(range);
        }
        left.retain(|range| !range.is_empty());
        left
    }

    /// Whether a part that is no secret touches some bytes.
    pub(crate) fn touches_public(&self, range: &Range<usize>) -> bool {
        let before = self.public.range(..(range.start, 0)).next_back();
        let behind = self.public.range((range.end, 0)..).next();
        before.is_some_and(|(_, end)| *end == range.start)
            || behind.is_some_and(|(start, _)| *start == range.end)
    }

    /// The bytes of a line, from 1, without its line break; empty if the file has no such line.
    pub fn line_range(&self, line: usize) -> Range<usize> {
        let lines = self.lines();
        let Some(start) = line.checked_sub(1).and_then(|index| lines.get(index)) else {
            return 0..0;
        };
        let start = *start as usize;
        let end = lines.get(line).map_or(self.text.len(), |next| *next as usize);
        let text = self.text.get(start..end).unwrap_or_default();
        start..start + text.trim_end_matches(['\n', '\r']).len()
    }
}

/// All the files of one stack.
#[derive(Debug, Default)]
pub struct Sources {
    files: Vec<SourceFile>,
    by_path: HashMap<PathBuf, FileId, rustc_hash::FxBuildHasher>,
}

impl Sources {
    /// Adds a file. Adding the same path again returns the same id.
    pub fn add(&mut self, path: &Path, shown: &str, text: Arc<str>, syntax: Syntax) -> FileId {
        if let Some(known) = self.by_path.get(path) {
            return *known;
        }
        let id = FileId(u32::try_from(self.files.len()).unwrap_or(u32::MAX));
        let (lines, hidden) = (OnceLock::new(), OnceLock::new());
        // The path is shown in messages, listings and comments: no character of it may act on a terminal.
        let shown = escaped(shown).into_owned();
        let (path_of, public) = (path.to_owned(), BTreeSet::new());
        self.files.push(SourceFile { path: path_of, shown, text, syntax, lines, public, hidden });
        self.by_path.insert(path.to_owned(), id);
        id
    }

    /// Adds the files of another stack. The result has the id of each here, in their order there.
    pub fn adopt(&mut self, other: &Sources) -> Adopted {
        let add = |file: &SourceFile| {
            let id = self.add(&file.path, &file.shown, Arc::clone(&file.text), file.syntax);
            if let Some(own) = self.files.get_mut(id.0 as usize) {
                own.public.extend(&file.public);
                own.hidden = OnceLock::new();
            }
            id
        };
        Adopted(other.files.iter().map(add).collect())
    }

    /// Notes a part of a file with secrets that is none.
    pub(crate) fn publish(&mut self, part: Span) {
        let Some(file) = self.files.get_mut(part.file.0 as usize) else { return };
        if file.public.insert((part.start as usize, part.end as usize)) {
            file.hidden = OnceLock::new();
        }
    }

    /// The file at a path.
    pub fn find(&self, path: &Path) -> Option<&SourceFile> {
        self.by_path.get(path).and_then(|id| self.file(*id))
    }

    /// The file of an id; `None` only for an id of other sources.
    pub fn file(&self, id: FileId) -> Option<&SourceFile> {
        self.files.get(id.0 as usize)
    }

    /// The line and column at which a span starts.
    pub fn position(&self, span: Span) -> Position {
        let Some(file) = self.file(span.file) else { return Position { line: 1, column: 1 } };
        let line = file.line_of(span.start);
        let start = file.line_range(line).start;
        let before = file.text.get(start..span.start as usize).unwrap_or_default();
        Position { line, column: before.chars().count() + 1 }
    }

    /// The `file:line` of a span, as messages and listings show it.
    pub fn location(&self, span: Span) -> String {
        match self.file(span.file) {
            Some(file) => format!("{}:{}", file.shown, file.line_of(span.start)),
            None => "?:1".to_owned(),
        }
    }

    /// The text of a span; empty for a span of other sources.
    pub fn text(&self, span: Span) -> &str {
        let file = self.file(span.file);
        file.and_then(|file| file.text.get(span.start as usize..span.end as usize)).unwrap_or_default()
    }
}

/// The files of another stack, among those of this one.
#[derive(Clone, Debug)]
pub struct Adopted(Vec<FileId>);

impl Adopted {
    /// A place of the other stack, in the files of this one.
    pub fn place(&self, span: Span) -> Span {
        let file = self.0.get(span.file.0 as usize).copied().unwrap_or(span.file);
        Span { file, ..span }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_count_characters_also_after_carriage_returns() {
        let mut sources = Sources::default();
        let text = "a = 1\r\nü = 'é'\r\n\r\nlast";
        let file = sources.add(Path::new("/s/f.toml"), "f.toml", text.into(), Syntax::Stack);
        let at = |needle: &str| {
            let start = text.find(needle).unwrap();
            Span::new(file, start..start + needle.len())
        };
        assert_eq!(sources.position(at("a")), Position { line: 1, column: 1 });
        assert_eq!(sources.position(at("'é'")), Position { line: 2, column: 5 });
        assert_eq!(sources.position(at("last")), Position { line: 4, column: 1 });
        assert_eq!(sources.location(at("last")), "f.toml:4");
        let shown = sources.file(file).unwrap();
        assert_eq!(&text[shown.line_range(2)], "ü = 'é'");
        assert_eq!(shown.line_range(3).len(), 0);
        assert_eq!(shown.line_range(9), 0..0);
        assert_eq!(sources.add(Path::new("/s/f.toml"), "f.toml", "".into(), Syntax::Stack), file);
    }
}
