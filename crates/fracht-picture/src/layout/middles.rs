//! The heights of boxes and passing lines: near those that they are linked to, in their lanes, in their order.

use super::card::Card;
use super::columns::Grid;
use super::order::{Item, Stacks};
use crate::diagram::Diagram;

/// How often items are moved towards their neighbors.
const SWEEPS: usize = 24;
/// How much a part of a long line is pulled towards the middle of all its parts.
const LEVEL: f64 = 60.0;

/// What stands in the columns.
#[derive(Clone, Copy)]
pub(super) struct Columns<'a> {
    pub(super) diagram: &'a Diagram,
    pub(super) grid: &'a Grid,
    pub(super) stacks: &'a Stacks,
    pub(super) cards: &'a [Card],
}

impl Columns<'_> {
    /// The height of an item.
    fn height(&self, item: usize) -> f64 {
        match self.stacks.items.get(item) {
            Some(Item::Node(node)) => self.cards.get(*node).map_or(0.0, Card::outer_height),
            _ => 2.0,
        }
    }

    /// The distance of the middles of two items that stand one below the other.
    fn distance(&self, upper: usize, lower: usize) -> f64 {
        let is_node = |item: usize| matches!(self.stacks.items.get(item), Some(Item::Node(_)));
        let gap = match (is_node(upper), is_node(lower)) {
            (true, true) => 24.0,
            (false, false) => 11.0,
            _ => 15.0,
        };
        f64::midpoint(self.height(upper), self.height(lower)) + gap
    }

    /// The space that items need one below the other.
    pub(super) fn needed(&self, items: &[usize]) -> f64 {
        let edges = |item: Option<&usize>| item.map_or(0.0, |item| self.height(*item) / 2.0);
        let between: f64 = items
            .windows(2)
            .map(|pair| match pair {
                [upper, lower] => self.distance(*upper, *lower),
                _ => 0.0,
            })
            .sum();
        between + edges(items.first()) + edges(items.last())
    }

    /// The items of a column, by lane.
    pub(super) fn by_lane(&self, column: &[usize]) -> Vec<(Option<usize>, Vec<usize>)> {
        let mut parts: Vec<(Option<usize>, Vec<usize>)> = Vec::new();
        for item in column {
            let lane = self.stacks.lane.get(*item).copied().flatten();
            match parts.last_mut() {
                Some((own, items)) if *own == lane => items.push(*item),
                _ => parts.push((lane, vec![*item])),
            }
        }
        parts
    }

    /// The middle of each item: near those that it is linked to, in its lane, in its order.
    pub(super) fn middles(&self, content: &[(f64, f64)], floor: f64) -> Vec<f64> {
        let Self { diagram, grid, stacks, cards } = *self;
        let count = stacks.items.len();
        // For each item: a neighbor, how far its middle should be from that of the neighbor, and how much that counts.
        let mut pulls: Vec<Vec<(usize, f64, f64)>> = vec![Vec::new(); count];
        let is_node = |item: usize| matches!(self.stacks.items.get(item), Some(Item::Node(_)));
        for (link, way) in stacks.ways.iter().enumerate() {
            let port = diagram.links.get(link).and_then(|link| link.port);
            let is_reversed = grid.reversed.get(link) == Some(&true);
            for (step, pair) in way.windows(2).enumerate() {
                let [left, right] = pair else { continue };
                let weight = match (is_node(*left), is_node(*right)) {
                    (false, false) => 8.0,
                    (true, true) => 1.0,
                    _ => 3.0,
                };
                let row = |item: usize| {
                    let card = cards.get(item)?;
                    Some(card.row(port) - card.rect.height / 2.0)
                };
                // Where the line meets the box, from its middle.
                let offset = if step + 2 == way.len() && !is_reversed {
                    row(*right).unwrap_or_default()
                } else if step == 0 && is_reversed {
                    -row(*left).unwrap_or_default()
                } else {
                    0.0
                };
                if let Some(list) = pulls.get_mut(*right) {
                    list.push((*left, -offset, weight));
                }
                if let Some(list) = pulls.get_mut(*left) {
                    list.push((*right, offset, weight));
                }
            }
        }
        let floor = content.first().map_or(floor, |(top, _)| *top);
        let ceiling = content.last().map_or(floor, |(_, bottom)| *bottom);
        let mut middles = vec![0.0; count];
        for column in &stacks.columns {
            for (lane, items) in self.by_lane(column) {
                let (top, _) = bounds(lane, content, (floor, ceiling));
                let mut y = top;
                for (index, item) in items.iter().enumerate() {
                    y += match index.checked_sub(1).and_then(|before| items.get(before)) {
                        None => self.height(*item) / 2.0,
                        Some(before) => self.distance(*before, *item),
                    };
                    if let Some(slot) = middles.get_mut(*item) {
                        *slot = y;
                    }
                }
            }
        }
        // The line that each passing item is a part of.
        let mut way_of: Vec<Option<usize>> = vec![None; count];
        for (link, way) in stacks.ways.iter().enumerate().filter(|(_, way)| way.len() > 3) {
            for item in way.iter().filter(|item| !is_node(**item)) {
                if let Some(slot) = way_of.get_mut(*item) {
                    *slot = Some(link);
                }
            }
        }
        for sweep in 0..SWEEPS {
            // Long lines should be level: their parts also pull towards the middle of all of them.
            let levels: Vec<f64> = stacks
                .ways
                .iter()
                .map(|way| {
                    let parts: Vec<f64> = way
                        .iter()
                        .filter(|item| !is_node(**item))
                        .filter_map(|item| middles.get(*item))
                        .copied()
                        .collect();
                    parts.iter().sum::<f64>() / parts.len().max(1) as f64
                })
                .collect();
            let all: Vec<usize> = match sweep % 2 {
                0 => (0..stacks.columns.len()).collect(),
                _ => (0..stacks.columns.len()).rev().collect(),
            };
            for column in all {
                let Some(items) = stacks.columns.get(column) else { continue };
                for (lane, items) in self.by_lane(items) {
                    let wanted: Vec<(f64, f64)> = items
                        .iter()
                        .map(|item| {
                            let own = middles.get(*item).copied().unwrap_or_default();
                            let list = pulls.get(*item).map_or(&[][..], Vec::as_slice);
                            let weight: f64 = list.iter().map(|(_, _, weight)| weight).sum();
                            let sum: f64 = list
                                .iter()
                                .map(|(other, offset, weight)| {
                                    (middles.get(*other).copied().unwrap_or_default() + offset) * weight
                                })
                                .sum();
                            let level = way_of.get(*item).copied().flatten().and_then(|way| levels.get(way));
                            match level {
                                Some(level) => ((sum + level * LEVEL) / (weight + LEVEL), weight + LEVEL),
                                None if weight == 0.0 => (own, 0.1),
                                None => (sum / weight, weight),
                            }
                        })
                        .collect();
                    let settled = self.settled(&items, &wanted, bounds(lane, content, (floor, ceiling)));
                    for (item, middle) in items.iter().zip(settled) {
                        if let Some(slot) = middles.get_mut(*item) {
                            *slot = middle;
                        }
                    }
                }
            }
        }
        middles
    }

    /// The places nearest to the wanted ones, by the sum of weighted squares, that keep order, distances and bounds: items
    /// that would overlap move as one block (pool adjacent violators).
    fn settled(&self, items: &[usize], wanted: &[(f64, f64)], (top, bottom): (f64, f64)) -> Vec<f64> {
        // Without distances, the places of items only have to be in order.
        let mut offsets = Vec::with_capacity(items.len());
        let mut sum = 0.0;
        for (index, item) in items.iter().enumerate() {
            if let Some(before) = index.checked_sub(1).and_then(|before| items.get(before)) {
                sum += self.distance(*before, *item);
            }
            offsets.push(sum);
        }
        let edge = |item: Option<&usize>| item.map_or(0.0, |item| self.height(*item) / 2.0);
        let least = top + edge(items.first());
        let most = (bottom - edge(items.last()) - sum).max(least);
        // Blocks: the weighted sum, the weight, and how many items.
        let mut blocks: Vec<(f64, f64, usize)> = Vec::new();
        for ((want, weight), offset) in wanted.iter().zip(&offsets) {
            let mut block = ((want - offset) * weight, *weight, 1);
            while let Some((sum, weight, count)) = blocks.last().copied() {
                if sum / weight <= block.0 / block.1 {
                    break;
                }
                block = (block.0 + sum, block.1 + weight, block.2 + count);
                blocks.pop();
            }
            blocks.push(block);
        }
        let places = blocks
            .into_iter()
            .flat_map(|(sum, weight, count)| std::iter::repeat_n((sum / weight).clamp(least, most), count));
        places.zip(offsets).map(|(place, offset)| place + offset).collect()
    }
}

/// The space for the items of a lane; those outside of the frame may be anywhere beside it.
fn bounds(lane: Option<usize>, content: &[(f64, f64)], all: (f64, f64)) -> (f64, f64) {
    lane.and_then(|lane| content.get(lane)).copied().unwrap_or(all)
}
