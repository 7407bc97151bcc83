//! What the vocabulary has no word for: changes to objects, and objects taken as they are.

use std::path::PathBuf;
use std::sync::Arc;

use crate::grammar::word::Word;
use crate::source::Span;

/// A change to an object that the stack becomes.
#[derive(Clone, Debug)]
pub struct Patch {
    /// The kind of the object.
    pub kind: Arc<str>,
    /// Its name.
    pub name: Arc<str>,
    /// Where the two are written.
    pub span: Span,
    /// The change.
    pub change: PatchChange,
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

/// A value of any shape, as JSON has them (RFC 8259). TOML has no null.
#[derive(Clone, Debug, PartialEq)]
pub enum Raw {
    /// `true` or `false`.
    Boolean(bool),
    /// A whole number.
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

/// A file of objects that are taken as they are.
#[derive(Clone, Debug)]
pub struct Passed {
    /// The file, resolved.
    pub path: PathBuf,
    /// The file as messages call it.
    pub shown: String,
    /// Where it, or the pattern that it fits, is named.
    pub span: Span,
    /// Its text.
    pub text: Arc<str>,
}
