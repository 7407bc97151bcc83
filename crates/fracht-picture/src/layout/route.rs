//! The ways of lines: level inside a column, bent between columns.

use super::card::Card;
use super::columns::Grid;
use super::order::Stacks;
use super::place::Placed;

/// A line at its place.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    /// The link.
    pub link: usize,
    /// Its points from left to right. From one with an even index to the next it bends, from one with an odd index it
    /// is level.
    pub points: Vec<(f64, f64)>,
    /// Whether it is drawn from its end to its start, since it closes a circle: its arrow is at the left end.
    pub is_back: bool,
}

/// The least distance of two lines at the edge of a box.
const APART: f64 = 11.0;

/// The lines of all links.
pub(super) fn lines(grid: &Grid, stacks: &Stacks, placed: &Placed, cards: &[Card]) -> Vec<Line> {
    let middle = |item: usize| placed.middles.get(item).copied().unwrap_or_default();
    let column =
        |item: usize| stacks.column.get(item).and_then(|column| placed.columns.get(*column)).copied();
    // The lines that leave each box, in the order in which they go on, so that they do not cross at once.
    let mut leaving: Vec<Vec<(f64, usize)>> = vec![Vec::new(); cards.len()];
    for (link, way) in stacks.ways.iter().enumerate() {
        let is_back = grid.reversed.get(link) == Some(&true);
        if let [first, next, ..] = way.as_slice()
            && !is_back
            && let Some(list) = leaving.get_mut(*first)
        {
            let target = match (way.len(), cards.get(*next)) {
                (2, Some(card)) => card.row(port(stacks, link)),
                _ => middle(*next),
            };
            list.push((target, link));
        }
    }
    let mut starts = vec![0.0; stacks.ways.len()];
    for (card, mut list) in cards.iter().zip(leaving) {
        list.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let room = (card.rect.height - 24.0).max(0.0);
        let apart = if list.len() > 1 { (room / (list.len() - 1) as f64).min(APART) } else { 0.0 };
        let first =
            card.rect.y + card.rect.height / 2.0 - apart * (list.len().saturating_sub(1)) as f64 / 2.0;
        for (index, (_, link)) in list.into_iter().enumerate() {
            if let Some(slot) = starts.get_mut(link) {
                *slot = first + apart * index as f64;
            }
        }
    }
    let line = |(link, way): (usize, &Vec<usize>)| {
        let is_back = grid.reversed.get(link) == Some(&true);
        let port = port(stacks, link);
        let mut points = Vec::with_capacity(way.len() * 2);
        for (step, item) in way.iter().enumerate() {
            let Some(rect) = column(*item) else { continue };
            let is_first = step == 0;
            let is_last = step + 1 == way.len();
            match cards.get(*item) {
                Some(card) if is_first => {
                    let y =
                        if is_back { card.row(port) } else { starts.get(link).copied().unwrap_or_default() };
                    points.push((card.rect.right(), y));
                }
                Some(card) if is_last => {
                    // A line back must not look like one to a port.
                    let y = if is_back { card.rect.y + 7.0 } else { card.row(port) };
                    points.push((card.rect.x, y));
                }
                _ => {
                    let y = middle(*item);
                    points.push((rect.x, y));
                    points.push((rect.right(), y));
                }
            }
        }
        Line { link, points, is_back }
    };
    stacks.ways.iter().enumerate().map(line).collect()
}

fn port(stacks: &Stacks, link: usize) -> Option<usize> {
    stacks.ports.get(link).copied().flatten()
}

impl Line {
    /// Points along the line, close enough to see what it touches.
    pub fn samples(&self) -> Vec<(f64, f64)> {
        let mut samples = Vec::new();
        for (index, pair) in self.points.windows(2).enumerate() {
            let [from, to] = pair else { continue };
            for step in 0..=24 {
                let t = f64::from(step) / 24.0;
                samples.push(if index % 2 == 0 { bend(*from, *to, t) } else { level(*from, *to, t) });
            }
        }
        samples
    }
}

/// The control points of a bend: it is level at both ends.
pub(crate) fn controls(from: (f64, f64), to: (f64, f64)) -> ((f64, f64), (f64, f64)) {
    let reach = (to.0 - from.0) * 0.5;
    ((from.0 + reach, from.1), (to.0 - reach, to.1))
}

/// A point of a bend, which is a cubic Bézier curve.
fn bend(from: (f64, f64), to: (f64, f64), t: f64) -> (f64, f64) {
    let (one, two) = controls(from, to);
    let rest = 1.0 - t;
    let at = |a: f64, b: f64, c: f64, d: f64| {
        rest * rest * rest * a + 3.0 * rest * rest * t * b + 3.0 * rest * t * t * c + t * t * t * d
    };
    (at(from.0, one.0, two.0, to.0), at(from.1, one.1, two.1, to.1))
}

fn level(from: (f64, f64), to: (f64, f64), t: f64) -> (f64, f64) {
    (from.0 + (to.0 - from.0) * t, from.1 + (to.1 - from.1) * t)
}
