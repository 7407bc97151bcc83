//! Writes a diagram as boxes for a terminal. Links are rows in the boxes, so that they are right at any width.

use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};

use crate::diagram::{Diagram, Link, LinkKind, NodeKind, OPEN_STORE, Sign};
use crate::layout::columns_of;

/// How a piece of text is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    /// As other texts.
    Plain,
    /// Stronger.
    Strong,
    /// Weaker.
    Quiet,
    /// As what is open to the outside.
    Open,
}

/// A piece of a line.
pub type Piece = (String, Tone);

/// The signs of frames and rows.
struct Signs {
    corners: [&'static str; 4],
    level: &'static str,
    upright: &'static str,
    open: &'static str,
    uses: &'static str,
    waits: &'static str,
    port: &'static str,
    volume: &'static str,
    inner: &'static str,
    config: &'static str,
    secret: &'static str,
    behind: &'static str,
}

/// U+25BA, since U+25B6 is drawn in color by some.
const UNICODE: Signs = Signs {
    corners: ["┌", "┐", "└", "┘"],
    level: "─",
    upright: "│",
    open: "►",
    uses: "→",
    waits: "⇢",
    port: "·",
    volume: "▤",
    inner: "+",
    config: "≡",
    secret: "*",
    behind: "=",
};

const ASCII: Signs = Signs {
    corners: ["+", "+", "+", "+"],
    level: "-",
    upright: "|",
    open: ">>",
    uses: "->",
    waits: "=>",
    port: ".",
    volume: "#",
    inner: "+",
    config: "c",
    secret: "*",
    behind: "=",
};

/// The least width of a box.
const LEAST: usize = 32;

/// The links of each node.
struct Links<'a> {
    leaving: Vec<Vec<&'a Link>>,
    /// The ways in.
    opening: Vec<Vec<&'a Link>>,
}

impl<'a> Links<'a> {
    fn of(diagram: &'a Diagram) -> Self {
        let none = || vec![Vec::new(); diagram.nodes.len()];
        let mut links = Self { leaving: none(), opening: none() };
        for link in &diagram.links {
            let list = match link.kind {
                LinkKind::Opens => links.opening.get_mut(link.to),
                _ => links.leaving.get_mut(link.from),
            };
            if let Some(list) = list {
                list.push(link);
            }
        }
        links
    }
}

/// The boxes as lines of at most `width` columns, with characters beyond ASCII or without.
pub fn terminal(diagram: &Diagram, width: usize, is_unicode: bool) -> Vec<Vec<Piece>> {
    let signs = if is_unicode { &UNICODE } else { &ASCII };
    let width = width.max(LEAST);
    let many = ((width + 1) / (LEAST + 1)).max(1);
    let wide = ((width + 1) / many - 1).min(46);
    let links = Links::of(diagram);
    let mut lines: Vec<Vec<Piece>> = Vec::new();
    let title = diagram.title.as_ref().map_or_else(String::new, |title| format!(" · {title}"));
    lines.push(vec![
        (format!("{}, target {}", diagram.stack, diagram.target), Tone::Strong),
        (title, Tone::Quiet),
    ]);
    for (heading, nodes) in levels(diagram) {
        lines.push(Vec::new());
        if let Some(heading) = heading {
            lines.push(vec![(heading, Tone::Quiet)]);
        }
        for row in nodes.chunks(many) {
            let boxes: Vec<_> = row.iter().map(|node| boxed(diagram, &links, *node, (wide, signs))).collect();
            beside(&boxes, wide, &mut lines);
        }
    }
    lines.push(Vec::new());
    if diagram.nodes.is_empty() {
        lines.push(vec![("The stack has no services and no tasks.".to_owned(), Tone::Plain)]);
    } else {
        lines.push(vec![(legend(diagram, signs), Tone::Quiet)]);
    }
    let closed: Vec<&str> =
        diagram.groups.iter().filter(|group| group.closed).map(|group| group.name.as_str()).collect();
    if !closed.is_empty() {
        lines.push(vec![(format!("closed networks: {}", closed.join(", ")), Tone::Quiet)]);
    }
    lines.extend(diagram.notes.iter().map(|note| vec![(note.clone(), Tone::Quiet)]));
    for line in &mut lines {
        fit(line, width);
    }
    if !is_unicode {
        for (text, _) in lines.iter_mut().flatten() {
            *text = plain(text);
        }
    }
    lines
}

/// The boxes of each column, with its name if it has one. Ways in are rows of other boxes.
fn levels(diagram: &Diagram) -> Vec<(Option<String>, Vec<usize>)> {
    let (columns, names) = columns_of(diagram);
    let most = columns.iter().max().copied().unwrap_or_default();
    let level = |column: usize| {
        let nodes = (0..diagram.nodes.len()).filter(|node| {
            columns.get(*node) == Some(&column)
                && diagram.nodes.get(*node).is_some_and(|node| node.kind != NodeKind::WayIn)
        });
        (names.get(column).cloned().flatten(), nodes.collect::<Vec<_>>())
    };
    (0..=most).map(level).filter(|(_, nodes)| !nodes.is_empty()).collect()
}

/// The rows of a box.
fn rows(
    diagram: &Diagram,
    links: &Links<'_>,
    index: usize,
    (inside, signs): (usize, &Signs),
) -> Vec<Vec<Piece>> {
    let mut rows: Vec<Vec<Piece>> = Vec::new();
    let Some(node) = diagram.nodes.get(index) else { return rows };
    let plain = |text: String| vec![(text, Tone::Plain)];
    if let Some(line) = &node.line {
        rows.push(vec![(line.shown.clone(), Tone::Quiet)]);
    }
    for (number, port) in node.ports.iter().enumerate() {
        let sign = if port.open { signs.open } else { signs.port };
        let tone = if port.open { Tone::Open } else { Tone::Plain };
        rows.push(vec![(format!("{sign} {} {}", port.name, port.number), tone)]);
        let ways = links.opening.get(index).into_iter().flatten();
        let ways = ways.filter(|link| link.port == Some(number));
        for way in ways {
            let Some(from) = diagram.nodes.get(way.from) else { continue };
            rows.extend(
                wrapped(&from.name, inside - 4).map(|part| vec![(format!("    {part}"), Tone::Open)]),
            );
            rows.extend(from.line.iter().map(|line| vec![(format!("    {}", line.shown), Tone::Quiet)]));
        }
    }
    for row in &node.rows {
        let sign = match row.sign {
            Sign::Volume | Sign::Folder => signs.volume,
            Sign::Config => signs.config,
            Sign::Secret => signs.secret,
            Sign::Behind => signs.behind,
            Sign::Time => {
                rows.push(plain(row.more.clone()));
                continue;
            }
        };
        let text = format!("{} {}", row.name, row.more);
        rows.push(plain(format!("{sign} {}", text.trim())));
    }
    for inner in &node.inner {
        rows.push(vec![
            (format!("{} {}", signs.inner, inner.name), Tone::Plain),
            (format!(" {}", inner.line.shown), Tone::Quiet),
        ]);
    }
    for link in links.leaving.get(index).into_iter().flatten() {
        let Some(to) = diagram.nodes.get(link.to) else { continue };
        let port = link.port.and_then(|port| to.ports.get(port));
        let port = port.map_or_else(String::new, |port| format!(" {}", port.name));
        rows.push(match link.kind {
            LinkKind::Opens => continue,
            LinkKind::Uses => plain(format!("{} {}{port}", signs.uses, to.name)),
            LinkKind::Waits => vec![(format!("{} {}", signs.waits, to.name), Tone::Quiet)],
            LinkKind::Mounts => plain(format!("{} {}", signs.volume, to.name)),
            LinkKind::Before(false) => plain(format!("{} {}", signs.uses, to.name)),
            LinkKind::Before(true) => vec![(format!("{} {}", signs.uses, to.name), Tone::Strong)],
        });
    }
    rows
}

/// A box, each line exactly as wide.
fn boxed(
    diagram: &Diagram,
    links: &Links<'_>,
    index: usize,
    (width, signs): (usize, &Signs),
) -> Vec<Vec<Piece>> {
    let Some(node) = diagram.nodes.get(index) else { return Vec::new() };
    let [upper_left, upper_right, lower_left, lower_right] = signs.corners;
    let inside = width - 4;
    let kind = match node.kind {
        NodeKind::Outside => Some("outside"),
        _ => node.tag.as_deref(),
    };
    let tags: Vec<&str> = node.copies.as_deref().into_iter().chain(kind).collect();
    let names = node.groups.iter().filter_map(|group| diagram.groups.get(*group));
    let networks = names.map(|group| group.name.as_str()).collect::<Vec<_>>().join(" ");
    let mut head = vec![(cut(&node.name, inside), Tone::Strong)];
    let mut used = head.iter().map(|(text, _)| text.width()).sum::<usize>();
    for tag in tags {
        if used + tag.width() < inside {
            let tone = if tag == OPEN_STORE { Tone::Open } else { Tone::Plain };
            head.push((format!(" {tag}"), tone));
            used += tag.width() + 1;
        }
    }
    let room = inside.saturating_sub(used + 4);
    let networks = if room > 3 { cut(&networks, room) } else { String::new() };
    let after = if networks.is_empty() { 1 } else { networks.width() + 3 };
    let fill = inside.saturating_sub(used + after);
    let mut first = vec![(format!("{upper_left}{} ", signs.level), Tone::Quiet)];
    first.extend(head);
    first.push((format!(" {}", signs.level.repeat(fill)), Tone::Quiet));
    if !networks.is_empty() {
        first.push((format!(" {networks} "), Tone::Plain));
    }
    first.push((upper_right.to_owned(), Tone::Quiet));
    let mut lines = vec![first];
    for mut row in rows(diagram, links, index, (inside, signs)) {
        fit(&mut row, inside);
        let used: usize = row.iter().map(|(text, _)| text.width()).sum();
        let mut line = vec![(format!("{} ", signs.upright), Tone::Quiet)];
        line.extend(row);
        line.push((" ".repeat(inside.saturating_sub(used)), Tone::Plain));
        line.push((format!(" {}", signs.upright), Tone::Quiet));
        lines.push(line);
    }
    lines.push(vec![(format!("{lower_left}{}{lower_right}", signs.level.repeat(width - 2)), Tone::Quiet)]);
    lines
}

/// Boxes side by side.
fn beside(boxes: &[Vec<Vec<Piece>>], width: usize, lines: &mut Vec<Vec<Piece>>) {
    let height = boxes.iter().map(Vec::len).max().unwrap_or_default();
    for row in 0..height {
        let mut line: Vec<Piece> = Vec::new();
        let mut missing = 0;
        for (index, one) in boxes.iter().enumerate() {
            let gap = usize::from(index > 0);
            match one.get(row) {
                Some(pieces) => {
                    if missing + gap > 0 {
                        line.push((" ".repeat(missing + gap), Tone::Plain));
                    }
                    line.extend(pieces.iter().cloned());
                    missing = 0;
                }
                None => missing += width + gap,
            }
        }
        lines.push(line);
    }
}

fn legend(diagram: &Diagram, signs: &Signs) -> String {
    let has = |wanted: fn(&LinkKind) -> bool| diagram.links.iter().any(|link| wanted(&link.kind));
    let row = |wanted: Sign| diagram.nodes.iter().flat_map(|node| &node.rows).any(|row| row.sign == wanted);
    let mut parts = Vec::new();
    if has(|kind| *kind == LinkKind::Opens) {
        parts.push(format!("{} open to the outside", signs.open));
    }
    if has(|kind| *kind == LinkKind::Uses) {
        parts.push(format!("{} uses", signs.uses));
    }
    if has(|kind| matches!(kind, LinkKind::Before(_))) {
        parts.push(format!("{} starts before (strong: the longest chain)", signs.uses));
    }
    if has(|kind| *kind == LinkKind::Waits) {
        parts.push(format!("{} waits for, no more", signs.waits));
    }
    if diagram.nodes.iter().any(|node| node.ports.iter().any(|port| !port.open)) {
        parts.push(format!("{} port", signs.port));
    }
    if row(Sign::Volume) || has(|kind| *kind == LinkKind::Mounts) {
        parts.push(format!("{} volume", signs.volume));
    }
    if row(Sign::Config) {
        parts.push(format!("{} config", signs.config));
    }
    if row(Sign::Secret) {
        parts.push(format!("{} secret", signs.secret));
    }
    if diagram.nodes.iter().any(|node| !node.inner.is_empty()) {
        parts.push(format!("{} sidecar", signs.inner));
    }
    parts.join("   ")
}

/// A text in parts of at most some columns: an address that is cut leads nowhere.
fn wrapped(text: &str, most: usize) -> impl Iterator<Item = String> {
    let mut parts = vec![String::new()];
    for c in text.chars() {
        if parts.last().is_some_and(|part| part.width() + c.width().unwrap_or(0) > most) {
            parts.push(String::new());
        }
        if let Some(part) = parts.last_mut() {
            part.push(c);
        }
    }
    parts.into_iter()
}

/// Cuts a line to a width, at its end.
fn fit(line: &mut Vec<Piece>, width: usize) {
    let mut left = width;
    for (text, _) in line.iter_mut() {
        if text.width() > left {
            *text = cut(text, left);
        }
        left -= text.width();
    }
    line.retain(|(text, _)| !text.is_empty());
}

/// A text, cut in its middle to a width.
fn cut(text: &str, most: usize) -> String {
    if text.width() <= most {
        return text.to_owned();
    }
    if most == 0 {
        return String::new();
    }
    let take = |chars: &mut dyn Iterator<Item = char>, room: usize| {
        let mut used = 0;
        chars
            .take_while(|c| {
                used += c.width().unwrap_or(0);
                used <= room
            })
            .collect::<Vec<char>>()
    };
    let start = take(&mut text.chars(), (most - 1) / 2);
    let mut end = take(&mut text.chars().rev(), most - 1 - (most - 1) / 2);
    end.reverse();
    start.into_iter().chain(['…']).chain(end).collect()
}

/// A text without characters beyond ASCII.
fn plain(text: &str) -> String {
    let one = |c: char| match c {
        '×' => 'x',
        '–' => '-',
        '·' => '.',
        '…' => '~',
        c if c.is_ascii() => c,
        _ => '?',
    };
    text.chars().map(one).collect()
}
