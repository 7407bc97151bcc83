//! Parts of the stack in terms of Kubernetes objects: patches, and objects that are passed through.

use std::ops::Range;
use std::path::PathBuf;
use std::sync::Arc;

use crate::grammar::word::Word;
use crate::source::{FileId, Span};

/// A change to a generated object.
#[derive(Clone, Debug)]
pub struct Patch {
    /// The kind of the object.
    pub kind: Arc<str>,
    /// Its name.
    pub name: Arc<str>,
    /// Where kind and name are written.
    pub span: Span,
    /// The change.
    pub change: PatchChange,
    /// The fields of a merge, each by its path with dots between names, with the place of its key.
    pub fields: Vec<(String, Span)>,
}

impl Patch {
    /// Where a field of an object is set, or the nearest field above it; `on` if that is not in this patch.
    pub fn place(&self, path: &str) -> Span {
        let above = |field: &str| {
            path.strip_prefix(field).is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[']))
        };
        let nearest =
            self.fields.iter().filter(|(field, _)| above(field)).max_by_key(|(field, _)| field.len());
        nearest.map_or(self.span, |(_, span)| *span)
    }
}

/// How an object is changed.
#[derive(Clone, Debug)]
pub enum PatchChange {
    /// A JSON Merge Patch (RFC 7396).
    Merge(Raw),
    /// A JSON Patch (RFC 6902): its operations, each with its place.
    Operations(Vec<(Raw, Span)>),
}

/// What an operation of a JSON Patch does (RFC 6902, section 4).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OperationKind {
    /// Adds a value.
    Add,
    /// Removes a value.
    Remove,
    /// Replaces a value.
    Replace,
    /// Moves a value.
    Move,
    /// Copies a value.
    Copy,
    /// Tests that a value is there.
    Test,
}

impl Word for OperationKind {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("add", Self::Add),
        ("remove", Self::Remove),
        ("replace", Self::Replace),
        ("move", Self::Move),
        ("copy", Self::Copy),
        ("test", Self::Test),
    ];
}

/// A JSON value (RFC 8259) without null, which TOML does not have.
#[derive(Clone, Debug, PartialEq)]
pub enum Raw {
    /// `true` or `false`.
    Boolean(bool),
    /// An integer.
    Integer(i64),
    /// A number with a fraction.
    Float(f64),
    /// Text.
    Text(Arc<str>),
    /// A list.
    List(Vec<Raw>),
    /// A table, in the order of the file.
    Table(Vec<(Arc<str>, Raw)>),
}

/// A file of objects that are added unchanged.
#[derive(Clone, Debug)]
pub struct Passed {
    /// The resolved path of the file.
    pub path: PathBuf,
    /// The file, for places in it.
    pub file: FileId,
    /// The path as messages show it.
    pub shown: String,
    /// Where the path, or the pattern that matches it, is written.
    pub span: Span,
    /// Its text.
    pub text: Arc<str>,
}

impl Passed {
    /// The place of some bytes of its text.
    pub fn place(&self, range: Range<usize>) -> Span {
        Span::new(self.file, range)
    }

    /// The place of a line, counted from 1.
    pub fn line(&self, line: usize) -> Span {
        let before = self.text.split_inclusive('\n').take(line.saturating_sub(1));
        let start = before.map(str::len).sum::<usize>();
        let rest = self.text.get(start..).unwrap_or_default();
        self.place(start..start + rest.find('\n').unwrap_or(rest.len()))
    }
}
