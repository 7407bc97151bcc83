//! What a picture shows, before anything has a place: boxes with their rows, and links between them.
//!
//! It is made from the facts of a stack, the same ones that the plans show, so that no picture disagrees with them.

mod build;
mod links;
mod rows;
mod sorted;

use fracht_core::cover;
use fracht_core::escape::escaped;
use fracht_core::model::WorkloadId;

/// What decides the columns of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum By {
    /// Who uses whom, with an area for each network.
    #[default]
    Network,
    /// The start waves, with what follows what.
    Wave,
}

/// What is drawn.
#[derive(Clone, Debug, Default)]
pub struct Choice {
    /// Only this service or task and its neighbors.
    pub only: Option<WorkloadId>,
    /// Also the configs of each service.
    pub configs: bool,
    /// Also the secrets of each service.
    pub secrets: bool,
    /// What decides the columns.
    pub by: By,
}

/// What a picture shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagram {
    /// The name of the stack.
    pub stack: String,
    /// Its title.
    pub title: Option<String>,
    /// The name of the target.
    pub target: String,
    /// Whether the target is a machine.
    pub is_machine: bool,
    /// What decides the columns.
    pub by: By,
    /// The networks that some node is in.
    pub groups: Vec<Group>,
    /// The boxes.
    pub nodes: Vec<Node>,
    /// The links between them.
    pub links: Vec<Link>,
    /// What is not drawn, as sentences.
    pub notes: Vec<String>,
}

/// A network.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Group {
    /// Its name.
    pub name: String,
    /// The number of its color: its place by name among all networks of the stack, so that a part of the stack has the
    /// colors of the whole.
    pub color: usize,
    /// Whether it is the default network, which has no name of its own.
    pub is_default: bool,
    /// Whether it is closed.
    pub closed: bool,
    /// The other stacks that it admits.
    pub admits: Vec<String>,
}

/// A box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Node {
    /// What it stands for.
    pub kind: NodeKind,
    /// Its name; for a way in, the address.
    pub name: String,
    /// Words beside the name: `task`, `data store`, `×2–6`.
    pub tag: Option<String>,
    /// How many replicas run, if not one: `×3`, `×2–6`.
    pub copies: Option<String>,
    /// A line below the name.
    pub line: Option<Text>,
    /// Its ports, one row each.
    pub ports: Vec<PortRow>,
    /// Further rows.
    pub rows: Vec<Row>,
    /// Boxes in the box: sidecars.
    pub inner: Vec<Inner>,
    /// The networks that it is in, as indexes of [`Diagram::groups`].
    pub groups: Vec<usize>,
    /// Its start wave, from 1.
    pub wave: Option<usize>,
    /// Whether it never starts, since it is in a circle of waits, or behind one.
    pub is_stuck: bool,
}

impl Node {
    /// A box with a name and a line below it.
    fn new(kind: NodeKind, name: impl Into<String>, line: Text) -> Self {
        Self {
            kind,
            name: name.into(),
            tag: None,
            copies: None,
            line: Some(line),
            ports: Vec::new(),
            rows: Vec::new(),
            inner: Vec::new(),
            groups: Vec::new(),
            wave: None,
            is_stuck: false,
        }
    }
}

/// The tag of a data store that is open to the outside.
pub const OPEN_STORE: &str = "data store, open";

/// What a box stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum NodeKind {
    /// A way into the stack.
    WayIn,
    /// A service.
    Service,
    /// A task.
    Task,
    /// A volume that several services share.
    Volume,
    /// An external service.
    Outside,
}

/// A text that may be shown in part, with the whole.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Text {
    /// What is shown.
    pub shown: String,
    /// The whole text.
    pub whole: String,
}

impl Text {
    fn whole(text: impl Into<String>) -> Self {
        let text = text.into();
        Self { shown: text.clone(), whole: text }
    }
}

/// A port of a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PortRow {
    /// Its name.
    pub name: String,
    /// Its number, with the protocol if that is not TCP.
    pub number: String,
    /// Whether it is open to the outside.
    pub open: bool,
    /// Whether something in the picture leads to it.
    pub used: bool,
}

/// A row of a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// What it is about.
    pub sign: Sign,
    /// Its name.
    pub name: String,
    /// More about it.
    pub more: String,
}

/// What a row is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Sign {
    /// A volume.
    Volume,
    /// A folder of the machine.
    Folder,
    /// A config.
    Config,
    /// A secret.
    Secret,
    /// Another service at whose address it answers as well.
    Behind,
    /// When a task runs.
    Time,
}

/// A box in a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inner {
    /// Its name.
    pub name: String,
    /// Its image.
    pub line: Text,
}

/// A link between two boxes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Link {
    /// Where it comes from.
    pub from: usize,
    /// Where it leads to.
    pub to: usize,
    /// The port that it leads to, by its row; `None` for the box as a whole.
    pub port: Option<usize>,
    /// What it says.
    pub kind: LinkKind,
}

/// What a link says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LinkKind {
    /// The world reaches it.
    Opens,
    /// One uses the other.
    Uses,
    /// One waits for the other, and does not use it.
    Waits,
    /// One mounts the other.
    Mounts,
    /// One starts before the other, which waits for it; on the longest chain or not.
    Before(bool),
}

impl Diagram {
    /// Hides what looks like a secret, and escapes what could act on a terminal.
    fn cover(&mut self) {
        let safe = |text: &mut String| *text = cover::prose(&escaped(text));
        safe(&mut self.stack);
        self.title.iter_mut().for_each(safe);
        for node in &mut self.nodes {
            safe(&mut node.name);
            let inner = node.inner.iter_mut().map(|inner| &mut inner.line);
            for line in node.line.iter_mut().chain(inner) {
                safe(&mut line.shown);
                safe(&mut line.whole);
            }
            for row in &mut node.rows {
                safe(&mut row.name);
                safe(&mut row.more);
            }
        }
    }

    /// One sentence that describes the picture, for those who do not see it.
    pub fn description(&self) -> String {
        let count = |kind| self.nodes.iter().filter(|node| node.kind == kind).count();
        let mut parts = Vec::new();
        for (kind, one, many) in [
            (NodeKind::Service, "service", "services"),
            (NodeKind::Task, "task", "tasks"),
            (NodeKind::Outside, "external service", "external services"),
            (NodeKind::WayIn, "open port", "open ports"),
        ] {
            match count(kind) {
                0 => {}
                1 => parts.push(format!("1 {one}")),
                number => parts.push(format!("{number} {many}")),
            }
        }
        let uses = self.links.iter().filter_map(|link| {
            let (from, to) = (self.nodes.get(link.from)?, self.nodes.get(link.to)?);
            Some(match link.kind {
                LinkKind::Opens => format!("{} leads to {}", from.name, to.name),
                LinkKind::Uses => format!("{} uses {}", from.name, to.name),
                LinkKind::Waits => format!("{} waits for {}", from.name, to.name),
                LinkKind::Mounts => format!("{} mounts {}", from.name, to.name),
                LinkKind::Before(_) => format!("{} starts before {}", from.name, to.name),
            })
        });
        let uses: Vec<String> = uses.collect();
        format!(
            "Stack {}, target {}: {}. {}{}",
            self.stack,
            self.target,
            parts.join(", "),
            uses.join("; "),
            if uses.is_empty() { "" } else { "." }
        )
    }
}
