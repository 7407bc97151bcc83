//! Lanes: one for each set of networks, in an order in which the lanes of each network are neighbors.

use std::collections::{BTreeMap, BTreeSet};

use super::columns::Grid;
use crate::diagram::{By, Diagram, NodeKind};

/// The most sets of which all orders are tried.
const MOST_TRIED: usize = 7;
/// The most networks that get areas: more have no colors of their own.
const MOST_AREAS: usize = 6;

/// The lanes of a diagram.
#[derive(Clone, Debug)]
pub(super) struct Lanes {
    /// The set of networks of each lane, from the top.
    pub(super) sets: Vec<BTreeSet<usize>>,
    /// The lane of each node; `None` for those outside of the frame.
    pub(super) of_node: Vec<Option<usize>>,
}

/// The place of a network: some lanes, and some columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Extent {
    pub(super) group: usize,
    /// The first and the last lane.
    pub(super) lanes: (usize, usize),
    /// The first and the last column.
    pub(super) columns: (usize, usize),
    /// Which part of the network it is, and how many there are.
    pub(super) part: (usize, usize),
}

/// Whether networks are better shown as chips on the boxes: more than one of them would be split, or there are too
/// many for areas.
pub(super) fn needs_chips(diagram: &Diagram) -> bool {
    if diagram.by == By::Wave {
        return !diagram.groups.is_empty();
    }
    let sets = ordered(sets(diagram), &Pulls::default());
    diagram.groups.len() > MOST_AREAS || splits(&sets, diagram.groups.len()) > 1
}

/// The sets of networks that nodes are in, each once.
fn sets(diagram: &Diagram) -> Vec<BTreeSet<usize>> {
    let inside = diagram.nodes.iter().filter(|node| is_inside(node.kind));
    let sets: BTreeSet<BTreeSet<usize>> = inside.map(|node| node.groups.iter().copied().collect()).collect();
    sets.into_iter().collect()
}

fn is_inside(kind: NodeKind) -> bool {
    !matches!(kind, NodeKind::WayIn | NodeKind::Outside)
}

/// How many parts of networks there are more than networks, with lanes in this order.
fn splits(sets: &[BTreeSet<usize>], groups: usize) -> usize {
    (0..groups).map(|group| runs(sets, group).len().saturating_sub(1)).sum()
}

/// The runs of neighboring lanes of a network: the first and the last of each.
fn runs(sets: &[BTreeSet<usize>], group: usize) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for (lane, set) in sets.iter().enumerate().filter(|(_, set)| set.contains(&group)) {
        debug_assert!(!set.is_empty());
        match runs.last_mut() {
            Some((_, last)) if *last + 1 == lane => *last = lane,
            _ => runs.push((lane, lane)),
        }
    }
    runs
}

/// How lanes pull each other: the number of links between two sets, and of ways in to each.
#[derive(Debug, Default)]
struct Pulls {
    links: BTreeMap<(BTreeSet<usize>, BTreeSet<usize>), usize>,
    ways_in: BTreeMap<BTreeSet<usize>, usize>,
}

impl Pulls {
    fn of(diagram: &Diagram) -> Self {
        let mut pulls = Self::default();
        let set = |node: usize| {
            let node = diagram.nodes.get(node)?;
            Some((node.kind, node.groups.iter().copied().collect::<BTreeSet<usize>>()))
        };
        for link in &diagram.links {
            let (Some((kind, from)), Some((to_kind, to))) = (set(link.from), set(link.to)) else { continue };
            match (kind, to_kind) {
                (NodeKind::WayIn, _) => *pulls.ways_in.entry(to).or_default() += 1,
                (_, NodeKind::Outside) => {}
                _ => *pulls.links.entry((from, to)).or_default() += 1,
            }
        }
        pulls
    }

    /// How far links lead over the lanes in this order, and ways in from the top.
    fn distance(&self, order: &[BTreeSet<usize>]) -> usize {
        let at: BTreeMap<&BTreeSet<usize>, usize> =
            order.iter().enumerate().map(|(lane, set)| (set, lane)).collect();
        let lane = |set: &BTreeSet<usize>| at.get(set).copied().unwrap_or_default();
        let links = self.links.iter().map(|((from, to), count)| lane(from).abs_diff(lane(to)) * count * 2);
        links.sum::<usize>() + self.ways_in.iter().map(|(set, count)| lane(set) * count).sum::<usize>()
    }
}

/// The sets in the order with the fewest splits; of equal ones that with the shortest links, then the first.
fn ordered(sets: Vec<BTreeSet<usize>>, pulls: &Pulls) -> Vec<BTreeSet<usize>> {
    let (empty, mut rest): (Vec<_>, Vec<_>) = sets.into_iter().partition(BTreeSet::is_empty);
    let groups = rest.iter().flatten().max().map_or(0, |most| most + 1);
    let best = if rest.len() <= MOST_TRIED { tried(&rest, groups, pulls) } else { greedy(&mut rest) };
    best.into_iter().chain(empty).collect()
}

/// The best order so far: its splits, the distance of its links, and the sets.
type Best = Option<(usize, usize, Vec<BTreeSet<usize>>)>;

/// All orders are tried.
fn tried(sets: &[BTreeSet<usize>], groups: usize, pulls: &Pulls) -> Vec<BTreeSet<usize>> {
    let mut best = None;
    tried_from((sets, groups, pulls), &mut Vec::new(), &mut best);
    best.map_or_else(Vec::new, |(_, _, order)| order)
}

/// Tries all orders that begin with some sets, unless these have more splits already than the best order.
fn tried_from(
    (sets, groups, pulls): (&[BTreeSet<usize>], usize, &Pulls),
    order: &mut Vec<BTreeSet<usize>>,
    best: &mut Best,
) {
    let count = splits(order, groups);
    if best.as_ref().is_some_and(|(least, ..)| count > *least) {
        return;
    }
    if order.len() == sets.len() {
        let distance = pulls.distance(order);
        if best.as_ref().is_none_or(|(splits, least, _)| (count, distance) < (*splits, *least)) {
            *best = Some((count, distance, order.clone()));
        }
        return;
    }
    for set in sets {
        if !order.contains(set) {
            order.push(set.clone());
            tried_from((sets, groups, pulls), order, best);
            order.pop();
        }
    }
}

/// Each time the set that shares most with the one before.
fn greedy(rest: &mut Vec<BTreeSet<usize>>) -> Vec<BTreeSet<usize>> {
    let mut order: Vec<BTreeSet<usize>> = Vec::new();
    while !rest.is_empty() {
        let shared = |set: &BTreeSet<usize>| order.last().map_or(0, |last| set.intersection(last).count());
        let best = (0..rest.len())
            .max_by_key(|index| (rest.get(*index).map_or(0, shared), std::cmp::Reverse(*index)));
        order.push(rest.remove(best.unwrap_or_default()));
    }
    order
}

impl Lanes {
    /// The lanes of a diagram; one lane for all if networks are chips.
    pub(super) fn of(diagram: &Diagram, has_chips: bool) -> Self {
        let one_lane = has_chips || diagram.by == By::Wave;
        let sets = if one_lane { vec![BTreeSet::new()] } else { ordered(sets(diagram), &Pulls::of(diagram)) };
        let lanes: BTreeMap<&BTreeSet<usize>, usize> =
            sets.iter().enumerate().map(|(lane, set)| (set, lane)).collect();
        let of_node = diagram.nodes.iter().map(|node| {
            let set: BTreeSet<usize> = node.groups.iter().copied().collect();
            let lane = if one_lane { Some(0) } else { lanes.get(&set).copied() };
            lane.filter(|_| is_inside(node.kind))
        });
        let of_node = of_node.collect();
        Self { sets, of_node }
    }

    /// Where the networks are; none if they are chips.
    pub(super) fn areas(&self, diagram: &Diagram, grid: &Grid) -> Vec<Extent> {
        let mut extents = Vec::new();
        for group in 0..diagram.groups.len() {
            let runs = runs(&self.sets, group);
            for (index, (first, last)) in runs.iter().enumerate() {
                let members = (0..diagram.nodes.len()).filter(|node| {
                    self.of_node
                        .get(*node)
                        .copied()
                        .flatten()
                        .is_some_and(|lane| (*first..=*last).contains(&lane))
                });
                let columns: Vec<usize> = members.filter_map(|node| grid.column.get(node)).copied().collect();
                let (Some(least), Some(most)) = (columns.iter().min(), columns.iter().max()) else {
                    continue;
                };
                extents.push(Extent {
                    group,
                    lanes: (*first, *last),
                    columns: (*least, *most),
                    part: (index + 1, runs.len()),
                });
            }
        }
        extents
    }
}
