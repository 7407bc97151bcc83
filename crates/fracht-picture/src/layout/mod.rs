//! Gives everything in a picture its place.
//!
//! Boxes stand in columns, so that every line leads to a higher column, and in lanes, one for each set of networks, so
//! that a network is a rectangle over its lanes. All columns' boxes are as wide as the widest; a line is level inside a
//! column, in a gap between boxes, and bends only between columns. So no line can pass through a box.

mod card;
mod columns;
mod lanes;
mod middles;
mod order;
mod place;
mod route;

use crate::diagram::{By, Diagram, LinkKind as Kind, NodeKind};
use crate::font::Style;

pub use card::{Card, Mark};
pub use route::Line;
pub(crate) use route::controls;

/// A rectangle, in pixels; y grows downwards.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Rect {
    /// The left edge.
    pub x: f64,
    /// The upper edge.
    pub y: f64,
    /// The width.
    pub width: f64,
    /// The height.
    pub height: f64,
}

impl Rect {
    /// The right edge.
    pub fn right(&self) -> f64 {
        self.x + self.width
    }

    /// The lower edge.
    pub fn bottom(&self) -> f64 {
        self.y + self.height
    }

    /// Whether two rectangles share a point inside both.
    pub fn overlaps(&self, other: &Self) -> bool {
        self.x < other.right() && other.x < self.right() && self.y < other.bottom() && other.y < self.bottom()
    }

    /// Whether another rectangle lies in this one.
    pub fn contains(&self, other: &Self) -> bool {
        self.x <= other.x
            && self.y <= other.y
            && other.right() <= self.right()
            && other.bottom() <= self.bottom()
    }
}

/// A text at its place.
#[derive(Clone, Debug, PartialEq)]
pub struct Label {
    /// What is shown.
    pub text: String,
    /// The whole text, if that is longer.
    pub whole: Option<String>,
    /// The left end of its base line.
    pub x: f64,
    /// Its base line.
    pub y: f64,
    /// How wide it is.
    pub width: f64,
    /// Its size and weight.
    pub style: Style,
    /// Its color.
    pub ink: Ink,
}

impl Label {
    /// A text that starts at a point, cut to a width.
    pub(crate) fn new(text: &str, (x, y): (f64, f64), style: Style, ink: Ink, most: f64) -> Self {
        let shown = style.cut(text, most);
        let whole = (shown != text).then(|| text.to_owned());
        Self { width: style.width(&shown), text: shown, whole, x, y, style, ink }
    }

    /// The same, ending at a point.
    pub(crate) fn ending(text: &str, (x, y): (f64, f64), style: Style, ink: Ink, most: f64) -> Self {
        let label = Self::new(text, (x, y), style, ink, most);
        Self { x: x - label.width, ..label }
    }

    /// The place that it takes.
    pub fn rect(&self) -> Rect {
        let height = self.style.size;
        Rect { x: self.x, y: self.y - height * 0.78, width: self.width, height }
    }
}

/// What a color is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ink {
    /// The text.
    Text,
    /// Small text.
    Small,
    /// What is open to the world.
    Open,
    /// A text on a solid tab.
    OnTab,
}

/// The area of a network: a rectangle with a tab for its name.
#[derive(Clone, Debug, PartialEq)]
pub struct Area {
    /// The network, as an index of the diagram's groups.
    pub group: usize,
    /// The area.
    pub rect: Rect,
    /// The tab.
    pub tab: Rect,
    /// The name in the tab.
    pub label: Label,
}

/// Everything at its place.
#[derive(Clone, Debug, PartialEq)]
pub struct Layout {
    /// The width of the picture.
    pub width: f64,
    /// Its height.
    pub height: f64,
    /// The frame of the stack.
    pub frame: Rect,
    /// The boxes, one for each node.
    pub cards: Vec<Card>,
    /// The areas of networks, larger ones first.
    pub areas: Vec<Area>,
    /// The lines, one for each link.
    pub lines: Vec<Line>,
    /// The texts outside of boxes and tabs.
    pub labels: Vec<Label>,
    /// The samples of the legend: where each is drawn, and what.
    pub legend: Vec<(Rect, Sample)>,
    /// Whether networks are chips on the boxes, since areas would be split.
    pub has_chips: bool,
}

/// A sample of the legend.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sample {
    /// A line for a use.
    Uses,
    /// A line for a wait.
    Waits,
    /// A line for a mount.
    Mounts,
    /// A line from the world.
    Opens,
    /// A line for an order.
    Before,
    /// A line of the longest chain.
    Longest,
    /// A line that leads back.
    Back,
    /// A port that nothing uses.
    Unused,
    /// A network, as an index of the diagram's groups.
    Network(usize),
}

/// The column of each node, and the names of columns.
pub(crate) fn columns_of(diagram: &Diagram) -> (Vec<usize>, Vec<Option<String>>) {
    let grid = columns::grid(diagram);
    (grid.column, grid.names)
}

/// The size of a heading.
pub(crate) const HEADING: Style = Style { size: 17.0, bold: true };
/// The size of names.
pub(crate) const NAME: Style = Style { size: 14.5, bold: true };
/// The size of port names and of the tab of a network.
pub(crate) const STRONG: Style = Style { size: 12.5, bold: true };
/// The size of everything else.
pub(crate) const SMALL: Style = Style { size: 12.0, bold: false };

/// The space around the picture.
const MARGIN: f64 = 26.0;
/// The space between the frame and what is in it.
const INSET: f64 = 34.0;
/// The height of the title.
const TITLE: f64 = 62.0;

impl Layout {
    /// The layout of a diagram.
    pub fn of(diagram: &Diagram) -> Self {
        let has_chips = lanes::needs_chips(diagram);
        let mut cards: Vec<Card> =
            diagram.nodes.iter().map(|node| Card::of(node, diagram, has_chips)).collect();
        let grid = columns::grid(diagram);
        let lanes = lanes::Lanes::of(diagram, has_chips);
        let stacks = order::ordered(diagram, &grid, &lanes);
        let mut frame = place::place(diagram, &grid, &lanes, &stacks, &mut cards);
        let lines = route::lines(&grid, &stacks, &frame, &cards);
        let mut layout = Self {
            width: 0.0,
            height: 0.0,
            frame: frame.rect,
            areas: std::mem::take(&mut frame.areas),
            lines,
            cards,
            labels: Vec::new(),
            legend: Vec::new(),
            has_chips,
        };
        layout.title(diagram, &frame);
        layout.legend(diagram);
        layout.bounds(diagram);
        layout
    }

    fn title(&mut self, diagram: &Diagram, placed: &place::Placed) {
        let (x, y) = (self.frame.x + 20.0, self.frame.y + 32.0);
        let most = self.frame.width - 40.0;
        let name = Label::new(&diagram.stack, (x, y), HEADING, Ink::Text, most * 0.6);
        let more = match (&diagram.title, diagram.by) {
            (Some(title), By::Network) => format!("{title} · target {}", diagram.target),
            (None, By::Network) => format!("target {}", diagram.target),
            (_, By::Wave) => format!("start order · target {}", diagram.target),
        };
        let at = (name.x + name.width + 12.0, y);
        let rest = most - name.width - 12.0;
        self.labels.push(name);
        if rest > 60.0 {
            self.labels.push(Label::new(&more, at, SMALL, Ink::Small, rest));
        }
        if diagram.is_machine {
            let at = (self.frame.right() - 20.0, self.frame.bottom() - 14.0);
            let text = "this machine";
            self.labels.push(Label::ending(text, at, STRONG, Ink::Small, 200.0));
        }
        for (column, rect) in placed.columns.iter().enumerate() {
            let heading = match diagram.by {
                By::Wave => match placed.names.get(column).cloned().flatten() {
                    Some(name) => name,
                    None => continue,
                },
                By::Network => {
                    let kinds: Vec<NodeKind> = self
                        .cards
                        .iter()
                        .zip(&diagram.nodes)
                        .filter(|(card, _)| (card.rect.x - rect.x).abs() < 0.5)
                        .map(|(_, node)| node.kind)
                        .collect();
                    match kinds.first() {
                        Some(NodeKind::WayIn) if !diagram.is_machine => "the world".to_owned(),
                        Some(NodeKind::Outside) if diagram.is_machine => "outside of this machine".to_owned(),
                        Some(NodeKind::Outside) => "outside of the stack".to_owned(),
                        _ => continue,
                    }
                }
            };
            let width = STRONG.width(&heading);
            let (y, ink) = match diagram.by {
                By::Wave => (self.frame.y + TITLE + 4.0, Ink::Small),
                By::Network if heading == "the world" => (self.frame.y + 32.0, Ink::Open),
                By::Network => (self.frame.y + 32.0, Ink::Small),
            };
            let x = rect.x + (rect.width - width) / 2.0;
            self.labels.push(Label::new(&heading, (x, y), STRONG, ink, width + 1.0));
        }
    }

    /// The samples that the picture needs, in rows below everything in the frame.
    fn legend(&mut self, diagram: &Diagram) {
        let mut samples: Vec<(Sample, String)> = Vec::new();
        let has = |wanted: fn(&Kind) -> bool| diagram.links.iter().any(|link| wanted(&link.kind));
        if has(|kind| matches!(kind, Kind::Opens)) {
            samples.push((Sample::Opens, "open to the outside".to_owned()));
        }
        if has(|kind| matches!(kind, Kind::Uses)) {
            samples.push((Sample::Uses, "uses".to_owned()));
        }
        if has(|kind| matches!(kind, Kind::Waits)) {
            samples.push((Sample::Waits, "waits for, no more".to_owned()));
        }
        if has(|kind| matches!(kind, Kind::Mounts)) {
            samples.push((Sample::Mounts, "mounts".to_owned()));
        }
        if has(|kind| matches!(kind, Kind::Before(false))) {
            samples.push((Sample::Before, "starts before".to_owned()));
        }
        if has(|kind| matches!(kind, Kind::Before(true))) {
            samples.push((Sample::Longest, "longest chain".to_owned()));
        }
        if self.lines.iter().any(|line| line.is_back) {
            samples.push((Sample::Back, "leads back".to_owned()));
        }
        if diagram.nodes.iter().any(|node| node.ports.iter().any(|port| !port.used && !port.open))
            && diagram.by == By::Network
        {
            samples.push((Sample::Unused, "port that nothing here uses".to_owned()));
        }
        if self.has_chips {
            for (index, group) in diagram.groups.iter().enumerate() {
                let closed = if group.closed { " · closed" } else { "" };
                samples.push((Sample::Network(index), format!("{}{closed}", group.name)));
            }
        }
        let (left, right) = (self.frame.x + 20.0, self.frame.right() - 20.0);
        let (mut x, mut y) = (left, self.frame.bottom() - 12.0);
        let rooms = if diagram.is_machine { 110.0 } else { 0.0 };
        let mut rows = 0;
        for (sample, text) in samples {
            let wide = 30.0 + 8.0 + SMALL.width(&text) + 26.0;
            let room = if rows == 0 { right - rooms } else { right };
            if x > left && x + wide > room {
                (x, y) = (left, y + 22.0);
                rows += 1;
            }
            self.legend.push((Rect { x, y: y - 9.0, width: 30.0, height: 10.0 }, sample));
            let most = right - x - 38.0;
            self.labels.push(Label::new(&text, (x + 38.0, y), SMALL, Ink::Small, most.max(40.0)));
            x += wide;
        }
        self.frame.height += f64::from(rows) * 22.0 + 8.0;
    }

    /// The size of the picture, with its notes at the foot.
    fn bounds(&mut self, diagram: &Diagram) {
        let mut right = self.frame.right();
        let mut bottom = self.frame.bottom();
        for rect in self.cards.iter().map(Card::outer).chain(self.labels.iter().map(Label::rect)) {
            right = right.max(rect.right());
            bottom = bottom.max(rect.bottom());
        }
        for note in &diagram.notes {
            bottom += 22.0;
            let at = (self.frame.x, bottom);
            self.labels.push(Label::new(note, at, SMALL, Ink::Small, right - self.frame.x));
        }
        self.width = (right + MARGIN).ceil();
        self.height = (bottom + MARGIN).ceil();
    }
}
