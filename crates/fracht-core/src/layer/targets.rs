//! The targets of a stack, by name.

use std::sync::Arc;

use crate::origin::Layer;
use crate::tree::Node;

/// The name of the target of a stack that names none.
const DEFAULT: &str = "cluster";

/// The targets of a stack, in the order of the file.
#[derive(Clone, Debug)]
pub struct Targets {
    named: Vec<(Arc<str>, Option<Node>)>,
}

impl Targets {
    /// The targets that `root` names, or the one that a stack has that names none.
    pub(crate) fn of(root: &Node) -> Self {
        let mut named: Vec<_> = root
            .at(&["target"])
            .and_then(Node::table)
            .into_iter()
            .flatten()
            .map(|(name, entry)| (Arc::clone(name), Some(entry.node.clone())))
            .collect();
        if named.is_empty() {
            named.push((DEFAULT.into(), None));
        }
        Self { named }
    }

    /// The names, in the order of the file; never empty.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.named.iter().map(|(name, _)| &**name)
    }

    /// A target's name, its table and its layer.
    pub(crate) fn get(&self, name: &str) -> Option<(&Arc<str>, Option<&Node>, Layer)> {
        let index = self.named.iter().position(|(known, _)| **known == *name)?;
        let (name, node) = self.named.get(index)?;
        Some((name, node.as_ref(), Layer::Target(u16::try_from(index).unwrap_or(u16::MAX))))
    }
}
