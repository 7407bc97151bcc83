//! Writes a picture as SVG (Scalable Vector Graphics 1.1).
//!
//! Texts are real texts, each with its length, so that they fit in whatever font a viewer has. For a raster image they
//! are written as outlines instead.

use std::fmt::Write as _;

use crate::diagram::{By, Diagram, LinkKind, NodeKind};
use crate::layout::{Card, Label, Layout, Line, Mark, Rect, Sample, controls};
use crate::theme::{Colors, Theme};

/// How texts are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Texts {
    /// As texts.
    Real,
    /// As outlines of the font.
    Outlines,
}

/// The picture of a diagram as SVG.
pub fn svg(diagram: &Diagram, layout: &Layout, theme: Theme) -> String {
    written(diagram, layout, theme, Texts::Real)
}

pub(crate) fn written(diagram: &Diagram, layout: &Layout, theme: Theme, texts: Texts) -> String {
    let mut out = Writer { out: String::new(), colors: theme.colors(), texts };
    out.picture(diagram, layout);
    out.out
}

struct Writer {
    out: String,
    colors: &'static Colors,
    texts: Texts,
}

/// A number with at most one decimal.
fn n(value: f64) -> String {
    let text = format!("{value:.1}");
    let text = text.strip_suffix(".0").unwrap_or(&text);
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}

/// The attributes of an edge.
fn edge(color: &str, width: f64, dashes: &str) -> String {
    let dashes = if dashes.is_empty() { String::new() } else { format!(" stroke-dasharray=\"{dashes}\"") };
    format!(" stroke=\"{color}\" stroke-width=\"{}\"{dashes}", n(width))
}

/// A text for XML: what it could take for markup is escaped, and characters that XML 1.0 does not have are left out.
pub(crate) fn xml(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\t' | '\n' | '\r' | ' '..='\u{7e}' | '\u{a0}'..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' => {
                out.push(c);
            }
            '\u{10000}'.. => out.push(c),
            _ => {}
        }
    }
    out
}

impl Writer {
    fn line(&mut self, text: &str) {
        self.out.push_str(text);
        self.out.push('\n');
    }

    fn picture(&mut self, diagram: &Diagram, layout: &Layout) {
        let (width, height) = (n(layout.width), n(layout.height));
        self.line(&format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
             viewBox=\"0 0 {width} {height}\" role=\"img\" aria-labelledby=\"title description\" \
             font-family=\"Inter, 'Segoe UI', 'Helvetica Neue', Arial, sans-serif\">"
        ));
        let title = format!("Stack {}, target {}", diagram.stack, diagram.target);
        self.line(&format!("<title id=\"title\">{}</title>", xml(&title)));
        self.line(&format!("<desc id=\"description\">{}</desc>", xml(&diagram.description())));
        let page = Rect { x: 0.0, y: 0.0, width: layout.width, height: layout.height };
        self.rect(&page, 0.0, self.colors.page, "");
        self.rect(&layout.frame, 12.0, self.colors.frame, &edge(self.colors.edge, 1.4, ""));
        for area in &layout.areas {
            let (color, dashes) = self.network(diagram, area.group);
            let more = format!(" fill-opacity=\"{}\"", self.colors.tint);
            self.rect(&area.rect, 11.0, color, &more);
            self.rect(&area.rect, 11.0, "none", &edge(color, 1.5, dashes));
        }
        for line in &layout.lines {
            let kind = diagram.links.get(line.link).map_or(LinkKind::Uses, |link| link.kind);
            self.route(line, kind);
        }
        for area in &layout.areas {
            let (color, _) = self.network(diagram, area.group);
            self.rect(&area.tab, 5.0, color, "");
            self.label(&area.label);
        }
        for (card, node) in layout.cards.iter().zip(&diagram.nodes) {
            self.card(card, node.kind, diagram);
        }
        for (card, node) in layout.cards.iter().zip(&diagram.nodes) {
            for (row, port) in card.ports.iter().zip(&node.ports) {
                if !port.used && diagram.by == By::Network {
                    let color = if port.open { self.colors.open } else { self.colors.edge };
                    self.dot(card.rect.x, *row, color);
                }
            }
        }
        for line in &layout.lines {
            let kind = diagram.links.get(line.link).map_or(LinkKind::Uses, |link| link.kind);
            self.arrow(line, kind);
        }
        for (rect, sample) in &layout.legend {
            self.sample(rect, *sample, diagram);
        }
        for label in &layout.labels {
            self.label(label);
        }
        self.line("</svg>");
    }

    /// The color and dashes of a network. The default network, which has no name of its own, is quiet.
    fn network(&self, diagram: &Diagram, group: usize) -> (&'static str, &'static str) {
        match diagram.groups.get(group) {
            Some(group) if group.is_default => (self.colors.edge, "3 3"),
            Some(group) => self.colors.network(group.color),
            None => self.colors.network(group),
        }
    }

    /// A rectangle, with further attributes.
    fn rect(&mut self, rect: &Rect, radius: f64, fill: &str, more: &str) {
        let radius = if radius > 0.0 { format!(" rx=\"{}\"", n(radius)) } else { String::new() };
        self.line(&format!(
            "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\"{radius} fill=\"{fill}\"{more}/>",
            n(rect.x),
            n(rect.y),
            n(rect.width),
            n(rect.height)
        ));
    }

    fn dot(&mut self, x: f64, y: f64, color: &str) {
        let fill = self.colors.card;
        self.line(&format!(
            "<circle cx=\"{}\" cy=\"{}\" r=\"3.6\" fill=\"{fill}\" stroke=\"{color}\" stroke-width=\"1.4\"/>",
            n(x),
            n(y)
        ));
    }

    fn card(&mut self, card: &Card, kind: NodeKind, diagram: &Diagram) {
        let colors = self.colors;
        let line = edge(colors.edge, 1.4, "");
        if card.stacked {
            let behind = Rect { x: card.rect.x + 5.0, y: card.rect.y - 5.0, ..card.rect };
            self.rect(&behind, 8.0, colors.card, &line);
        }
        match kind {
            NodeKind::WayIn => {
                let radius = card.rect.height / 2.0;
                self.rect(&card.rect, radius, colors.page, &edge(colors.open, 1.6, ""));
            }
            NodeKind::Service => self.rect(&card.rect, 8.0, colors.card, &line),
            NodeKind::Task => self.rect(&card.rect, 8.0, colors.task, &line),
            NodeKind::Volume => self.rect(&card.rect, 16.0, colors.card, &line),
            NodeKind::Outside => {
                self.rect(&card.rect, 8.0, colors.outside, &edge(colors.edge, 1.4, "2 3"));
            }
        }
        for inner in &card.inner {
            self.rect(inner, 6.0, colors.task, &edge(colors.edge, 1.0, ""));
        }
        for (mark, x, y) in &card.marks {
            self.mark(*mark, *x, *y);
        }
        for (chip, group) in &card.chips {
            let (color, _) = self.network(diagram, *group);
            self.rect(chip, 5.0, color, "");
        }
        for label in &card.labels {
            self.label(label);
        }
    }

    fn mark(&mut self, mark: Mark, x: f64, y: f64) {
        let at = |dx: f64, dy: f64| format!("{} {}", n(x + dx), n(y + dy));
        let path = match mark {
            Mark::Volume => format!(
                "M{}C{} {} {}C{} {} {}V{}C{} {} {}V{}",
                at(0.5, 3.0),
                at(0.5, 0.0),
                at(12.5, 0.0),
                at(12.5, 3.0),
                at(12.5, 6.0),
                at(0.5, 6.0),
                at(0.5, 3.0),
                n(y + 10.5),
                at(0.5, 13.5),
                at(12.5, 13.5),
                at(12.5, 10.5),
                n(y + 3.0)
            ),
            Mark::Folder => format!(
                "M{}H{}L{}H{}V{}H{}Z",
                at(0.5, 2.5),
                n(x + 5.0),
                at(6.5, 4.5),
                n(x + 12.5),
                n(y + 11.5),
                n(x + 0.5)
            ),
            Mark::Config => format!(
                "M{}H{}V{}H{}ZM{}H{}M{}H{}",
                at(2.0, 0.8),
                n(x + 11.0),
                n(y + 12.5),
                n(x + 2.0),
                at(4.3, 4.5),
                n(x + 8.7),
                at(4.3, 8.0),
                n(x + 8.7)
            ),
            Mark::Secret => format!(
                "M{}a2.8 2.8 0 1 1 5.6 0a2.8 2.8 0 1 1 -5.6 0M{}H{}M{}V{}",
                at(0.6, 6.5),
                at(6.2, 6.5),
                n(x + 12.5),
                at(10.8, 6.5),
                n(y + 9.8)
            ),
        };
        let color = self.colors.small;
        self.line(&format!("<path d=\"{path}\" fill=\"none\" stroke=\"{color}\" stroke-width=\"1.2\"/>"));
    }

    /// The color, the width and the dashes of a line.
    fn stroke(&self, kind: LinkKind, is_back: bool) -> (&'static str, f64, &'static str) {
        let colors = self.colors;
        if is_back {
            return (colors.uses, 1.5, "1.5 3.5");
        }
        match kind {
            LinkKind::Opens => (colors.open, 1.9, ""),
            LinkKind::Uses | LinkKind::Before(false) => (colors.uses, 1.5, ""),
            LinkKind::Waits => (colors.waits, 1.5, "5 4"),
            LinkKind::Mounts => (colors.waits, 1.5, "8 3"),
            LinkKind::Before(true) => (colors.text, 2.8, ""),
        }
    }

    fn route(&mut self, line: &Line, kind: LinkKind) {
        let (color, width, dashes) = self.stroke(kind, line.is_back);
        let last = line.points.len().saturating_sub(1);
        // The arrow covers the end of the line.
        let at = |index: usize, (x, y): (f64, f64)| match (index, line.is_back) {
            (0, true) => (x + 6.0, y),
            (index, false) if index == last => (x - 6.0, y),
            _ => (x, y),
        };
        let mut path = String::new();
        for (index, point) in line.points.iter().enumerate() {
            let (x, y) = at(index, *point);
            let before = index.checked_sub(1).and_then(|before| Some((before, *line.points.get(before)?)));
            let _ = match before {
                None => write!(path, "M{} {}", n(x), n(y)),
                Some((before, (_, level))) if before % 2 == 1 || (level - y).abs() < 0.05 => {
                    write!(path, "L{} {}", n(x), n(y))
                }
                Some((before, from)) => {
                    let (one, two) = controls(at(before, from), (x, y));
                    write!(path, "C{} {} {} {} {} {}", n(one.0), n(one.1), n(two.0), n(two.1), n(x), n(y))
                }
            };
        }
        if dashes.is_empty() {
            let (halo, wide) = (self.colors.frame, n(width + 3.0));
            self.line(&format!(
                "<path d=\"{path}\" fill=\"none\" stroke=\"{halo}\" stroke-width=\"{wide}\" stroke-opacity=\"0.75\"/>"
            ));
        }
        let stroke = edge(color, width, dashes);
        self.line(&format!("<path d=\"{path}\" fill=\"none\"{stroke}/>"));
    }

    fn arrow(&mut self, line: &Line, kind: LinkKind) {
        let (color, ..) = self.stroke(kind, line.is_back);
        let (tip, back) = if line.is_back { (line.points.first(), 9.0) } else { (line.points.last(), -9.0) };
        let Some((x, y)) = tip else { return };
        self.head(*x, *y, back, color);
    }

    fn head(&mut self, x: f64, y: f64, back: f64, color: &str) {
        self.line(&format!(
            "<path d=\"M{} {}L{} {}L{} {}Z\" fill=\"{color}\"/>",
            n(x),
            n(y),
            n(x + back),
            n(y - 4.3),
            n(x + back),
            n(y + 4.3)
        ));
    }

    fn sample(&mut self, rect: &Rect, sample: Sample, diagram: &Diagram) {
        let kind = match sample {
            Sample::Uses | Sample::Back => LinkKind::Uses,
            Sample::Waits => LinkKind::Waits,
            Sample::Mounts => LinkKind::Mounts,
            Sample::Opens => LinkKind::Opens,
            Sample::Before => LinkKind::Before(false),
            Sample::Longest => LinkKind::Before(true),
            Sample::Unused => {
                return self.dot(rect.x + rect.width / 2.0, rect.y + rect.height / 2.0, self.colors.edge);
            }
            Sample::Network(group) => {
                let (color, _) = self.network(diagram, group);
                let chip = Rect { x: rect.x + 4.0, y: rect.y, width: 22.0, height: 10.0 };
                return self.rect(&chip, 4.0, color, "");
            }
        };
        let is_back = sample == Sample::Back;
        let y = rect.y + rect.height / 2.0;
        let line = Line { link: 0, points: vec![(rect.x, y), (rect.right(), y)], is_back };
        self.route(&line, kind);
        self.arrow(&line, kind);
    }

    fn label(&mut self, label: &Label) {
        let color = self.colors.ink(label.ink);
        if self.texts == Texts::Outlines {
            let path = label.style.outlines(&label.text, label.x, label.y);
            if !path.is_empty() {
                self.line(&format!("<path d=\"{path}\" fill=\"{color}\"/>"));
            }
            return;
        }
        if label.text.is_empty() {
            return;
        }
        let weight = if label.style.bold { " font-weight=\"600\"" } else { "" };
        let whole =
            label.whole.as_ref().map_or_else(String::new, |whole| format!("<title>{}</title>", xml(whole)));
        self.line(&format!(
            "<text x=\"{}\" y=\"{}\" font-size=\"{}\"{weight} fill=\"{color}\" textLength=\"{}\" \
             lengthAdjust=\"spacingAndGlyphs\">{whole}{}</text>",
            n(label.x),
            n(label.y),
            n(label.style.size),
            n(label.width),
            xml(&label.text)
        ));
    }
}
