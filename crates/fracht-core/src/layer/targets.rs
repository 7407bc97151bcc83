//! The targets of a stack, by name, and what each is like.

use std::sync::Arc;

use super::like::{circle, names};
use super::report_unknown;
use crate::diag::Sink;
use crate::source::Span;
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

    fn find(&self, name: &str) -> Option<&(Arc<str>, Option<Node>)> {
        self.named.iter().find(|(known, _)| **known == *name)
    }

    /// A target's name and the tables to lay over the stack: those that it is like first, itself last, each
    /// once.
    pub(crate) fn chain(&self, name: &str, sink: &mut Sink) -> Option<(&Arc<str>, Vec<&Node>)> {
        let (name, node) = self.find(name)?;
        let mut chain = Vec::new();
        if let Some(node) = node {
            self.follow(name, node, &mut Vec::new(), &mut chain, sink);
        }
        Some((name, chain))
    }

    fn follow<'a>(
        &'a self,
        name: &str,
        node: &'a Node,
        open: &mut Vec<(String, Span)>,
        chain: &mut Vec<&'a Node>,
        sink: &mut Sink,
    ) {
        open.push((name.to_owned(), node.span));
        for (other, span) in names("target", node.at(&["like"])) {
            if let Some(at) = open.iter().position(|(open, _)| *open == other) {
                circle(open.get(at..).unwrap_or_default(), span, sink);
                continue;
            }
            match self.find(&other) {
                Some((_, Some(base))) => self.follow(&other, base, open, chain, sink),
                _ => report_unknown("target", &other, span, self.names(), sink),
            }
        }
        open.pop();
        if !chain.iter().any(|known| std::ptr::eq(*known, node)) {
            chain.push(node);
        }
    }
}
