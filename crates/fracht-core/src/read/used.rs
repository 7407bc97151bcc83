//! Which builds a target uses, directly or through each other. Those that it does not use need no values of inputs: nothing
//! is generated from them.

use std::collections::BTreeSet;

use super::build::named_builds;
use crate::language::container;
use crate::language::stack::BUILD;
use crate::tree::{Node, Value};

/// The names of the builds that a target uses.
#[derive(Debug, Default)]
pub(super) struct UsedBuilds(BTreeSet<String>);

impl UsedBuilds {
    /// The builds that a merged tree uses, whose target has the keys of `target`.
    pub(super) fn of(root: &Node, target: Option<&Node>) -> Self {
        let (mut used, mut open) = (Self::default(), Vec::new());
        let others = root.table().into_iter().flatten().filter(|(key, _)| ***key != *BUILD.name());
        for node in others.map(|(_, entry)| &entry.node).chain(target) {
            used.named(node, &mut open);
        }
        while let Some(name) = open.pop() {
            if let Some(build) = root.at(&[BUILD.name(), &name]) {
                used.named(build, &mut open);
            }
        }
        used
    }

    /// Whether it uses a build.
    pub(super) fn has(&self, name: &str) -> bool {
        self.0.contains(name)
    }

    /// Adds the builds that are named below a node, as a value of `build` or in a text; new ones go into `open` as well.
    fn named(&mut self, node: &Node, open: &mut Vec<String>) {
        let mut add = |name: &str| {
            if self.0.insert(name.to_owned()) {
                open.push(name.to_owned());
            }
        };
        match &node.value {
            Value::Text(text) => named_builds(text).for_each(add),
            Value::List(items) => items.iter().for_each(|item| self.named(item, open)),
            Value::Table(entries) => {
                if let Some(build) = container::BUILD.node(node).and_then(Node::text) {
                    add(build);
                }
                entries.values().for_each(|entry| self.named(&entry.node, open));
            }
            _ => {}
        }
    }
}
