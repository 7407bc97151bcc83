//! Takes the values of a table by key and shape.

use std::ops::RangeInclusive;
use std::sync::Arc;

use super::Reader;
use crate::model::Text;
use crate::origin::At;
use crate::resolve::{self, Allow};
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

/// A table whose keys are fixed.
#[derive(Clone, Copy)]
pub(super) struct Fields<'t> {
    entries: Option<&'t Entries>,
    /// Where the table's name is written.
    pub(super) span: Span,
}

impl<'t> Fields<'t> {
    /// The fields of a table; none for a value that is no table.
    pub(super) fn of(entry: &'t Entry, reader: &mut Reader<'_>) -> Self {
        let entries = entry.node.table();
        if entries.is_none() {
            reader.lose(entry.node.span);
        }
        Self { entries, span: entry.key_span }
    }

    /// Whether it is a table and does not have a key. What is no table has been told already.
    pub(super) fn lacks(&self, key: &str) -> bool {
        self.entries.is_some_and(|entries| !entries.contains_key(key))
    }

    /// Whether it is a table at all.
    pub(super) fn is_table(&self) -> bool {
        self.entries.is_some()
    }

    pub(super) fn entry(&self, key: &str) -> Option<&'t Entry> {
        self.entries?.get(key)
    }

    pub(super) fn node(&self, key: &str) -> Option<&'t Node> {
        self.entry(key).map(|entry| &entry.node)
    }

    /// The entries of a table of people's own names.
    pub(super) fn map(
        &self,
        reader: &mut Reader<'_>,
        key: &str,
    ) -> impl Iterator<Item = (&'t Arc<str>, &'t Entry)> + use<'t> {
        let node = self.node(key);
        let entries = node.and_then(Node::table);
        if let (Some(node), None) = (node, entries) {
            reader.lose(node.span);
        }
        entries.into_iter().flatten()
    }

    /// The value of `key` as `read` makes it of the node; noted as lost if it makes nothing.
    fn value<T>(
        &self,
        reader: &mut Reader<'_>,
        key: &str,
        read: impl FnOnce(&Node) -> Option<T>,
    ) -> Option<At<T>> {
        let node = self.node(key)?;
        let value = read(node);
        if value.is_none() {
            reader.lose(node.span);
        }
        value.map(|value| At { value, origin: node.origin() })
    }

    /// Plain text.
    pub(super) fn plain(&self, reader: &mut Reader<'_>, key: &str) -> Option<At<Arc<str>>> {
        self.value(reader, key, |node| node.text().map(Arc::clone))
    }

    /// `true` or `false`.
    pub(super) fn boolean(&self, reader: &mut Reader<'_>, key: &str) -> Option<At<bool>> {
        self.value(reader, key, |node| match node.value {
            Value::Boolean(value) => Some(value),
            _ => None,
        })
    }

    /// A whole number in a range.
    pub(super) fn number(
        &self,
        reader: &mut Reader<'_>,
        key: &str,
        range: RangeInclusive<u32>,
    ) -> Option<At<u32>> {
        self.value(reader, key, |node| match node.value {
            Value::Integer(number) => u32::try_from(number).ok().filter(|n| range.contains(n)),
            _ => None,
        })
    }

    /// A port number.
    pub(super) fn port(&self, reader: &mut Reader<'_>, key: &str) -> Option<At<u16>> {
        self.value(reader, key, port_number)
    }

    /// One of some words.
    pub(super) fn word<T: Copy>(
        &self,
        reader: &mut Reader<'_>,
        key: &str,
        words: &[(&str, T)],
    ) -> Option<At<T>> {
        self.value(reader, key, |node| one_of(node, words))
    }

    /// A value of a small grammar, written as text or as a number.
    pub(super) fn small<T>(
        &self,
        reader: &mut Reader<'_>,
        key: &str,
        parse: fn(&str) -> Result<T, String>,
    ) -> Option<At<T>> {
        let node = self.node(key)?;
        let written = reader.scalar(node)?;
        self.value(reader, key, |_| parse(&written).ok())
    }

    /// A list of texts with references.
    pub(super) fn texts(&self, reader: &mut Reader<'_>, key: &str) -> Option<Vec<Text>> {
        let items = self.items(reader, key)?;
        Some(items.iter().filter_map(|item| reader.text(item, Allow::All)).collect())
    }

    /// A list of plain texts.
    pub(super) fn plains(&self, reader: &mut Reader<'_>, key: &str) -> Option<Vec<At<Arc<str>>>> {
        let items = self.items(reader, key)?;
        let read = |item: &Node| match item.text() {
            Some(text) => Some(At { value: Arc::clone(text), origin: item.origin() }),
            None => {
                reader.lose(item.span);
                None
            }
        };
        Some(items.iter().filter_map(read).collect())
    }

    /// Plain texts that stand alone or in a list.
    pub(super) fn one_or_list(&self, reader: &mut Reader<'_>, key: &str) -> Vec<At<Arc<str>>> {
        match self.node(key).map(|node| &node.value) {
            Some(Value::List(_)) => self.plains(reader, key).unwrap_or_default(),
            _ => self.plain(reader, key).into_iter().collect(),
        }
    }

    fn items(&self, reader: &mut Reader<'_>, key: &str) -> Option<&'t [Node]> {
        let node = self.node(key)?;
        if let Value::List(items) = &node.value {
            return Some(items);
        }
        reader.lose(node.span);
        None
    }
}

/// The word that a node holds, as what it stands for.
pub(super) fn one_of<T: Copy>(node: &Node, words: &[(&str, T)]) -> Option<T> {
    let text = node.text()?;
    words.iter().find(|(word, _)| **word == **text).map(|(_, value)| *value)
}

/// The port number that a node holds.
pub(super) fn port_number(node: &Node) -> Option<u16> {
    match node.value {
        Value::Integer(number) => u16::try_from(number).ok().filter(|number| *number > 0),
        _ => None,
    }
}

impl Reader<'_> {
    /// A plain value as text, as it is written; noted as lost if it is no such value.
    pub(super) fn scalar(&mut self, node: &Node) -> Option<Arc<str>> {
        match &node.value {
            Value::Text(text) => Some(Arc::clone(text)),
            Value::Integer(_) | Value::Float | Value::Boolean(_) => Some(self.sources.text(node.span).into()),
            _ => {
                self.lose(node.span);
                None
            }
        }
    }

    /// A setting, with its references resolved.
    pub(super) fn text(&mut self, node: &Node, allow: Allow) -> Option<Text> {
        let written = self.scalar(node)?;
        let origin = node.origin();
        Some(resolve::text(&written, origin, allow, &self.symbols, &self.sources, self.sink))
    }
}
