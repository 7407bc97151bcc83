//! The targets of a stack, and the chain of targets that each is like.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use super::like::{DEEPEST, cycle, names, too_deep};
use crate::diag::Sink;
use crate::diag::unknown::{Unknown, nearest};
use crate::grammar::reference::RefKind;
use crate::grammar::word::Word;
use crate::language::{root, target};
use crate::model::TargetKind;
use crate::source::Span;
use crate::tree::Node;

/// The name of the default target, for a stack without targets.
const DEFAULT: &str = "cluster";

/// The targets of a stack, in the order of the file.
#[derive(Clone, Debug)]
pub struct Targets {
    named: Vec<(Arc<str>, Option<Node>)>,
    by_name: HashMap<Arc<str>, usize>,
}

impl Targets {
    /// The targets of `root`; the default target if it has none.
    pub(crate) fn of(root: &Node) -> Self {
        let mut named: Vec<_> = root::TARGET
            .node(root)
            .and_then(Node::table)
            .into_iter()
            .flatten()
            .map(|(name, entry)| (Arc::clone(name), Some(entry.node.clone())))
            .collect();
        if named.is_empty() {
            // A value that is not a table is not an empty target: the check of shapes reports it.
            let broken = root::TARGET.node(root).filter(|node| node.table().is_none());
            named.push((DEFAULT.into(), broken.cloned()));
        }
        let by_name = named.iter().enumerate().map(|(index, (name, _))| (Arc::clone(name), index)).collect();
        Self { named, by_name }
    }

    /// The names, in the order of the file; never empty.
    pub fn names(&self) -> impl Iterator<Item = &str> + Clone {
        self.named.iter().map(|(name, _)| &**name)
    }

    /// The targets that are written, each with the place of its name and the tables that are merged for it. Of very many,
    /// only the first ones: each is compared with each.
    pub(crate) fn all(&self) -> impl Iterator<Item = (&Arc<str>, Span, Vec<&Node>)> {
        /// The most targets that are compared.
        const MOST: usize = 50;
        self.named.iter().enumerate().take(MOST).filter_map(|(index, (name, node))| {
            let span = node.as_ref()?.span;
            let mut walk = Walk { is_strict: true, ..Walk::default() };
            self.follow(index, None, &mut walk, &mut Sink::default());
            Some((name, span, walk.chain))
        })
    }

    /// Where a target runs, as far as its tables say; `None` for a target that does not exist, or a word that is none.
    pub fn kind(&self, name: &str) -> Option<TargetKind> {
        let chain = self.chain(name, &mut Sink::default())?;
        let set = chain.tables.iter().rev().find_map(|table| target::ON.node(table));
        let Some(set) = set else { return Some(TargetKind::default()) };
        let text = set.text()?;
        TargetKind::of(text)
    }

    fn find(&self, name: &str) -> Option<usize> {
        self.by_name.get(name).copied()
    }

    /// A target, with those that it is like.
    pub(crate) fn chain(&self, name: &str, sink: &mut Sink) -> Option<TargetChain<'_>> {
        let index = self.find(name)?;
        let (name, _) = self.named.get(index)?;
        let mut walk = Walk::default();
        self.follow(index, None, &mut walk, sink);
        Some(TargetChain { name, tables: walk.chain, is_broken: walk.is_broken })
    }

    /// Follows the `like` of a target. No target is followed twice, so that the number of steps is the number of
    /// references.
    fn follow<'a>(&'a self, index: usize, from: Option<Span>, walk: &mut Walk<'a>, sink: &mut Sink) {
        let Some((name, Some(node))) = self.named.get(index) else { return };
        walk.open.push((name.to_string(), from.unwrap_or(node.span)));
        let like = target::LIKE.node(node);
        let others = names(&target::LIKE, like);
        walk.is_broken |=
            node.table().is_none() || others.len() < like.map(Node::items).unwrap_or_default().len();
        for (other, span) in others {
            walk.steps += 1;
            if let Some(at) = walk.open.iter().position(|(open, _)| *open == other) {
                cycle(walk.open.get(at..).unwrap_or_default(), span, sink);
                walk.is_broken = true;
                continue;
            }
            match self.find(&other) {
                Some(base) if walk.done.contains(&base) => {}
                Some(base) if walk.open.len() < DEEPEST => self.follow(base, Some(span), walk, sink),
                Some(_) => {
                    too_deep("targets", span, sink);
                    walk.is_broken = true;
                }
                None => {
                    walk.is_broken = true;
                    if walk.is_strict {
                        continue;
                    }
                    let unknown = Unknown::table(RefKind::Target.word(), &other, span);
                    unknown.report(|| self.names(), sink);
                    // What follows from it is not a mistake of its own.
                    let not_open = |near: &&str| walk.open.iter().all(|(open, _)| open != near);
                    let near = nearest(&other, self.names()).filter(not_open);
                    let base = near.and_then(|near| self.find(near)).filter(|base| !walk.done.contains(base));
                    if let Some(base) = base.filter(|_| walk.open.len() < DEEPEST) {
                        self.follow(base, Some(span), walk, sink);
                    }
                }
            }
        }
        walk.open.pop();
        if walk.done.insert(index) {
            walk.chain.push(node);
        }
    }
}

/// A target, with those that it is like.
pub(crate) struct TargetChain<'a> {
    /// The name of the target.
    pub(crate) name: &'a Arc<str>,
    /// The tables to merge into the stack: first those that it is like, then its own, each once.
    pub(crate) tables: Vec<&'a Node>,
    /// Set if one of them could not be read, or not be found, which has been reported.
    pub(crate) is_broken: bool,
}

/// The state while targets are followed.
#[derive(Default)]
struct Walk<'a> {
    /// The targets that are being followed, with the place that refers to each.
    open: Vec<(String, Span)>,
    done: HashSet<usize>,
    chain: Vec<&'a Node>,
    is_broken: bool,
    /// Set if what is unknown is left out, and not the nearest one taken.
    is_strict: bool,
    /// How many references have been followed.
    steps: usize,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{Sources, Syntax};
    use crate::syntax;

    /// The number of references that are followed for the last of some targets, each like the previous one several
    /// times.
    fn steps(count: usize, times: usize) -> (usize, usize) {
        let mut text = "[target.t0]\non = \"cluster\"\n".to_owned();
        for index in 1..count {
            let like = format!("\"target.t{}\", ", index - 1).repeat(times);
            text.push_str(&format!("[target.t{index}]\nlike = [{like}]\n"));
        }
        let (mut sources, mut sink) = (Sources::default(), Sink::default());
        let file = sources.add("/s/f".as_ref(), "f", text.as_str().into(), Syntax::Stack);
        let targets = Targets::of(&syntax::parse(&text, file, &mut sink));
        let mut walk = Walk::default();
        targets.follow(count - 1, None, &mut walk, &mut sink);
        assert_eq!((walk.chain.len(), sink.take().len()), (count, 0));
        (walk.steps, count)
    }

    #[test]
    fn each_target_of_a_chain_is_followed_once() {
        assert_eq!(steps(20, 2), (19 * 2, 20));
        assert_eq!(steps(80, 3), (79 * 3, 80));
    }
}
