//! The order of boxes and lines in each column, with few crossings.

use super::columns::Grid;
use super::lanes::Lanes;
use crate::diagram::Diagram;

/// What stands in a column: a box, or a line that passes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Item {
    /// A node.
    Node(usize),
    /// The link that passes.
    Pass(usize),
}

/// The columns with their items from the top, and the way of each link through them.
#[derive(Clone, Debug)]
pub(super) struct Stacks {
    /// Everything that has a place, by a number.
    pub(super) items: Vec<Item>,
    /// The lane of each item; `None` outside of the frame.
    pub(super) lane: Vec<Option<usize>>,
    /// The column of each item.
    pub(super) column: Vec<usize>,
    /// The items of each column, from the top.
    pub(super) columns: Vec<Vec<usize>>,
    /// For each link, the items that its line passes, from its left end to its right end.
    pub(super) ways: Vec<Vec<usize>>,
    /// The port that each link leads to.
    pub(super) ports: Vec<Option<usize>>,
    /// The neighbors of each item in the column before.
    pub(super) before: Vec<Vec<usize>>,
    /// The neighbors of each item in the column after.
    pub(super) after: Vec<Vec<usize>>,
}

/// How often the columns are ordered by their neighbors.
const SWEEPS: usize = 24;

/// Orders the columns of a diagram.
pub(super) fn ordered(diagram: &Diagram, grid: &Grid, lanes: &Lanes) -> Stacks {
    let mut stacks = Stacks {
        items: (0..diagram.nodes.len()).map(Item::Node).collect(),
        lane: lanes.of_node.clone(),
        column: grid.column.clone(),
        columns: vec![Vec::new(); grid.columns],
        ways: Vec::new(),
        ports: diagram.links.iter().map(|link| link.port).collect(),
        before: Vec::new(),
        after: Vec::new(),
    };
    for link in 0..diagram.links.len() {
        let (from, to) = grid.ends(diagram, link);
        let at = |node: usize| grid.column.get(node).copied().unwrap_or_default();
        let lane_of = |node: usize| lanes.of_node.get(node).copied().flatten();
        let lane = lane_of(to).or_else(|| lane_of(from));
        let mut way = vec![from];
        for column in at(from) + 1..at(to) {
            way.push(stacks.items.len());
            stacks.items.push(Item::Pass(link));
            stacks.lane.push(lane);
            stacks.column.push(column);
        }
        way.push(to);
        stacks.ways.push(way);
    }
    let count = stacks.items.len();
    (stacks.before, stacks.after) = (vec![Vec::new(); count], vec![Vec::new(); count]);
    for way in &stacks.ways {
        for pair in way.windows(2) {
            if let [left, right] = pair {
                if let Some(list) = stacks.after.get_mut(*left) {
                    list.push(*right);
                }
                if let Some(list) = stacks.before.get_mut(*right) {
                    list.push(*left);
                }
            }
        }
    }
    for item in 0..count {
        let column = stacks.column.get(item).copied().unwrap_or_default();
        if let Some(list) = stacks.columns.get_mut(column) {
            list.push(item);
        }
    }
    let mut best: Option<(usize, Vec<Vec<usize>>)> = None;
    for direction in [1.0, -1.0] {
        for column in 0..stacks.columns.len() {
            stacks.sort(column, |item| item as f64 * direction);
        }
        let count = stacks.improve();
        if best.as_ref().is_none_or(|(least, _)| count < *least) {
            best = Some((count, stacks.columns.clone()));
        }
    }
    stacks.columns = best.map_or_else(Vec::new, |(_, columns)| columns);
    stacks
}

impl Stacks {
    /// The place of each item in its column.
    fn positions(&self) -> Vec<f64> {
        let mut positions = vec![0.0; self.items.len()];
        for column in &self.columns {
            for (position, item) in column.iter().enumerate() {
                if let Some(slot) = positions.get_mut(*item) {
                    *slot = position as f64;
                }
            }
        }
        positions
    }

    /// Sorts a column by a key, lanes first. Those outside of the frame have no lanes, and the key alone decides.
    fn sort(&mut self, column: usize, key: impl Fn(usize) -> f64) {
        let lane = &self.lane;
        if let Some(items) = self.columns.get_mut(column) {
            let mut keyed: Vec<_> =
                items.iter().map(|item| (lane.get(*item).copied().flatten(), key(*item), *item)).collect();
            keyed.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
            *items = keyed.into_iter().map(|(_, _, item)| item).collect();
        }
    }

    /// Orders columns by the middles of their neighbors, up and down, and keeps the best. How many lines cross then.
    fn improve(&mut self) -> usize {
        let (mut best, mut least) = (self.columns.clone(), self.crossings());
        for sweep in 0..SWEEPS {
            if least == 0 {
                break;
            }
            let columns: Vec<usize> = match sweep % 2 {
                0 => (1..self.columns.len()).collect(),
                _ => (0..self.columns.len().saturating_sub(1)).rev().collect(),
            };
            let mut positions = self.positions();
            let ties = if sweep % 4 < 2 { 1e-6 } else { -1e-6 };
            for column in columns {
                let neighbors = if sweep % 2 == 0 { &self.before } else { &self.after };
                let middle = |item: usize| {
                    let list = neighbors.get(item).map_or(&[][..], Vec::as_slice);
                    let own = positions.get(item).copied().unwrap_or_default();
                    if list.is_empty() {
                        return own;
                    }
                    let sum: f64 = list.iter().filter_map(|other| positions.get(*other)).sum();
                    sum / list.len() as f64 + own * ties
                };
                let items = self.columns.get(column).cloned().unwrap_or_default();
                let keys: std::collections::BTreeMap<usize, f64> =
                    items.into_iter().map(|item| (item, middle(item))).collect();
                self.sort(column, |item| keys.get(&item).copied().unwrap_or_default());
                for (position, item) in self.columns.get(column).into_iter().flatten().enumerate() {
                    if let Some(slot) = positions.get_mut(*item) {
                        *slot = position as f64;
                    }
                }
            }
            self.exchange();
            let count = self.crossings();
            if count < least {
                (best, least) = (self.columns.clone(), count);
            }
        }
        self.columns = best;
        least
    }

    /// Exchanges neighbors of a lane while that helps.
    fn exchange(&mut self) {
        let mut positions = self.positions();
        for column in 0..self.columns.len() {
            for _ in 0..4 {
                let mut has_changed = false;
                let length = self.columns.get(column).map_or(0, Vec::len);
                for at in 1..length {
                    let Some(items) = self.columns.get_mut(column) else { continue };
                    let (Some(upper), Some(lower)) = (items.get(at - 1).copied(), items.get(at).copied())
                    else {
                        continue;
                    };
                    if self.lane.get(upper) != self.lane.get(lower) {
                        continue;
                    }
                    let cost = |first: usize, second: usize| {
                        crossed(&positions, &self.before, first, second)
                            + crossed(&positions, &self.after, first, second)
                    };
                    if cost(lower, upper) < cost(upper, lower) {
                        items.swap(at - 1, at);
                        positions.swap(upper, lower);
                        has_changed = true;
                    }
                }
                if !has_changed {
                    break;
                }
            }
        }
    }

    /// How many pairs of lines cross between columns.
    pub(super) fn crossings(&self) -> usize {
        let positions = self.positions();
        let at = |item: usize| positions.get(item).copied().unwrap_or_default();
        let mut count = 0;
        for column in &self.columns {
            let mut ends: Vec<(f64, f64)> = Vec::new();
            for item in column {
                let after = self.after.get(*item).into_iter().flatten();
                ends.extend(after.map(|other| (at(*item), at(*other))));
            }
            ends.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
            count += inversions(&mut ends.iter().map(|(_, right)| *right).collect::<Vec<_>>());
        }
        count
    }
}

/// How many lines of two items of a column cross, to neighbors on one side, if the first stands above the second.
fn crossed(positions: &[f64], neighbors: &[Vec<usize>], first: usize, second: usize) -> usize {
    let at = |item: &usize| positions.get(*item).copied().unwrap_or_default();
    let list = |item: usize| neighbors.get(item).map_or(&[][..], Vec::as_slice);
    list(first).iter().map(|a| list(second).iter().filter(|b| at(b) < at(a)).count()).sum()
}

/// How many pairs are in the wrong order, by sorting them.
fn inversions(values: &mut [f64]) -> usize {
    let middle = values.len() / 2;
    if middle == 0 {
        return 0;
    }
    let (left, right) = values.split_at_mut(middle);
    let mut count = inversions(left) + inversions(right);
    let mut merged = Vec::with_capacity(left.len() + right.len());
    let (mut l, mut r) = (left.iter().peekable(), right.iter().peekable());
    while let (Some(a), Some(b)) = (l.peek(), r.peek()) {
        if a <= b {
            merged.extend(l.next());
        } else {
            count += l.len();
            merged.extend(r.next());
        }
    }
    let merged: Vec<f64> = merged.into_iter().chain(l).chain(r).copied().collect();
    values.copy_from_slice(&merged);
    count
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn inversions_are_counted(values in prop::collection::vec(0_u8..20, 0..40)) {
            let mut floats: Vec<f64> = values.iter().map(|value| f64::from(*value)).collect();
            let pairs = (0..values.len()).flat_map(|a| (a + 1..values.len()).map(move |b| (a, b)));
            let expected = pairs.filter(|(a, b)| values[*a] > values[*b]).count();
            prop_assert_eq!(inversions(&mut floats), expected);
            prop_assert!(floats.is_sorted());
        }
    }
}
