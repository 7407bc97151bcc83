//! Where columns, lanes and boxes are.

use super::card::Card;
use super::columns::Grid;
use super::lanes::{Extent, Lanes};
use super::middles::Columns;
use super::order::Stacks;
use super::{Area, INSET, Ink, Label, MARGIN, Rect, STRONG, TITLE};
use crate::diagram::{Diagram, NodeKind};

/// The frame with everything that has a place in it.
#[derive(Clone, Debug)]
pub(super) struct Placed {
    /// The frame of the stack.
    pub(super) rect: Rect,
    /// The areas of networks, larger ones first.
    pub(super) areas: Vec<Area>,
    /// The columns, without the gaps between them.
    pub(super) columns: Vec<Rect>,
    /// The names of the columns.
    pub(super) names: Vec<Option<String>>,
    /// The height of the middle of each item.
    pub(super) middles: Vec<f64>,
}

/// The height of the strip of a lane with the tab of an area.
const STRIP: f64 = 32.0;
/// The space below what is in an area.
const FOOT: f64 = 14.0;
/// The space between two lanes.
const BETWEEN: f64 = 12.0;
/// The least space between the columns.
const GAP: f64 = 58.0;
/// The width of a column without boxes.
const EMPTY: f64 = 24.0;
/// The least width of a frame.
const LEAST: f64 = 420.0;

/// The lanes with their heights.
struct Heights {
    /// The upper and the lower edge of what is in each lane.
    content: Vec<(f64, f64)>,
    /// The upper edge of each lane.
    top: Vec<f64>,
    /// The lower edge of each lane.
    bottom: Vec<f64>,
}

/// Places everything. Cards are widened to their columns and moved.
pub(super) fn place(
    diagram: &Diagram,
    grid: &Grid,
    lanes: &Lanes,
    stacks: &Stacks,
    cards: &mut [Card],
) -> Placed {
    let areas = Areas::of(diagram, grid, lanes);
    let here = Columns { diagram, grid, stacks, cards };
    let columns = columns(here, &areas);
    let heights = heights(here, lanes, &areas);
    let middles = here.middles(&heights.content, MARGIN + TITLE);
    for (node, card) in cards.iter_mut().enumerate() {
        let kind = diagram.nodes.get(node).map_or(NodeKind::Service, |node| node.kind);
        let column = grid.column.get(node).and_then(|column| columns.get(*column)).copied();
        let column = column.unwrap_or_default();
        let middle = middles.get(node).copied().unwrap_or_default();
        let top = middle - card.outer_height() / 2.0;
        card.put(kind, (column.x, top), column.width);
    }
    let rect = frame(Columns { diagram, grid, stacks, cards }, &columns, &heights);
    let areas = (0..areas.all.len()).filter_map(|index| areas.area(index, &columns, &heights));
    Placed { areas: areas.collect(), rect, names: grid.names.clone(), columns, middles }
}

/// The extents of networks, larger ones first, each with the text of its tab.
struct Areas {
    all: Vec<(Extent, String)>,
}

impl Areas {
    fn of(diagram: &Diagram, grid: &Grid, lanes: &Lanes) -> Self {
        let mut extents = lanes.areas(diagram, grid);
        // Larger ones first: they are drawn below the others.
        let size = |extent: &Extent| (extent.lanes.1 - extent.lanes.0, extent.columns.1 - extent.columns.0);
        extents.sort_by_key(|extent| (std::cmp::Reverse(size(extent)), extent.group, extent.part));
        let named = |extent: Extent| {
            let name = name(diagram, &extent);
            (extent, name)
        };
        Self { all: extents.into_iter().map(named).collect() }
    }

    /// How far an area reaches beyond its columns: one that may hold others, more.
    fn pad(&self, index: usize) -> f64 {
        12.0 + 8.0 * (self.all.len() - 1 - index).min(5) as f64
    }

    /// How far the areas that begin or end at a column reach beyond it.
    fn widest_pad(&self, column: usize, edge: fn(&Extent) -> usize) -> f64 {
        let here = self.all.iter().enumerate().filter(|(_, (extent, _))| edge(extent) == column);
        here.map(|(index, _)| self.pad(index)).fold(0.0, f64::max)
    }

    /// How many of the first areas begin or end with a lane.
    fn count(&self, first: usize, lane: usize, edge: fn(&Extent) -> usize) -> f64 {
        self.all.iter().take(first).filter(|(extent, _)| edge(extent) == lane).count() as f64
    }

    fn area(&self, index: usize, columns: &[Rect], heights: &Heights) -> Option<Area> {
        let (extent, name) = self.all.get(index)?;
        let (first, last) = (columns.get(extent.columns.0)?, columns.get(extent.columns.1)?);
        // Of areas that begin or end with the same lane, those that are larger hold the others.
        let (upper, lower) = extent.lanes;
        let top = heights.top.get(upper)? + STRIP * self.count(index, upper, |extent| extent.lanes.0);
        let bottom = heights.bottom.get(lower)? - FOOT * self.count(index, lower, |extent| extent.lanes.1);
        let pad = self.pad(index);
        let width = last.right() + pad - (first.x - pad);
        let rect = Rect { x: first.x - pad, y: top, width, height: bottom - top };
        let tab = Rect { x: first.x, y: top + 6.0, width: tab_width(name), height: 20.0 };
        let at = (tab.x + 9.0, tab.y + 14.5);
        let label = Label::new(name, at, STRONG, Ink::OnTab, tab.width);
        Some(Area { group: extent.group, rect, tab, label })
    }
}

fn tab_width(name: &str) -> f64 {
    STRONG.width(name) + 18.0
}

/// The text of the tab of an area.
fn name(diagram: &Diagram, extent: &Extent) -> String {
    let Some(group) = diagram.groups.get(extent.group) else { return String::new() };
    let closed = if group.closed { " · closed" } else { "" };
    let part = match extent.part {
        (_, 1) => String::new(),
        (part, all) => format!(", {part} of {all}"),
    };
    let admits = if group.admits.is_empty() { "" } else { " · admits other stacks" };
    format!("{}{part}{closed}{admits}", group.name)
}

fn columns(here: Columns<'_>, areas: &Areas) -> Vec<Rect> {
    let Columns { diagram, grid, stacks, cards } = here;
    let mut widths = vec![EMPTY; grid.columns];
    for (node, card) in cards.iter().enumerate() {
        let column = grid.column.get(node).copied().unwrap_or_default();
        if let Some(width) = widths.get_mut(column) {
            *width = width.max(card.outer_width());
        }
    }
    for (extent, name) in &areas.all {
        if let Some(width) = widths.get_mut(extent.columns.0) {
            *width = width.max(tab_width(name));
        }
    }
    for (name, width) in grid.names.iter().zip(&mut widths) {
        *width = width.max(STRONG.width(name.as_deref().unwrap_or_default()));
    }
    // How many lines each column is touched by.
    let mut lines = vec![0.0_f64; grid.columns];
    for way in stacks.ways.iter().filter(|way| way.len() > 1) {
        for column in way.iter().filter_map(|item| stacks.column.get(*item)) {
            if let Some(count) = lines.get_mut(*column) {
                *count += 1.0;
            }
        }
    }
    let sides = Sides::of(diagram, grid);
    let mut x = if sides.has_ways { MARGIN } else { MARGIN + INSET };
    let mut placed: Vec<Rect> = Vec::new();
    for (column, (width, count)) in widths.iter().zip(lines).enumerate() {
        if column == 0 && !sides.has_ways {
            x += areas.widest_pad(column, |extent| extent.columns.0);
        }
        placed.push(Rect { x, y: 0.0, width: *width, height: 0.0 });
        let mut gap = GAP + (count * 2.5).min(90.0);
        gap += areas.widest_pad(column + 1, |extent| extent.columns.0);
        gap += areas.widest_pad(column, |extent| extent.columns.1);
        if column == 0 && sides.has_ways {
            gap += INSET - 10.0;
        }
        if sides.outside == Some(column + 1) {
            gap += INSET;
        }
        x += width + gap;
    }
    // A frame that is wider than its columns pushes those outside of it away.
    let (first, last) = (placed.get(sides.first).copied(), placed.get(sides.last).copied());
    if let (Some(first), Some(last)) = (first, last) {
        let missing = (LEAST - (last.right() - first.x) - 2.0 * INSET).max(0.0);
        placed.iter_mut().skip(sides.last + 1).for_each(|rect| rect.x += missing);
    }
    placed
}

/// Which columns are in the frame.
struct Sides {
    /// Whether the first column has the ways in, which are outside.
    has_ways: bool,
    /// The column of what is outside of the stack.
    outside: Option<usize>,
    /// The first column in the frame.
    first: usize,
    /// The last column in the frame.
    last: usize,
}

impl Sides {
    fn of(diagram: &Diagram, grid: &Grid) -> Self {
        let column_of = |kind: NodeKind| {
            let here = diagram.nodes.iter().zip(&grid.column).find(|(node, _)| node.kind == kind);
            here.map(|(_, column)| *column)
        };
        let has_ways = column_of(NodeKind::WayIn).is_some();
        let outside = column_of(NodeKind::Outside);
        let last = outside.unwrap_or(grid.columns).saturating_sub(1);
        Self { has_ways, outside, first: usize::from(has_ways).min(last), last }
    }
}

fn heights(here: Columns<'_>, lanes: &Lanes, areas: &Areas) -> Heights {
    let mut most = vec![0.0_f64; lanes.sets.len()];
    for column in &here.stacks.columns {
        for (lane, items) in here.by_lane(column) {
            if let Some(slot) = lane.and_then(|lane| most.get_mut(lane)) {
                *slot = slot.max(here.needed(&items));
            }
        }
    }
    let mut y = MARGIN + TITLE + 14.0;
    let mut heights = Heights { content: Vec::new(), top: Vec::new(), bottom: Vec::new() };
    for (lane, height) in most.into_iter().enumerate() {
        heights.top.push(y);
        let top = y + STRIP * areas.count(usize::MAX, lane, |extent| extent.lanes.0) + 8.0;
        let bottom = top + height;
        heights.content.push((top, bottom));
        y = bottom + FOOT * areas.count(usize::MAX, lane, |extent| extent.lanes.1) + 4.0;
        heights.bottom.push(y);
        y += BETWEEN;
    }
    heights
}

fn frame(here: Columns<'_>, columns: &[Rect], heights: &Heights) -> Rect {
    let sides = Sides::of(here.diagram, here.grid);
    let left = match columns.first().filter(|_| sides.has_ways) {
        // The numbers of a machine are at its edge.
        Some(ways) if here.diagram.is_machine => ways.x + ways.width / 2.0,
        Some(ways) => ways.right() + INSET,
        None => MARGIN,
    };
    let inner = columns.get(sides.last).map_or(left, Rect::right);
    let right = match sides.outside.and_then(|column| columns.get(column)) {
        Some(outside) => outside.x - INSET,
        None => (inner + INSET + 26.0).max(left + LEAST),
    };
    let bottom = heights.bottom.last().copied().unwrap_or_default();
    let bottom = here.cards.iter().map(|card| card.outer().bottom()).fold(bottom, f64::max);
    Rect { x: left, y: MARGIN, width: right.max(inner) - left, height: bottom + 38.0 - MARGIN }
}
