//! Layers: what a target states is laid over the stack, and every value keeps what it replaced.
//!
//! Tables merge by key; a list or a plain value replaces. A short form (`port.web = 8000`) over which a
//! table is laid becomes the table that it stands for.

mod targets;

use std::sync::Arc;

use crate::language::{ROOT, Shape, TableShape};
use crate::origin::Layer;
use crate::tree::{Entries, Entry, Node, Value};

pub use targets::Targets;

/// Lays `over` on `base`. `shape` is the shape of both tables.
fn lay(base: &mut Entries, over: &Entries, layer: Layer, shape: Option<&'static Shape>) {
    for (name, entry) in over {
        let shape = shape.and_then(|shape| below(shape, name));
        match base.get_mut(name) {
            None => {
                let node = stamped(&entry.node, layer);
                base.insert(Arc::clone(name), Entry { key_span: entry.key_span, node });
            }
            Some(under) => lay_node(&mut under.node, &entry.node, layer, shape),
        }
    }
}

fn lay_node(base: &mut Node, over: &Node, layer: Layer, shape: Option<&'static Shape>) {
    if let Value::Table(over_entries) = &over.value {
        if let Some(long) = long_form(base, shape) {
            *base = long;
        }
        if let Value::Table(entries) = &mut base.value {
            lay(Arc::make_mut(entries), over_entries, layer, shape);
            return;
        }
    }
    let under = std::mem::replace(base, stamped(over, layer));
    base.under = Some(Arc::new(under));
}

/// The value as one of `layer`.
pub(crate) fn stamped(node: &Node, layer: Layer) -> Node {
    let value = match &node.value {
        Value::Table(entries) => {
            let entry = |(name, entry): (&Arc<str>, &Entry)| {
                let node = stamped(&entry.node, layer);
                (Arc::clone(name), Entry { key_span: entry.key_span, node })
            };
            Value::Table(Arc::new(entries.iter().map(entry).collect()))
        }
        Value::List(items) => Value::List(items.iter().map(|item| stamped(item, layer)).collect()),
        other => other.clone(),
    };
    Node { value, span: node.span, layer, under: node.under.clone() }
}

/// The shape of key `name` in a table of shape `shape`.
fn below(shape: &'static Shape, name: &str) -> Option<&'static Shape> {
    match shape {
        Shape::Map(_, of) => Some(of),
        Shape::Table(table) | Shape::Kept(table) | Shape::ShortOr(_, table) => {
            table.keys.iter().find(|key| key.name == name).map(|key| &key.shape)
        }
        _ => None,
    }
}

/// The table that a short form stands for: its value under the table's first key.
fn long_form(node: &Node, shape: Option<&'static Shape>) -> Option<Node> {
    let Some(Shape::ShortOr(Shape::Number(..), table)) = shape else { return None };
    let Value::Integer(_) = node.value else { return None };
    let first = table.keys.first()?;
    let entry = Entry { key_span: node.span, node: node.clone() };
    let entries = std::iter::once((Arc::from(first.name), entry)).collect();
    Some(Node { value: Value::Table(Arc::new(entries)), ..node.clone() })
}

static ROOT_SHAPE: Shape = Shape::Table(&ROOT);

/// The stack as one target sees it.
pub(crate) fn merged(root: &Node, target: Option<&Node>, layer: Layer) -> Node {
    let mut merged = root.clone();
    let Value::Table(entries) = &mut merged.value else { return merged };
    let entries = Arc::make_mut(entries);
    entries.shift_remove("target");
    if let Some(over) = target.and_then(Node::table) {
        let laid = over.iter().filter(|(name, _)| is_laid(&ROOT, name));
        let laid: Entries = laid.map(|(name, entry)| (Arc::clone(name), entry.clone())).collect();
        lay(entries, &laid, layer, Some(&ROOT_SHAPE));
    }
    merged
}

/// Whether a key of a target is laid over the stack, rather than the target's own.
fn is_laid(root: &'static TableShape, name: &str) -> bool {
    root.keys.iter().any(|key| key.name == name)
}
