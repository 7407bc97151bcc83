//! Data that outlives a container.

use std::sync::Arc;

use crate::grammar::quantity::Quantity;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A piece of storage.
#[derive(Clone, Debug)]
pub struct Volume {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Something in it could not be read, and was reported.
    pub tainted: bool,
    /// How large it is.
    pub size: Sourced<Quantity>,
    /// Who may mount it at once.
    pub access: Sourced<Access>,
    /// The kind of storage, by the cluster's name for it; `None`: the cluster's default.
    pub class: Option<Sourced<Arc<str>>>,
    /// Whether each replica has one of its own.
    pub each: Sourced<bool>,
    /// The name of the claim in the cluster, if it is there already and not made here.
    pub present: Option<Sourced<Arc<str>>>,
    /// The folder on a node that the storage is, made by hand.
    pub node_folder: Option<Sourced<Arc<str>>>,
    /// The node of that folder.
    pub node: Option<Sourced<Arc<str>>>,
}

/// Who may mount a volume at once.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Access {
    /// The pods of one node.
    #[default]
    OneNode,
    /// One pod.
    OnePod,
    /// Pods on any nodes.
    ManyNodes,
    /// Pods on any nodes, to read only.
    ManyReaders,
}

impl Word for Access {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("one-node", Self::OneNode),
        ("one-pod", Self::OnePod),
        ("many-nodes", Self::ManyNodes),
        ("many-readers", Self::ManyReaders),
    ];
}
