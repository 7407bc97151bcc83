//! The box of a node: its size, and the places of its texts and marks.

use super::{Ink, Label, NAME, Rect, SMALL, STRONG};
use crate::diagram::{Diagram, Node, NodeKind, OPEN_STORE, Sign, Text};
use crate::font::Style;

/// A box at its place. All places of its parts are relative to its upper left corner until it is placed.
#[derive(Clone, Debug, PartialEq)]
pub struct Card {
    /// The box.
    pub rect: Rect,
    /// Whether a second card stands behind it: it has replicas.
    pub stacked: bool,
    /// Its texts.
    pub labels: Vec<Label>,
    /// The heights of the middles of its port rows.
    pub ports: Vec<f64>,
    /// The height of the middle of its name.
    pub middle: f64,
    /// The boxes in it.
    pub inner: Vec<Rect>,
    /// The marks before rows.
    pub marks: Vec<(Mark, f64, f64)>,
    /// The chips of its networks, each with its group.
    pub chips: Vec<(Rect, usize)>,
}

/// A mark before a row, 13 pixels wide and high.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mark {
    /// A cylinder: a volume.
    Volume,
    /// A folder.
    Folder,
    /// A sheet: a config.
    Config,
    /// A key: a secret.
    Secret,
}

/// The space between the edge of a box and its texts.
const PAD: f64 = 12.0;
/// The height of a row.
const ROW: f64 = 19.0;
/// The widest text of a box.
const WIDEST: f64 = 250.0;
/// The least width of a box.
const LEAST: f64 = 120.0;
/// How far a second card looks out behind the first.
pub(super) const BEHIND: f64 = 5.0;

impl Card {
    /// The box of a node, at the origin.
    pub(super) fn of(node: &Node, diagram: &Diagram, has_chips: bool) -> Self {
        let mut card = Self {
            rect: Rect::default(),
            stacked: node.copies.is_some(),
            labels: Vec::new(),
            ports: Vec::new(),
            middle: 0.0,
            inner: Vec::new(),
            marks: Vec::new(),
            chips: Vec::new(),
        };
        if node.kind == NodeKind::WayIn {
            card.pill(node);
            return card;
        }
        let mut y = 22.0;
        card.middle = y - 5.0;
        let tags: Vec<&str> = [&node.tag, &node.copies].into_iter().flatten().map(String::as_str).collect();
        let tag = tags.join("  ");
        card.text(&node.name, (PAD, y), NAME, Ink::Text);
        let mut wide = PAD + card.widest();
        if !tag.is_empty() {
            let is_open = node.tag.as_deref() == Some(OPEN_STORE);
            let ink = if is_open { Ink::Open } else { Ink::Small };
            // Its place is at the right edge, which is not known yet.
            card.text(&tag, (f64::NAN, y), SMALL, ink);
            wide += 18.0 + SMALL.width(&tag);
        }
        if let Some(line) = &node.line {
            y += ROW - 1.0;
            card.image(line, (PAD, y));
            wide = wide.max(PAD + card.last());
        }
        for port in &node.ports {
            y += ROW;
            let (name, number) = if port.open { (Ink::Open, Ink::Open) } else { (Ink::Text, Ink::Small) };
            card.text(&port.name, (PAD, y), STRONG, name);
            let after = PAD + card.last() + 6.0;
            card.text(&port.number, (after, y), SMALL, number);
            wide = wide.max(after + card.last());
            card.ports.push(y - 4.5);
        }
        for row in &node.rows {
            y += ROW;
            let mark = match row.sign {
                Sign::Volume => Some(Mark::Volume),
                Sign::Folder => Some(Mark::Folder),
                Sign::Config => Some(Mark::Config),
                Sign::Secret => Some(Mark::Secret),
                Sign::Behind | Sign::Time => None,
            };
            let mut x = PAD;
            if let Some(mark) = mark {
                card.marks.push((mark, PAD, y - 11.0));
                x += 19.0;
            }
            if !row.name.is_empty() {
                card.text(&row.name, (x, y), SMALL, Ink::Text);
                x += card.last() + 6.0;
            }
            card.text(&row.more, (x, y), SMALL, Ink::Small);
            wide = wide.max(x + card.last());
        }
        for inner in &node.inner {
            let top = y + 9.0;
            y = top + 16.0;
            card.text(&inner.name, (PAD + 6.0, y), STRONG, Ink::Text);
            wide = wide.max(PAD + 12.0 + card.last());
            y += 16.0;
            card.image(&inner.line, (PAD + 6.0, y));
            wide = wide.max(PAD + 12.0 + card.last());
            y += 7.0;
            card.inner.push(Rect { x: 7.0, y: top, width: 0.0, height: y - top });
        }
        if has_chips && !node.groups.is_empty() {
            y += 9.0;
            let mut x = PAD;
            for group in &node.groups {
                let name = diagram.groups.get(*group).map_or("", |group| group.name.as_str());
                let width = SMALL.width(&SMALL.cut(name, 110.0)) + 12.0;
                if x > PAD && x + width > WIDEST {
                    (x, y) = (PAD, y + 21.0);
                }
                card.chips.push((Rect { x, y, width, height: 17.0 }, *group));
                card.labels.push(Label::new(name, (x + 6.0, y + 12.5), SMALL, Ink::OnTab, 110.0));
                x += width + 6.0;
                wide = wide.max(x - 6.0);
            }
            y += 17.0;
        }
        card.rect = Rect { x: 0.0, y: 0.0, width: (wide + PAD).max(LEAST).ceil(), height: (y + 11.0).ceil() };
        card
    }

    /// The pill of a way in.
    fn pill(&mut self, node: &Node) {
        self.text(&node.name, (20.0, 19.0), STRONG, Ink::Text);
        let mut wide = self.last();
        if let Some(line) = &node.line {
            self.text(&line.shown, (20.0, 34.0), SMALL, Ink::Small);
            wide = wide.max(self.last());
        }
        self.middle = 21.5;
        self.rect = Rect { x: 0.0, y: 0.0, width: (wide + 40.0).ceil(), height: 43.0 };
    }

    fn text(&mut self, text: &str, at: (f64, f64), style: Style, ink: Ink) {
        self.labels.push(Label::new(text, at, style, ink, WIDEST));
    }

    /// The line of an image: shown in part, with the whole beside it.
    fn image(&mut self, text: &Text, at: (f64, f64)) {
        let mut label = Label::new(&text.shown, at, SMALL, Ink::Small, WIDEST);
        label.whole = (text.whole != label.text).then(|| text.whole.clone());
        self.labels.push(label);
    }

    fn last(&self) -> f64 {
        self.labels.last().map_or(0.0, |label| label.width)
    }

    fn widest(&self) -> f64 {
        self.labels.iter().map(|label| label.width).fold(0.0, f64::max)
    }

    /// The width with the second card.
    pub(super) fn outer_width(&self) -> f64 {
        self.rect.width + if self.stacked { BEHIND } else { 0.0 }
    }

    /// The height with the second card.
    pub(super) fn outer_height(&self) -> f64 {
        self.rect.height + if self.stacked { BEHIND } else { 0.0 }
    }

    /// The place that it takes, with the second card.
    pub fn outer(&self) -> Rect {
        let behind = if self.stacked { BEHIND } else { 0.0 };
        Rect {
            x: self.rect.x,
            y: self.rect.y - behind,
            width: self.rect.width + behind,
            height: self.rect.height + behind,
        }
    }

    /// Widens it to a column, and moves it so that the upper left corner of its outer place is at a point.
    pub(super) fn put(&mut self, kind: NodeKind, (x, y): (f64, f64), width: f64) {
        let behind = if self.stacked { BEHIND } else { 0.0 };
        let (x, y) = (x, y + behind);
        let wide = width - behind;
        if kind == NodeKind::WayIn {
            for label in &mut self.labels {
                label.x = (wide - label.width) / 2.0;
            }
        }
        self.rect = Rect { x, y, width: wide, height: self.rect.height };
        for label in &mut self.labels {
            if label.x.is_nan() {
                label.x = wide - PAD - label.width;
            }
            label.x += x;
            label.y += y;
        }
        for inner in &mut self.inner {
            *inner = Rect { x: x + inner.x, y: y + inner.y, width: wide - 14.0, height: inner.height };
        }
        for (_, mark_x, mark_y) in &mut self.marks {
            *mark_x += x;
            *mark_y += y;
        }
        for (chip, _) in &mut self.chips {
            chip.x += x;
            chip.y += y;
        }
        self.ports.iter_mut().for_each(|port| *port += y);
        self.middle += y;
    }

    /// Where a line to a port, or to the box as a whole, ends.
    pub fn row(&self, port: Option<usize>) -> f64 {
        port.and_then(|port| self.ports.get(port)).copied().unwrap_or(self.middle)
    }
}
