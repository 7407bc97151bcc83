//! Writes a diagram as a flowchart in the Mermaid language, which many pages of text draw.

use crate::diagram::{Diagram, LinkKind, NodeKind};
use crate::graph::{clusters, identifier, label, lines};

/// The diagram in Mermaid.
pub fn mermaid(diagram: &Diagram) -> String {
    let mut out = "flowchart LR\n".to_owned();
    let title = format!("{}, target {}", diagram.stack, diagram.target);
    out.push_str(&format!("  accTitle: {}\n", line(&title)));
    out.push_str(&format!("  accDescr: {}\n", line(&diagram.description())));
    for (number, (name, nodes)) in clusters(diagram).into_iter().enumerate() {
        let indent = if name.is_some() { "    " } else { "  " };
        if let Some(name) = &name {
            out.push_str(&format!("  subgraph g{number}[\"{}\"]\n", escaped(name)));
        }
        for node in nodes {
            out.push_str(&format!("{indent}{}{}\n", id(diagram, node), shape(diagram, node)));
        }
        if name.is_some() {
            out.push_str("  end\n");
        }
    }
    for link in &diagram.links {
        let arrow = match link.kind {
            LinkKind::Opens | LinkKind::Uses | LinkKind::Before(false) => "-->",
            LinkKind::Waits => "-.->",
            LinkKind::Mounts => "---",
            LinkKind::Before(true) => "==>",
        };
        let label =
            label(diagram, link).map_or_else(String::new, |label| format!("|\"{}\"|", escaped(&label)));
        out.push_str(&format!("  {} {arrow}{label} {}\n", id(diagram, link.from), id(diagram, link.to)));
    }
    for (class, style) in [
        ("open", "stroke:#8c1410,stroke-width:2px"),
        ("task", "fill:#f1f3f6,color:#16202c"),
        ("away", "stroke-dasharray:2 3"),
    ] {
        out.push_str(&format!("  classDef {class} {style}\n"));
    }
    out
}

/// An identifier. It begins with the kind, since some words alone, such as `end`, break the language.
fn id(diagram: &Diagram, node: usize) -> String {
    let (kind, name) = identifier(diagram, node);
    let plain: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    format!("{kind}_{plain}")
}

fn shape(diagram: &Diagram, index: usize) -> String {
    let Some(node) = diagram.nodes.get(index) else { return String::new() };
    let label = lines(node).iter().map(|line| escaped(line)).collect::<Vec<_>>().join("<br/>");
    match node.kind {
        NodeKind::WayIn => format!("([\"{label}\"]):::open"),
        NodeKind::Service => format!("[\"{label}\"]"),
        NodeKind::Task => format!("[\"{label}\"]:::task"),
        NodeKind::Volume => format!("[(\"{label}\")]"),
        NodeKind::Outside => format!("[\"{label}\"]:::away"),
    }
}

/// A text on one line of its own, without what would end it.
fn line(text: &str) -> String {
    let one = |c: char| match c {
        ';' => ',',
        '{' | '}' | '#' => ' ',
        c if c.is_control() => ' ',
        c => c,
    };
    text.chars().map(one).collect()
}

/// A text in quotes, with what the language takes for its own as entities.
fn escaped(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            '"' => out.push_str("#quot;"),
            '<' => out.push_str("#lt;"),
            '>' => out.push_str("#gt;"),
            '&' => out.push_str("#amp;"),
            '#' | '|' | ';' | '`' | '\\' | '{' | '}' => out.push_str(&format!("#{};", u32::from(c))),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out
}
