//! What the writers of graph languages share: names and texts of nodes.

use std::collections::{BTreeMap, BTreeSet};

use crate::diagram::{Diagram, Link, LinkKind, Node, NodeKind};

/// The kind of a node as a short prefix, and its name; ways in are numbered.
pub(crate) fn identifier(diagram: &Diagram, index: usize) -> (&'static str, String) {
    let Some(node) = diagram.nodes.get(index) else { return ("unknown", index.to_string()) };
    let kind = match node.kind {
        NodeKind::WayIn => return ("in", (index + 1).to_string()),
        NodeKind::Service => "service",
        NodeKind::Task => "task",
        NodeKind::Volume => "volume",
        NodeKind::Outside => "outside",
    };
    (kind, node.name.clone())
}

/// The lines of a node: its name with tags, its image, ports, rows and sidecars.
pub(crate) fn lines(node: &Node) -> Vec<String> {
    let tags = [&node.copies, &node.tag].into_iter().flatten();
    let mut lines = vec![tags.fold(node.name.clone(), |name, tag| format!("{name} {tag}"))];
    lines.extend(node.line.iter().map(|line| line.shown.clone()));
    lines.extend(node.ports.iter().map(|port| {
        let open = if port.open { " (open)" } else { "" };
        format!("{} {}{open}", port.name, port.number)
    }));
    lines.extend(node.rows.iter().map(|row| format!("{} {}", row.name, row.more).trim().to_owned()));
    lines.extend(node.inner.iter().map(|inner| format!("+ {} {}", inner.name, inner.line.shown)));
    lines
}

/// The label of a link: the port that it leads to.
pub(crate) fn label(diagram: &Diagram, link: &Link) -> Option<String> {
    let port = diagram.nodes.get(link.to)?.ports.get(link.port?)?;
    Some(match link.kind {
        LinkKind::Uses | LinkKind::Opens => format!("{} {}", port.name, port.number),
        _ => return None,
    })
}

/// The nodes of each set of networks, since a node can only be in one cluster of a graph language: a name such as
/// `front + back`, and the nodes. Nodes in no network have no name.
pub(crate) fn clusters(diagram: &Diagram) -> Vec<(Option<String>, Vec<usize>)> {
    let mut sets: BTreeMap<BTreeSet<usize>, Vec<usize>> = BTreeMap::new();
    for (index, node) in diagram.nodes.iter().enumerate() {
        sets.entry(node.groups.iter().copied().collect()).or_default().push(index);
    }
    let name = |set: &BTreeSet<usize>| {
        let names = set
            .iter()
            .filter_map(|group| diagram.groups.get(*group))
            .map(|group| if group.closed { format!("{} (closed)", group.name) } else { group.name.clone() });
        let names: Vec<String> = names.collect();
        (!names.is_empty()).then(|| names.join(" + "))
    };
    sets.into_iter().map(|(set, nodes)| (name(&set), nodes)).collect()
}
