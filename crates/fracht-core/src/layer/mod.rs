//! Layers: patterns, the stack file, targets. Every value keeps the value that it overrides.
//!
//! A service or a task is merged from its patterns in the order of `like`, its table in the stack file, and its tables
//! in the chosen target and the targets that this one is like. The paths that a layer drops are removed before it is
//! merged. All other tables are merged from the stack file and the targets alone.

mod added;
mod drop;
mod like;
mod merge;
mod targets;

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use crate::diag::Sink;
use crate::language::root::TARGET;
use crate::language::stack::{PATTERN, SERVICE, TASK};
use crate::language::target::TARGET_TABLE;
use crate::language::workload::{DROP, LIKE};
use crate::language::{Field, ROOT, Shape, Table};
use crate::origin::Layer;
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

use added::{Added, Way};
use drop::{Dropped, drops_of, misses, remove};
use like::Patterns;
use merge::{merge, stamped};
use targets::TargetChain;
pub use targets::Targets;

/// The tables whose entries can be like a pattern.
static LIKE_PATTERNS: [&Field<Table>; 2] = [&SERVICE, &TASK];

/// Whether a table of the stack holds services or tasks.
fn is_like_patterns(kind: &str) -> bool {
    LIKE_PATTERNS.iter().any(|field| field.name() == kind)
}

/// Marks the values in patterns and targets with their layer.
pub(crate) fn stamp_layers(root: &mut Node) {
    let Value::Table(entries) = &mut root.value else { return };
    for field in [&PATTERN, &TARGET] {
        let layer = if field.name() == PATTERN.name() { Layer::Pattern } else { Layer::Target };
        let Some(entry) = Arc::make_mut(entries).get_mut(field.name()) else { continue };
        let Value::Table(named) = &mut entry.node.value else { continue };
        for (index, (_, entry)) in Arc::make_mut(named).iter_mut().enumerate() {
            entry.node = stamped(&entry.node, layer(u16::try_from(index).unwrap_or(u16::MAX)));
        }
    }
}

/// The stack, merged for one target.
pub(crate) struct Layered {
    /// The tables of the stack, without patterns and targets.
    pub(crate) tree: Node,
    /// The target's own keys; `None` for the default target of a stack without targets, tainted if the target could not
    /// be read.
    pub(crate) target: Option<Node>,
    /// The names that the targets add.
    pub(crate) added: Added,
    /// The patterns: their names with their places.
    pub(crate) patterns: Vec<(Arc<str>, Span)>,
    /// The targets that were merged.
    pub(crate) layers: BTreeSet<Layer>,
}

/// The part of a layer that is about one service or task.
struct LayerPart<'a> {
    node: Option<&'a Node>,
    /// The paths that the target drops, from the service or task on; an empty path drops it all.
    drops: Vec<Dropped>,
}

/// Merges the targets of a chain into the stack.
pub(crate) fn layered(root: &Node, chain: &TargetChain<'_>, sink: &mut Sink) -> Layered {
    let mut tree = root.clone();
    let mut added = Added::default();
    let layers = chain.tables.iter().map(|table| table.layer).collect();
    let Value::Table(entries) = &mut tree.value else {
        return Layered { tree, target: None, added, patterns: Vec::new(), layers };
    };
    let entries = Arc::make_mut(entries);
    entries.remove(TARGET.name());
    let mut own: Option<Node> = None;
    let TargetChain { tables: chain, is_broken, .. } = chain;
    for target in chain {
        let mut drops = drops_of(target);
        drops.retain(|dropped| !dropped.path.first().is_some_and(|kind| is_like_patterns(kind)));
        // What a target drops may be in one that could not be found, or in a line that could not be read.
        let has_lost = |table: &Entries| table.values().any(Entry::has_broken_key);
        let has_lost = chain.iter().any(|target| target.table().is_some_and(has_lost));
        let mut unseen = Sink::default();
        remove(entries, &drops, if *is_broken || has_lost { &mut unseen } else { sink });
        for (kind, entry) in target.table().into_iter().flatten() {
            let Some(field) = ROOT.field(kind).filter(|_| !is_like_patterns(kind)) else { continue };
            if let Some(over) = entry.node.table() {
                let base = entries.get(kind).and_then(|under| under.node.table());
                added.note(base, over, &field.shape(), &Way::default().to(kind, None));
            }
            let Some(under) = entries.get_mut(kind) else {
                entries.insert(Arc::clone(kind), entry.clone());
                continue;
            };
            // A target adds to the top-level lists, `patch` and `pass`.
            if let (Value::List(base), Value::List(more)) = (&mut under.node.value, &entry.node.value) {
                *base = base.iter().chain(more.iter()).cloned().collect();
                continue;
            }
            match (&mut under.node.value, entry.node.table()) {
                (Value::Table(base), Some(over)) => merge(Arc::make_mut(base), over, Some(field.shape())),
                // A value that is not a table has been reported. It stays, so that readers skip all of it.
                (Value::Table(_), None) => under.node = entry.node.clone(),
                _ => {}
            }
        }
        match (&mut own, target.table()) {
            (Some(Node { value: Value::Table(own), .. }), Some(over)) => {
                merge(Arc::make_mut(own), over, Some(Shape::Table(&TARGET_TABLE)));
            }
            _ => own = Some((*target).clone()),
        }
    }
    // Of what a target is like, something is unknown: no key seems to be missing.
    if let Some(Node { value: Value::Table(own), span, .. }) = own.as_mut().filter(|_| *is_broken) {
        Arc::make_mut(own).insert(Arc::from(""), Entry::with_broken_key(*span));
    }
    let mut patterns = Patterns::new(entries.remove(PATTERN.name()));
    let names = patterns.names();
    patterns.check_all(sink);
    for kind in LIKE_PATTERNS {
        workloads(kind, entries, chain, &mut patterns, (&mut added, sink));
    }
    Layered { tree, target: own, added, patterns: names, layers }
}

/// Merges each service or task from its layers.
fn workloads(
    field: &Field<Table>,
    entries: &mut Entries,
    chain: &[&Node],
    patterns: &mut Patterns,
    (noted, sink): (&mut Added, &mut Sink),
) {
    let broken = chain.iter().filter_map(|target| field.entry(target));
    if let Some(broken) = broken.into_iter().find(|entry| entry.node.table().is_none()) {
        entries.insert(Arc::from(field.name()), broken.clone());
        return;
    }
    let tables: Vec<Option<&Entries>> =
        chain.iter().map(|target| field.node(target).and_then(Node::table)).collect();
    let drops: Vec<Vec<Dropped>> = chain
        .iter()
        .map(|target| {
            let of_kind = |dropped: &Dropped| dropped.path.first().is_some_and(|first| first == field.name());
            drops_of(target).into_iter().filter(of_kind).collect()
        })
        .collect();
    let added = tables.iter().flatten().flat_map(|table| table.iter());
    let added: Vec<(Arc<str>, Entry)> =
        added.map(|(name, entry)| (Arc::clone(name), entry.clone())).collect();
    let is_plain = |node: &Node| LIKE.node(node).is_none() && DROP.node(node).is_none();
    if added.is_empty() && drops.iter().all(Vec::is_empty) {
        let own = entries.get(field.name()).and_then(|entry| entry.node.table());
        if own.is_none_or(|own| own.values().all(|entry| is_plain(&entry.node))) {
            return; // nothing but the stack file says anything, and nothing is like anything
        }
    }
    if let (None, Some((_, first))) = (entries.get(field.name()), added.first()) {
        let empty = Node { value: Value::Table(Arc::default()), ..first.node.clone() };
        entries.insert(Arc::from(field.name()), Entry { key_span: first.key_span, node: empty });
    }
    let Some(Value::Table(merged)) = entries.get_mut(field.name()).map(|entry| &mut entry.node.value) else {
        return;
    };
    let base = Arc::clone(merged);
    let kind: Arc<str> = Arc::from(field.name());
    let merged = Arc::make_mut(merged);
    for (name, entry) in added {
        if !merged.contains_key(&name) {
            merged.insert(name, entry);
        }
    }
    for dropped in drops.iter().flatten() {
        if dropped.path.get(1).is_none_or(|name| !merged.contains_key(name.as_str())) {
            misses(dropped, sink);
        }
    }
    // The paths that each target drops, by the name of the service or task.
    let by_name: Vec<HashMap<&str, Vec<&Dropped>>> = drops
        .iter()
        .map(|drops| {
            let mut by_name: HashMap<&str, Vec<&Dropped>> = HashMap::new();
            for dropped in drops {
                if let Some(name) = dropped.path.get(1) {
                    by_name.entry(name).or_default().push(dropped);
                }
            }
            by_name
        })
        .collect();
    merged.retain(|name, entry| {
        let own = base.get(name).map(|entry| &entry.node);
        let parts: Vec<LayerPart<'_>> = tables
            .iter()
            .zip(&by_name)
            .map(|(table, drops)| LayerPart {
                node: table.and_then(|table| table.get(name)).map(|entry| &entry.node),
                drops: drops
                    .get(&**name)
                    .into_iter()
                    .flatten()
                    .filter_map(|dropped| dropped.within())
                    .collect(),
            })
            .collect();
        let plain = own.is_some_and(is_plain);
        if plain && parts.iter().all(|part| part.node.is_none() && part.drops.is_empty()) {
            return true; // nothing but the stack file says anything of it
        }
        // A value that is not a table stays as it is; the check of shapes reports it.
        let mut layers = own.into_iter().chain(parts.iter().filter_map(|part| part.node));
        if let Some(broken) = layers.find(|node| node.table().is_none()) {
            entry.node = broken.clone();
            return true;
        }
        let way = Way::default().to(&kind, None).to(name, Some(entry.key_span));
        let whole = together(own, &parts, patterns, (noted, &way), sink);
        whole.is_some_and(|whole| {
            entry.node.value = Value::Table(whole);
            true
        })
    });
}

/// Merges one service or task from its layers; `None` if a target drops it and no later one defines it.
fn together(
    own: Option<&Node>,
    parts: &[LayerPart<'_>],
    patterns: &mut Patterns,
    (added, way): (&mut Added, &Way),
    sink: &mut Sink,
) -> Option<Arc<Entries>> {
    let mut layers = parts.iter().rev().map(|part| part.node).chain([own]).flatten();
    let like = layers.find_map(|node| LIKE.node(node));
    let mut whole = patterns.of(like, sink);
    let mut exists = own.is_some();
    if let Some(own) = own {
        merge_part(&mut whole, own, sink);
    }
    for LayerPart { node, drops } in parts {
        if drops.iter().any(|dropped| dropped.path.is_empty()) {
            whole = Arc::default();
            exists = false;
        }
        let drops: Vec<_> = drops.iter().filter(|dropped| !dropped.path.is_empty()).cloned().collect();
        remove(Arc::make_mut(&mut whole), &drops, sink);
        if let Some(node) = node {
            if let Some(over) = node.table().filter(|_| exists) {
                added.note(Some(&whole), over, &like::WORKLOAD, way);
            }
            exists = true;
            merge_part(&mut whole, node, sink);
        }
    }
    exists.then_some(whole)
}

/// Removes the paths that a layer drops from a service or task, then merges the layer.
fn merge_part(whole: &mut Arc<Entries>, node: &Node, sink: &mut Sink) {
    remove(Arc::make_mut(whole), &drops_of(node), sink);
    if let Some(over) = node.table() {
        merge(Arc::make_mut(whole), over, Some(like::WORKLOAD));
    }
}
