//! `like`: merges the patterns that a service, a task or another pattern names.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::merge_part;
use crate::diag::reading::LIKE_CYCLE;
use crate::diag::unknown::{Unknown, nearest};
use crate::diag::{Diagnostic, Sink};
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word;
use crate::language::pattern::PATTERN_TABLE;
use crate::language::workload::{DROP, LIKE};
use crate::language::{Field, Shape};
use crate::source::Span;
use crate::tree::{Entries, Entry, Node};

/// The shape of a pattern, which has the keys of services and of tasks.
pub(super) const WORKLOAD: Shape = Shape::Table(&PATTERN_TABLE);

/// The longest chain of patterns, or of targets, that are like each other.
pub(super) const DEEPEST: usize = 100;

/// Reports a chain of patterns or targets that is too long.
pub(super) fn too_deep(what: &str, span: Span, sink: &mut Sink) {
    sink.push(
        Diagnostic::new(&LIKE_CYCLE, format!("more than {DEEPEST} {what} are like each other in a row"))
            .at(span, "one too many")
            .help("put what they share into one of them"),
    );
}

/// The patterns of a stack, each merged when it is first used.
pub(super) struct Patterns {
    written: Entries,
    /// Set if the patterns could not be read, so that any name may exist.
    unread: bool,
    /// Each merged pattern, with the length of its chain.
    together: BTreeMap<String, (Arc<Entries>, usize)>,
    /// The patterns that are being merged, with the place that refers to each.
    open: Vec<(String, Span)>,
}

impl Patterns {
    pub(super) fn new(written: Option<Entry>) -> Self {
        let unread = written.as_ref().is_some_and(|entry| entry.node.table().is_none());
        let written = written.and_then(|entry| entry.node.table().cloned()).unwrap_or_default();
        Self { written, unread, together: BTreeMap::new(), open: Vec::new() }
    }

    /// The settings of the patterns of a `like`. Later patterns override earlier ones.
    pub(super) fn of(&mut self, like: Option<&Node>, sink: &mut Sink) -> Arc<Entries> {
        self.together_with_depth(like, sink).0
    }

    /// The same, with the length of the longest chain.
    fn together_with_depth(&mut self, like: Option<&Node>, sink: &mut Sink) -> (Arc<Entries>, usize) {
        let (mut whole, mut deepest): (Arc<Entries>, usize) = (Arc::default(), 0);
        let named = names(&LIKE, like);
        if let Some(like) = like.filter(|like| named.len() < like.items().len()) {
            whole = unread(like.span);
        }
        for (name, span) in named {
            let (mut pattern, mut depth) = self.one(&name, span, sink);
            // A pattern that is like this one is part of the chain.
            let user = usize::from(!self.open.is_empty());
            if depth + 1 + user > DEEPEST {
                too_deep("patterns", span, sink);
                (pattern, depth) = (unread(span), 0);
            }
            deepest = deepest.max(depth + 1);
            if whole.is_empty() {
                whole = pattern;
            } else {
                super::merge::merge(Arc::make_mut(&mut whole), &pattern, Some(WORKLOAD));
            }
        }
        (whole, deepest)
    }

    fn one(&mut self, name: &str, span: Span, sink: &mut Sink) -> (Arc<Entries>, usize) {
        if let Some(known) = self.together.get(name) {
            return known.clone();
        }
        let Some(entry) = self.written.get(name).cloned() else {
            if !self.unread {
                let unknown = Unknown::table(RefKind::Pattern.word(), name, span);
                unknown.report(|| self.written.keys().map(|name| &**name), sink);
                // What follows from it is not a mistake of its own.
                let near = nearest(name, self.written.keys().map(|name| &**name)).map(str::to_owned);
                if let Some(near) = near.filter(|near| self.open.iter().all(|(open, _)| open != near)) {
                    return self.one(&near, span, sink);
                }
            }
            return (unread(span), 0);
        };
        if entry.node.table().is_none() {
            return (unread(span), 0);
        }
        if let Some(at) = self.open.iter().position(|(open, _)| open == name) {
            cycle(self.open.get(at..).unwrap_or_default(), span, sink);
            return (unread(span), 0);
        }
        if self.open.len() >= DEEPEST {
            too_deep("patterns", span, sink);
            return (unread(span), 0);
        }
        self.open.push((name.to_owned(), span));
        let (mut whole, depth) = self.together_with_depth(LIKE.node(&entry.node), sink);
        merge_part(&mut whole, &entry.node, sink);
        // Its own `like` and `drop` are done; users of the pattern do not inherit them.
        let entries = Arc::make_mut(&mut whole);
        entries.remove(LIKE.name());
        entries.remove(DROP.name());
        self.open.pop();
        self.together.insert(name.to_owned(), (Arc::clone(&whole), depth));
        (whole, depth)
    }

    /// The names of the patterns, with their places.
    pub(super) fn names(&self) -> Vec<(Arc<str>, Span)> {
        self.written.iter().map(|(name, entry)| (Arc::clone(name), entry.key_span)).collect()
    }

    /// Merges the unused patterns as well, so that their mistakes are reported.
    pub(super) fn check_all(&mut self, sink: &mut Sink) {
        let all: Vec<(String, Span)> =
            self.written.iter().map(|(name, entry)| (name.to_string(), entry.key_span)).collect();
        for (name, span) in all {
            self.one(&name, span, sink);
        }
    }
}

/// In place of a pattern that could not be read or found: a key that may be any, so that no key seems to be missing.
fn unread(span: Span) -> Arc<Entries> {
    Arc::new([(Arc::from(""), Entry::with_broken_key(span))].into_iter().collect())
}

/// The names in a `like`, each with its place. The check of shapes reports anything that is not a reference of the
/// right kind.
pub(super) fn names(field: &Field<Reference>, like: Option<&Node>) -> Vec<(String, Span)> {
    let items = like.map(Node::items).unwrap_or_default();
    let name = |item: &Node| Some((field.takes.read(&item.value, "")?.name.to_string(), item.span));
    items.iter().filter_map(name).collect()
}

/// Reports a cycle: `open` are its names, `closing` is the place of its last reference.
pub(super) fn cycle(open: &[(String, Span)], closing: Span, sink: &mut Sink) {
    // Each name with the place that leads from it to the next one. The last place of the file closes the cycle, wherever
    // it was entered, so that it is reported once.
    let behind = open.iter().skip(1).map(|(_, span)| *span).chain([closing]);
    let mut steps: Vec<(&str, Span)> = open.iter().map(|(name, _)| name.as_str()).zip(behind).collect();
    let last = steps.iter().enumerate().max_by_key(|(_, (_, span))| *span).map_or(0, |(index, _)| index);
    let by = (last + 1) % steps.len().max(1);
    steps.rotate_left(by);
    let closing = steps.last().map_or(closing, |(_, span)| *span);
    let mut names: Vec<&str> = steps.iter().map(|(name, _)| *name).collect();
    names.extend(names.first().copied());
    let mut problem = Diagnostic::new(&LIKE_CYCLE, format!("`like` has a cycle: {}", names.join(" → ")))
        .at(closing, "closes the cycle");
    for ((_, span), name) in steps.iter().zip(names.iter().skip(1)).take(steps.len().saturating_sub(1)) {
        problem = problem.also(*span, format!("leads to `{name}`"));
    }
    sink.push(problem.help("remove one of these; move what both share into another pattern"));
}
