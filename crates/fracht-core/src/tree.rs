//! A stack file as a tree: every key and value with its place and its layer.
//!
//! Tables are shared (`Arc`), so that merging a target copies only the tables that it changes.

use std::sync::Arc;

use crate::ordered_map::OrderedMap;
use crate::origin::{Layer, Origin};
use crate::source::Span;

/// The entries of a table, in the order of the file.
pub type Entries = OrderedMap<Entry>;

/// The value of a key, and the place of the key.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Where the key is written.
    pub key_span: Span,
    /// Its value.
    pub node: Node,
}

impl Entry {
    /// An entry whose key has a syntax error, which has been reported: its name may be any.
    pub(crate) fn with_broken_key(key_span: Span) -> Self {
        let node = Node { value: Value::Tainted, span: key_span, layer: Layer::Stack, under: None };
        Self { key_span, node }
    }

    /// Whether the key has a syntax error.
    pub(crate) fn has_broken_key(&self) -> bool {
        matches!(self.node.value, Value::Tainted) && self.node.span == self.key_span
    }
}

/// A value with its place and layer.
#[derive(Clone, Debug)]
pub struct Node {
    /// The value.
    pub value: Value,
    /// Where it is written; for a table under a header, the header.
    pub span: Span,
    /// The layer that sets it.
    pub layer: Layer,
    /// The value of an earlier layer that this one overrides.
    pub under: Option<Arc<Node>>,
}

/// The kinds of values.
#[derive(Clone, Debug)]
pub enum Value {
    /// Text.
    Text(Arc<str>),
    /// An integer.
    Integer(i64),
    /// A number with a fraction. Only its text in the source is used.
    Float,
    /// `true` or `false`.
    Boolean(bool),
    /// A date or a time. No key takes one.
    Date,
    /// A list.
    List(Arc<[Node]>),
    /// A table.
    Table(Arc<Entries>),
    /// A value with a syntax error, which has been reported: every stage skips it.
    Tainted,
}

impl Value {
    /// The type of the value, as messages call it.
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

    /// Whether it is a number, `true` or `false`, so that it may be meant as a string.
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

    /// The items of a list; for any other value, that value alone.
    pub fn items(&self) -> &[Node] {
        match &self.value {
            Value::List(items) => items,
            _ => std::slice::from_ref(self),
        }
    }

    /// The node at a path of keys below this one.
    pub fn at(&self, path: &[&str]) -> Option<&Node> {
        path.iter().try_fold(self, |node, key| node.table()?.get(key).map(|entry| &entry.node))
    }

    /// Where the value comes from.
    pub fn origin(&self) -> Origin {
        Origin::Written { span: self.span, layer: self.layer }
    }
}
