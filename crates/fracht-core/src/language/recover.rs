//! Goes on after a misspelt key as if it were the one that was probably meant.
//!
//! The mistake has been reported, so that no objects are generated. What would follow from it (a key that seems to be
//! missing, a name that seems not to exist) is not a mistake of its own.

use std::sync::Arc;

use super::instead::{self, Instead};
use super::shape::{AnyField, Shape, TableShape};
use super::verify::{verify_table, verify_value};
use crate::diag::Sink;
use crate::source::Sources;
use crate::tree::{Entries, Entry, Node, Value};

/// Renames the keys in `node` and below that are no keys of their table, to the nearest ones that are. What is below
/// them has not been checked yet: it is now.
pub(crate) fn recover(table: &'static TableShape, node: &mut Node, sources: &Sources, sink: &mut Sink) {
    Recover { sources, sink }.table(table, node);
}

struct Recover<'a> {
    sources: &'a Sources,
    sink: &'a mut Sink,
}

impl Recover<'_> {
    fn table(&mut self, table: &'static TableShape, node: &mut Node) {
        let Value::Table(entries) = &mut node.value else { return };
        let entries = Arc::make_mut(entries);
        if entries.iter().any(|(name, _)| table.field(name).is_none()) {
            let is_known =
                |(name, entry): &(&Arc<str>, &Entry)| table.field(name).is_some() || entry.has_broken_key();
            let known = entries.iter().filter(is_known);
            let mut whole: Entries = known.map(|(name, entry)| (Arc::clone(name), entry.clone())).collect();
            for (name, entry) in entries.iter().filter(|entry| !is_known(entry)) {
                let Some((field, below)) = meant(table, name, entry, self.sources) else {
                    join(&mut whole, Arc::clone(name), entry.clone());
                    continue;
                };
                let mut entry = entry.clone();
                if let Some(below) = below {
                    let entries = [(Arc::from(below), entry.clone())].into_iter().collect();
                    entry.node.value = Value::Table(Arc::new(entries));
                }
                self.sink.guess(entry.key_span);
                self.sink.guess(entry.node.span);
                verify_value(field, &entry.node, self.sources, self.sink);
                join(&mut whole, Arc::from(field.key().name), entry);
            }
            // A value that has to be written in another form cannot be read: it may be anything.
            for (name, entry) in entries.iter().filter(|(name, _)| table.field(name).is_none()) {
                let Some(meant) = instead::meant(table, name).filter(|meant| !whole.contains_key(meant))
                else {
                    continue;
                };
                let (span, layer) = (entry.key_span, entry.node.layer);
                let node = Node { value: Value::Tainted, span, layer, under: None };
                whole.insert(Arc::from(meant), Entry { key_span: span, node });
            }
            *entries = whole;
        }
        for (name, entry) in entries.iter_mut() {
            if let Some(field) = table.field(name) {
                self.below(&field.shape(), &mut entry.node);
            }
        }
    }

    fn below(&mut self, shape: &Shape, node: &mut Node) {
        match (shape, &mut node.value) {
            (Shape::Named(_, of), Value::Table(entries)) => {
                Arc::make_mut(entries).iter_mut().for_each(|(_, entry)| self.below(of, &mut entry.node));
            }
            (Shape::List(of) | Shape::OneOrList(of), Value::List(items)) => {
                let recovered = items.iter().cloned().map(|mut item| {
                    self.below(of, &mut item);
                    item
                });
                *items = recovered.collect();
            }
            (shape, Value::List(items)) if shape.table().is_some() => {
                let Some(mut one) = items.first().filter(|_| items.len() == 1).cloned() else { return };
                if let (Some(table), Some(entries)) = (shape.table(), one.table()) {
                    verify_table(table, entries, self.sources, self.sink);
                    self.table(table, &mut one);
                    node.value = one.value;
                }
            }
            (shape, Value::Table(_)) => {
                if let Some(table) = shape.table() {
                    self.table(table, node);
                }
            }
            _ => {}
        }
    }
}

/// The key that is probably meant by one that `table` does not have, with the name below it if it has to be moved there.
fn meant(
    table: &'static TableShape,
    name: &str,
    entry: &Entry,
    sources: &Sources,
) -> Option<(&'static dyn AnyField, Option<String>)> {
    let instead = instead::of_key(table, name, &entry.node, true, sources);
    let (Instead::Write(meant, _) | Instead::Likely(meant, _)) = instead else { return None };
    match meant.split_once('.') {
        Some((above, below)) => Some((table.field(above)?, Some(below.to_owned()))),
        None => Some((table.field(&meant)?, None)),
    }
}

/// Adds an entry. To a table that is there, it adds its keys; anything else that is there stays.
fn join(entries: &mut Entries, name: Arc<str>, entry: Entry) {
    let Some(known) = entries.get_mut(&name) else {
        entries.insert(name, entry);
        return;
    };
    if let (Value::Table(base), Value::Table(more)) = (&mut known.node.value, &entry.node.value) {
        let base = Arc::make_mut(base);
        for (name, entry) in more.iter() {
            join(base, Arc::clone(name), entry.clone());
        }
    }
}
