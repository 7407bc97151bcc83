//! Which build takes from which: `{build.NAME}` in the arguments or the tag of another one.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::diag::Diagnostic;
use crate::diag::reading::BUILD_CYCLE;
use crate::grammar::reference::{self, Piece, RefKind};
use crate::graph::{Edge, Graph};
use crate::language::build::{ARGS, TAG};
use crate::origin::Layer;
use crate::read::Reader;
use crate::source::Span;
use crate::tree::{Entry, Node};

/// Which build takes from which, by the positions of their tables.
pub(super) struct Takes {
    graph: Graph,
    waves: Vec<Option<usize>>,
    /// Where each edge of the graph is written, by its label, and in which layer.
    places: Vec<(Layer, Span)>,
    taken: BTreeSet<usize>,
}

/// The most cycles that are reported.
const MOST_CYCLES: usize = 20;

impl Takes {
    pub(super) fn of(tables: &[(&Arc<str>, &Entry)]) -> Self {
        let positions: BTreeMap<&str, usize> =
            tables.iter().enumerate().map(|(index, (name, _))| (&***name, index)).collect();
        let mut places = Vec::new();
        let mut taken = BTreeSet::new();
        let mut edges = |entry: &Entry| {
            let args = ARGS.node(&entry.node).and_then(Node::table).into_iter().flatten();
            let texts = args.map(|(_, entry)| &entry.node).chain(TAG.node(&entry.node));
            let (mut edges, mut known) = (Vec::new(), BTreeSet::new());
            for node in texts {
                for name in node.text().into_iter().flat_map(|text| named_builds(text)) {
                    let Some(to) = positions.get(name).copied() else { continue };
                    if known.insert(to) {
                        edges.push(Edge { to, label: places.len() });
                        places.push((node.layer, node.span));
                        taken.insert(to);
                    }
                }
            }
            edges
        };
        let graph = Graph { edges: tables.iter().map(|(_, entry)| edges(entry)).collect() };
        Self { waves: graph.waves(), graph, places, taken }
    }

    /// The positions in an order in which each comes after those that it takes from. What is in a cycle, or takes from
    /// one, comes last.
    pub(super) fn order(&self) -> Vec<usize> {
        let mut order: Vec<usize> = (0..self.waves.len()).collect();
        order.sort_by_key(|index| self.waves.get(*index).copied().flatten().unwrap_or(usize::MAX));
        order
    }

    /// The builds that one takes from.
    pub(super) fn from(&self, index: usize) -> Vec<usize> {
        self.graph.edges.get(index).into_iter().flatten().map(|edge| edge.to).collect()
    }

    /// Whether others take from it.
    pub(super) fn is_taken(&self, index: usize) -> bool {
        self.taken.contains(&index)
    }

    /// Whether it is in a cycle, or takes from a build that is.
    pub(super) fn is_in_cycle(&self, index: usize) -> bool {
        self.waves.get(index).is_some_and(Option::is_none)
    }

    /// Reports every cycle. Returns the names of the builds whose image cannot be told because of one.
    pub(super) fn report_cycles(
        &self,
        reader: &mut Reader<'_>,
        tables: &[(&Arc<str>, &Entry)],
    ) -> Vec<Arc<str>> {
        let stuck = (0..tables.len()).filter(|index| self.is_in_cycle(*index));
        let stuck: Vec<Arc<str>> =
            stuck.filter_map(|index| tables.get(index)).map(|(name, _)| Arc::clone(name)).collect();
        if stuck.is_empty() {
            return stuck;
        }
        let name = |index: usize| tables.get(index).map_or("", |(name, _)| &***name);
        let layer = |edge: &Edge| self.places.get(edge.label).map(|(layer, _)| *layer);
        for mut cycle in self.graph.cycles(MOST_CYCLES) {
            // The reference of the latest layer closes it.
            let last =
                (0..cycle.len()).rev().max_by_key(|at| cycle.get(*at).and_then(|(_, edge)| layer(edge)));
            cycle.rotate_left(last.unwrap_or(0));
            let Some(((first, edge), others)) = cycle.split_first() else { continue };
            let mut names: Vec<&str> = cycle.iter().map(|(node, _)| name(*node)).collect();
            names.push(name(*first));
            let message = if others.is_empty() {
                format!("`build.{}` takes from itself", name(*first))
            } else {
                format!("the builds have a cycle: {}", names.join(" → "))
            };
            let place = |edge: &Edge| self.places.get(edge.label).map(|(_, span)| *span);
            let words = |from: usize, edge: &Edge| format!("`{}` takes from `{}`", name(from), name(edge.to));
            let mut problem = Diagnostic::new(&BUILD_CYCLE, message).at(place(edge), words(*first, edge));
            for (from, edge) in others.iter().take(12) {
                problem = problem.also(place(edge), words(*from, edge));
            }
            reader.taint();
            reader.sink.push(problem.help("remove one of these references"));
        }
        stuck
    }
}

/// The builds to which a text refers.
pub(in crate::read) fn named_builds(text: &str) -> impl Iterator<Item = &str> {
    let pieces = if reference::has_braces(text) { reference::pieces(text) } else { Vec::new() };
    pieces.into_iter().filter_map(|piece| match piece {
        Piece::Braces(inner, _) => reference::parse(inner)
            .ok()
            .filter(|written| written.kind == RefKind::Build)
            .map(|written| written.name),
        _ => None,
    })
}
