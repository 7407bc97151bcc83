//! Patterns: shared settings that services and tasks, and other patterns, are like.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::lay_part;
use crate::diag::reading::LIKE_CYCLE;
use crate::diag::unknown::Unknown;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word;
use crate::language::pattern::PATTERN_TABLE;
use crate::language::workload::{DROP, LIKE};
use crate::language::{Field, Shape};
use crate::source::Span;
use crate::tree::{Entries, Entry, Node};

/// The shape of a service, a task or a pattern: a pattern has the keys of all.
pub(super) const WORKLOAD: Shape = Shape::Table(&PATTERN_TABLE);

/// How many patterns, or targets, may be like each other in a row: more are none that people follow.
pub(super) const DEEPEST: usize = 100;

/// Reports a row of patterns or targets that is too long.
pub(super) fn too_deep(what: &str, span: Span, sink: &mut Sink) {
    sink.push(
        Diagnostic::new(&LIKE_CYCLE, format!("more than {DEEPEST} {what} are like each other in a row"))
            .at(span, "one too many")
            .help("put what they share into one of them"),
    );
}

/// The patterns of a stack, laid together as they are asked for.
pub(super) struct Patterns {
    written: Entries,
    /// Set if the patterns could not be read at all: any name may be one of them.
    unread: bool,
    /// Each with how many it is like in a row.
    together: BTreeMap<String, (Arc<Entries>, usize)>,
    /// Those that are being laid together, with the place that asked for each.
    open: Vec<(String, Span)>,
}

impl Patterns {
    pub(super) fn new(written: Option<Entry>) -> Self {
        let unread = written.as_ref().is_some_and(|entry| entry.node.table().is_none());
        let written = written.and_then(|entry| entry.node.table().cloned()).unwrap_or_default();
        Self { written, unread, together: BTreeMap::new(), open: Vec::new() }
    }

    /// What the patterns of a `like` say, later ones over earlier ones.
    pub(super) fn of(&mut self, like: Option<&Node>, sink: &mut Sink) -> Arc<Entries> {
        self.together_with_depth(like, sink).0
    }

    /// The same, with how many patterns are like each other in a row.
    fn together_with_depth(&mut self, like: Option<&Node>, sink: &mut Sink) -> (Arc<Entries>, usize) {
        let (mut whole, mut deepest): (Arc<Entries>, usize) = (Arc::default(), 0);
        for (name, span) in names(&LIKE, like) {
            let (pattern, depth) = self.one(&name, span, sink);
            if depth >= DEEPEST {
                too_deep("patterns", span, sink);
                continue;
            }
            deepest = deepest.max(depth + 1);
            if whole.is_empty() {
                whole = pattern;
            } else {
                super::lay::lay(Arc::make_mut(&mut whole), &pattern, Some(WORKLOAD));
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
            }
            return Default::default();
        };
        if let Some(at) = self.open.iter().position(|(open, _)| open == name) {
            cycle(self.open.get(at..).unwrap_or_default(), span, sink);
            return Default::default();
        }
        if self.open.len() >= DEEPEST {
            too_deep("patterns", span, sink);
            return Default::default();
        }
        self.open.push((name.to_owned(), span));
        let (mut whole, depth) = self.together_with_depth(LIKE.node(&entry.node), sink);
        lay_part(&mut whole, &entry.node, sink);
        // What it is like and what it drops has been done; its users do not inherit it.
        let entries = Arc::make_mut(&mut whole);
        entries.shift_remove(LIKE.name());
        entries.shift_remove(DROP.name());
        self.open.pop();
        self.together.insert(name.to_owned(), (Arc::clone(&whole), depth));
        (whole, depth)
    }

    /// Lays together the patterns that nobody uses too: their mistakes are told as well.
    pub(super) fn check_all(&mut self, sink: &mut Sink) {
        let all: Vec<(String, Span)> =
            self.written.iter().map(|(name, entry)| (name.to_string(), entry.key_span)).collect();
        for (name, span) in all {
            self.one(&name, span, sink);
        }
    }
}

/// The names that a `like` lists, each with its place. Anything else than a reference of the right kind is reported by
/// the check of shapes.
pub(super) fn names(field: &Field<Reference>, like: Option<&Node>) -> Vec<(String, Span)> {
    let items = like.map(Node::items).unwrap_or_default();
    let name = |item: &Node| Some((field.takes.read(&item.value, "")?.name.to_string(), item.span));
    items.iter().filter_map(name).collect()
}

/// Reports a cycle: the names that are open, and the place that closes it.
pub(super) fn cycle(open: &[(String, Span)], closing: Span, sink: &mut Sink) {
    let mut names: Vec<&str> = open.iter().map(|(name, _)| name.as_str()).collect();
    names.extend(names.first().copied());
    let mut problem = Diagnostic::new(&LIKE_CYCLE, format!("`like` has a cycle: {}", names.join(" → ")))
        .at(closing, "closes the cycle");
    for (name, span) in open.iter().skip(1) {
        problem = problem.also(*span, format!("leads to `{name}`"));
    }
    sink.push(problem.help("remove one of these; move what both share into another pattern"));
}
