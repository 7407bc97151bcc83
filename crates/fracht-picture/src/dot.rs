//! Writes a diagram in the DOT language of Graphviz, which draws it.

use crate::diagram::{Diagram, LinkKind, NodeKind};
use crate::graph::{clusters, identifier, label, lines};

/// The diagram in DOT.
pub fn dot(diagram: &Diagram) -> String {
    let mut out = format!("digraph {} {{\n", quoted(&diagram.stack));
    let title = format!("{}, target {}", diagram.stack, diagram.target);
    out.push_str(&format!(
        "  graph [rankdir=LR, compound=true, fontname=\"Helvetica\", labelloc=t, label={}];\n",
        quoted(&title)
    ));
    out.push_str("  node [shape=box, style=rounded, fontname=\"Helvetica\", fontsize=11];\n");
    out.push_str("  edge [fontname=\"Helvetica\", fontsize=9];\n");
    for (number, (name, nodes)) in clusters(diagram).into_iter().enumerate() {
        let indent = if name.is_some() { "    " } else { "  " };
        if let Some(name) = &name {
            out.push_str(&format!("  subgraph cluster_{number} {{\n    label={};\n", quoted(name)));
        }
        for node in nodes {
            out.push_str(&format!("{indent}{} [{}];\n", id(diagram, node), attributes(diagram, node)));
        }
        if name.is_some() {
            out.push_str("  }\n");
        }
    }
    for link in &diagram.links {
        let style = match link.kind {
            LinkKind::Opens => "color=\"#8c1410\", penwidth=1.5",
            LinkKind::Uses | LinkKind::Before(false) => "",
            LinkKind::Waits => "style=dashed",
            LinkKind::Mounts => "style=dotted, arrowhead=none",
            LinkKind::Before(true) => "penwidth=2.5",
        };
        let label = label(diagram, link).map(|label| format!("label={}", quoted(&label)));
        let all: Vec<String> =
            label.into_iter().chain((!style.is_empty()).then(|| style.to_owned())).collect();
        let all = if all.is_empty() { String::new() } else { format!(" [{}]", all.join(", ")) };
        out.push_str(&format!("  {} -> {}{all};\n", id(diagram, link.from), id(diagram, link.to)));
    }
    out + "}\n"
}

fn id(diagram: &Diagram, node: usize) -> String {
    let (kind, name) = identifier(diagram, node);
    quoted(&format!("{kind}.{name}"))
}

fn attributes(diagram: &Diagram, index: usize) -> String {
    let Some(node) = diagram.nodes.get(index) else { return String::new() };
    // `\n` is a line break in a label, which is the only escape that is wanted.
    let label = lines(node).iter().map(|line| escaped(line)).collect::<Vec<_>>().join("\\n");
    let style = match node.kind {
        NodeKind::WayIn => ", shape=oval, color=\"#8c1410\"",
        NodeKind::Service => "",
        NodeKind::Task => ", style=\"rounded,filled\", fillcolor=\"#f1f3f6\"",
        NodeKind::Volume => ", shape=cylinder, style=solid",
        NodeKind::Outside => ", style=\"rounded,dotted\"",
    };
    format!("label=\"{label}\"{style}")
}

/// A text as a quoted string.
fn quoted(text: &str) -> String {
    format!("\"{}\"", escaped(text))
}

/// A text in a quoted string: quotes and backslashes are escaped, so that none of its parts is an escape.
fn escaped(text: &str) -> String {
    let plain: String = text.chars().filter(|c| !c.is_control()).collect();
    plain.replace('\\', "\\\\").replace('"', "\\\"")
}
