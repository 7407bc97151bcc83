//! The definition as it was written: a tree in which every key and value keeps its place and its layer.
//!
//! Tables are shared (`Arc`), so that laying a target over a stack copies only what the target touches.

use std::hash::BuildHasherDefault;
use std::sync::Arc;

use indexmap::IndexMap;
use rustc_hash::FxHasher;

use crate::origin::{Layer, Origin};
use crate::source::Span;

/// A table's entries, in the order of the file.
pub type Entries = IndexMap<Arc<str>, Entry, BuildHasherDefault<FxHasher>>;

/// A key's place and its value.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Where the key is written.
    pub key_span: Span,
    /// What it is set to.
    pub node: Node,
}

/// A value as written.
#[derive(Clone, Debug)]
pub struct Node {
    /// The value.
    pub value: Value,
    /// Where it is written; for a table under a header, the header.
    pub span: Span,
    /// The layer that wrote it.
    pub layer: Layer,
    /// The value of an earlier layer that this one replaced.
    pub under: Option<Arc<Node>>,
}

/// The kinds of values.
#[derive(Clone, Debug)]
pub enum Value {
    /// Text.
    Text(Arc<str>),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction; its text is in the source.
    Float,
    /// `true` or `false`.
    Boolean(bool),
    /// A date or a time; nothing in the language takes one.
    Date,
    /// A list.
    List(Arc<[Node]>),
    /// A table.
    Table(Arc<Entries>),
    /// A value with a syntax error, already reported: every stage passes over it.
    Tainted,
}

impl Value {
    /// The kind of the value in words, as messages name it.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Text(_) => "a string",
            Self::Integer(_) => "an integer",
            Self::Float => "a number with a fraction",
            Self::Boolean(_) => "true or false",
            Self::Date => "a date or a time",
            Self::List(_) => "a list",
            Self::Table(_) => "a table",
            Self::Tainted => "broken",
        }
    }
}

impl Value {
    /// The text of a string.
    pub fn text(&self) -> Option<&Arc<str>> {
        match self {
            Self::Text(text) => Some(text),
            _ => None,
        }
    }

    /// Whether it is a number, `true` or `false`: it may have been meant as a string.
    pub fn is_plain(&self) -> bool {
        matches!(self, Self::Integer(_) | Self::Float | Self::Boolean(_))
    }
}

impl Node {
    /// The entries of a table.
    pub fn table(&self) -> Option<&Entries> {
        match &self.value {
            Value::Table(entries) => Some(entries),
            _ => None,
        }
    }

    /// The text of a string.
    pub fn text(&self) -> Option<&Arc<str>> {
        self.value.text()
    }

    /// The items of a list; a value that is none is its only item.
    pub fn items(&self) -> &[Node] {
        match &self.value {
            Value::List(items) => items,
            _ => std::slice::from_ref(self),
        }
    }

    /// The node at a path of keys below this one.
    pub fn at(&self, path: &[&str]) -> Option<&Node> {
        path.iter().try_fold(self, |node, key| node.table()?.get(*key).map(|entry| &entry.node))
    }

    /// Where the value came from.
    pub fn origin(&self) -> Origin {
        Origin::Written { span: self.span, layer: self.layer }
    }
}
