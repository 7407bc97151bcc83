//! `drop`: the paths that a layer removes.

use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;

use crate::diag::reading::DROP_MISSES;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::path;
use crate::language::workload::DROP;
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

/// A path to remove, and where it is written.
#[derive(Clone)]
pub(super) struct Dropped {
    pub(super) path: Vec<String>,
    span: Span,
}

impl Dropped {
    /// The part of the path below a service or task; `None` if the path is not in one.
    pub(super) fn within(&self) -> Option<Self> {
        let [_, _, rest @ ..] = self.path.as_slice() else { return None };
        Some(Self { path: rest.to_vec(), span: self.span })
    }
}

/// The paths in a table's `drop`. The check of shapes reports invalid ones.
pub(super) fn drops_of(node: &Node) -> Vec<Dropped> {
    let Some(Value::List(items)) = DROP.node(node).map(|node| &node.value) else { return Vec::new() };
    let dropped = |item: &Node| Some(Dropped { path: DROP.takes.read(&item.value, "")?, span: item.span });
    items.iter().filter_map(dropped).collect()
}

/// Removes the values at the paths. Each table is visited once, however many of its keys are dropped.
pub(super) fn remove(entries: &mut Entries, drops: &[Dropped], sink: &mut Sink) {
    let mut gone: BTreeMap<&[String], HashSet<&str>> = BTreeMap::new();
    for dropped in drops {
        let is_gone = |end: usize| {
            let parted = dropped.path.get(..end).and_then(<[String]>::split_last);
            parted.is_some_and(|(name, table)| {
                gone.get(table).is_some_and(|names| names.contains(name.as_str()))
            })
        };
        let parted = dropped.path.split_last().filter(|(name, table)| {
            table_at(entries, table).is_some_and(|table| table.contains_key(name.as_str()))
        });
        match parted {
            Some((name, table)) if !(1..=dropped.path.len()).any(is_gone) => {
                gone.entry(table).or_default().insert(name);
            }
            // What could not be read may be it.
            _ if (0..dropped.path.len()).any(|end| is_broken(entries, &dropped.path, end)) => {}
            _ => misses(dropped, sink),
        }
    }
    for (table, names) in gone {
        if let Some(table) = table_at_mut(entries, table) {
            table.retain(|name, _| !names.contains(&**name));
        }
    }
}

/// Whether the table at the first steps of a path has a key that could not be read.
fn is_broken(entries: &Entries, path: &[String], steps: usize) -> bool {
    let table = path.get(..steps).and_then(|path| table_at(entries, path));
    table.is_some_and(|table| table.values().any(Entry::has_broken_key))
}

fn table_at<'t>(entries: &'t Entries, path: &[String]) -> Option<&'t Entries> {
    path.iter().try_fold(entries, |entries, key| entries.get(key.as_str())?.node.table())
}

fn table_at_mut<'t>(entries: &'t mut Entries, path: &[String]) -> Option<&'t mut Entries> {
    path.iter().try_fold(entries, |entries, key| match &mut entries.get_mut(key.as_str())?.node.value {
        Value::Table(below) => Some(Arc::make_mut(below)),
        _ => None,
    })
}

/// Reports a path that does not exist.
pub(super) fn misses(dropped: &Dropped, sink: &mut Sink) {
    let shown = path::show(dropped.path.iter().map(String::as_str));
    sink.push(
        Diagnostic::new(&DROP_MISSES, format!("`drop` has no effect: `{shown}` not found"))
            .at(dropped.span, "no effect")
            .help("remove it, or name a value that a pattern, the stack or another target sets"),
    );
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{Sources, Syntax};
    use crate::syntax;

    #[test]
    fn dropping_a_dropped_key_has_no_effect() {
        let text = "a.b = 1\na.c.d = 2\na.c.e = 3\nf = 4\n\
            drop = ['a.c', 'a.c.d', 'f.g', 'f', 'f', 'h', 'a.b', 'a.b']";
        let (mut sources, mut sink) = (Sources::default(), Sink::default());
        let file = sources.add("/s/f".as_ref(), "f", text.into(), Syntax::Stack);
        let mut tree = syntax::parse(text, file, &mut sink);
        let drops = drops_of(&tree);
        let Value::Table(entries) = &mut tree.value else { panic!("{text}") };
        remove(Arc::make_mut(entries), &drops, &mut sink);
        let missed: Vec<String> = sink.take().into_iter().map(|finding| finding.message).collect();
        let missing = ["a.c.d", "f.g", "f", "h", "a.b"];
        assert_eq!(missed, missing.map(|path| format!("`drop` has no effect: `{path}` not found")));
        let left =
            |path: &[&str]| tree.at(path).and_then(Node::table).unwrap().keys().cloned().collect::<Vec<_>>();
        assert_eq!((left(&[]), left(&["a"])), (vec!["a".into(), "drop".into()], vec![]));
    }
}
