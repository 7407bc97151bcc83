//! Which column each box stands in: every line leads to a higher column.

use std::collections::{BTreeMap, BTreeSet};

use crate::diagram::{By, Diagram, NodeKind};

/// The columns of a diagram.
#[derive(Clone, Debug)]
pub(super) struct Grid {
    /// The column of each node, from 0.
    pub(super) column: Vec<usize>,
    /// How many columns there are.
    pub(super) columns: usize,
    /// For each link, whether it is drawn from its end to its start, since it closes a circle.
    pub(super) reversed: Vec<bool>,
    /// The names of the columns, if they have any.
    pub(super) names: Vec<Option<String>>,
}

impl Grid {
    /// The ends of a link in the direction in which its line is drawn.
    pub(super) fn ends(&self, diagram: &Diagram, link: usize) -> (usize, usize) {
        diagram.links.get(link).map_or((0, 0), |one| {
            if self.reversed.get(link) == Some(&true) { (one.to, one.from) } else { (one.from, one.to) }
        })
    }
}

/// The columns of a diagram.
pub(super) fn grid(diagram: &Diagram) -> Grid {
    match diagram.by {
        By::Network => by_uses(diagram),
        By::Wave => by_waves(diagram),
    }
}

fn by_uses(diagram: &Diagram) -> Grid {
    let count = diagram.nodes.len();
    let reversed = circles(diagram);
    let mut grid = Grid { column: vec![0; count], columns: 1, reversed, names: Vec::new() };
    let ends: Vec<(usize, usize)> = (0..diagram.links.len()).map(|link| grid.ends(diagram, link)).collect();
    let has_ways = diagram.nodes.iter().any(|node| node.kind == NodeKind::WayIn);
    let first = usize::from(has_ways);
    // The longest path to each node, in the order in which all that leads to it is known.
    let kind = |node: usize| diagram.nodes.get(node).map(|node| node.kind);
    let mut waiting = vec![0_usize; count];
    let mut next: Vec<Vec<usize>> = vec![Vec::new(); count];
    for (from, to) in &ends {
        if let (Some(list), Some(left)) = (next.get_mut(*from), waiting.get_mut(*to)) {
            list.push(*to);
            *left += 1;
        }
    }
    for (node, column) in grid.column.iter_mut().enumerate() {
        *column = if kind(node) == Some(NodeKind::WayIn) { 0 } else { first };
    }
    let mut ready: Vec<usize> = (0..count).filter(|node| waiting.get(*node) == Some(&0)).collect();
    while let Some(node) = ready.pop() {
        let own = grid.column.get(node).copied().unwrap_or_default();
        for other in next.get(node).into_iter().flatten() {
            if let (Some(column), Some(left)) = (grid.column.get_mut(*other), waiting.get_mut(*other)) {
                *column = (*column).max(own + 1);
                *left -= 1;
                if *left == 0 {
                    ready.push(*other);
                }
            }
        }
    }
    // What nothing leads to stands one column before the first that it leads to.
    let led_to: BTreeSet<usize> = ends.iter().map(|(_, to)| *to).collect();
    for node in 0..count {
        let is_service = matches!(kind(node), Some(NodeKind::Service | NodeKind::Task));
        // External services get the last column, so that they say nothing of where their users stand.
        let inside = next.get(node).into_iter().flatten().filter(|to| kind(**to) != Some(NodeKind::Outside));
        let before = inside.filter_map(|to| grid.column.get(*to)).min().copied();
        if let Some(before) = before.filter(|_| is_service && !led_to.contains(&node))
            && let Some(column) = grid.column.get_mut(node)
        {
            *column = (before - 1).max(first);
        }
    }
    let inner = (0..count).filter(|node| kind(*node) != Some(NodeKind::Outside));
    let mut last = inner.filter_map(|node| grid.column.get(node)).max().copied().unwrap_or(first).max(first);
    last = last.max(spread(diagram, &ends, (first, last), &mut grid.column));
    for (node, column) in grid.column.iter_mut().enumerate() {
        if kind(node) == Some(NodeKind::Outside) {
            *column = last + 1;
        }
    }
    grid.columns = grid.column.iter().max().copied().unwrap_or_default().max(last) + 1;
    grid
}

/// Spreads the nodes without links over the columns, so that the first one does not become a tower: each goes where the
/// fewest of its networks are. The last column that is used.
fn spread(
    diagram: &Diagram,
    ends: &[(usize, usize)],
    (first, last): (usize, usize),
    column: &mut [usize],
) -> usize {
    let linked: BTreeSet<usize> = ends.iter().flat_map(|(from, to)| [*from, *to]).collect();
    let alone: Vec<usize> = (0..column.len())
        .filter(|node| {
            !linked.contains(node)
                && diagram.nodes.get(*node).is_some_and(|node| node.kind != NodeKind::Outside)
        })
        .collect();
    // About as many columns as rows, if nothing else stands in them.
    let width = ((alone.len() as f64 / 2.0).sqrt().ceil() as usize).max(last + 1 - first);
    let mut counts: BTreeMap<(&[usize], usize), usize> = BTreeMap::new();
    for (node, at) in column.iter().enumerate().filter(|(node, _)| linked.contains(node)) {
        let groups = diagram.nodes.get(node).map_or(&[][..], |node| &node.groups);
        *counts.entry((groups, *at)).or_default() += 1;
    }
    let mut most = first;
    for node in alone {
        let groups = diagram.nodes.get(node).map_or(&[][..], |node| &node.groups);
        let count = |at: &usize| counts.get(&(groups, *at)).copied().unwrap_or_default();
        let best = (first..first + width).min_by_key(|at| (count(at), *at)).unwrap_or(first);
        *counts.entry((groups, best)).or_default() += 1;
        most = most.max(best);
        if let Some(slot) = column.get_mut(node) {
            *slot = best;
        }
    }
    most
}

fn by_waves(diagram: &Diagram) -> Grid {
    let waves = diagram.nodes.iter().filter_map(|node| node.wave);
    let used: BTreeSet<usize> = waves.collect();
    let first = used.len();
    let mut column: Vec<usize> = diagram
        .nodes
        .iter()
        .map(|node| node.wave.map_or(first, |wave| used.iter().take_while(|other| **other < wave).count()))
        .collect();
    // What is in no wave, in columns of its own: some of it may wait for others of it, even in circles.
    let circles = circles(diagram);
    let is_rest = |node: usize| diagram.nodes.get(node).is_some_and(|node| node.wave.is_none());
    for _ in 0..diagram.nodes.len() {
        let mut has_changed = false;
        for (link, closes) in diagram.links.iter().zip(&circles) {
            let (from, to) = if *closes { (link.to, link.from) } else { (link.from, link.to) };
            let least = column.get(from).copied().unwrap_or_default() + 1;
            if let Some(own) = column.get_mut(to).filter(|own| **own < least && is_rest(from) && is_rest(to))
            {
                *own = least;
                has_changed = true;
            }
        }
        if !has_changed {
            break;
        }
    }
    let columns = column.iter().max().copied().unwrap_or_default() + 1;
    let mut names: Vec<Option<String>> = used.iter().map(|wave| Some(format!("wave {wave}"))).collect();
    for index in first..columns {
        let mut here = diagram.nodes.iter().zip(&column).filter(|(_, own)| **own == index);
        let is_stuck = here.any(|(node, _)| node.is_stuck);
        names.push(Some(if is_stuck { "never starts" } else { "at times, on demand" }.to_owned()));
    }
    let at = |node: usize| column.get(node).copied().unwrap_or_default();
    let reversed = diagram.links.iter().map(|link| at(link.from) > at(link.to)).collect();
    Grid { column, columns, reversed, names }
}

/// The links that close a circle, by a walk in the order of the names: without them there is none.
fn circles(diagram: &Diagram) -> Vec<bool> {
    #[derive(Clone, Copy, PartialEq)]
    enum State {
        New,
        Open,
        Done,
    }
    let count = diagram.nodes.len();
    let mut reversed = vec![false; diagram.links.len()];
    let mut out: Vec<Vec<usize>> = vec![Vec::new(); count];
    for (index, link) in diagram.links.iter().enumerate() {
        if let Some(list) = out.get_mut(link.from) {
            list.push(index);
        }
    }
    let name = |node: usize| diagram.nodes.get(node).map(|node| node.name.as_str());
    let to = |link: usize| diagram.links.get(link).map_or(0, |link| link.to);
    for list in &mut out {
        list.sort_by_key(|link| (name(to(*link)), *link));
    }
    let mut starts: Vec<usize> = (0..count).collect();
    let led_to: BTreeSet<usize> = diagram.links.iter().map(|link| link.to).collect();
    starts.sort_by_key(|node| (led_to.contains(node), name(*node), *node));
    let mut state = vec![State::New; count];
    for start in starts {
        if state.get(start) != Some(&State::New) {
            continue;
        }
        // Each open node, with the number of its links that were followed.
        let mut open = vec![(start, 0)];
        if let Some(slot) = state.get_mut(start) {
            *slot = State::Open;
        }
        while let Some((node, followed)) = open.last_mut() {
            let link = out.get(*node).and_then(|links| links.get(*followed)).copied();
            *followed += 1;
            let Some(link) = link else {
                if let Some(slot) = state.get_mut(*node) {
                    *slot = State::Done;
                }
                open.pop();
                continue;
            };
            let target = to(link);
            match state.get(target).copied() {
                Some(State::Open) => {
                    if let Some(slot) = reversed.get_mut(link) {
                        *slot = true;
                    }
                }
                Some(State::New) => {
                    if let Some(slot) = state.get_mut(target) {
                        *slot = State::Open;
                    }
                    open.push((target, 0));
                }
                _ => {}
            }
        }
    }
    reversed
}
