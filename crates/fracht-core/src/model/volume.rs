//! Data that outlives a container.

use std::sync::Arc;

use crate::grammar::quantity::Quantity;
use crate::origin::At;
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
    pub size: At<Quantity>,
    /// Who may mount it at once.
    pub access: At<Access>,
    /// The kind of storage, by the cluster's name for it; `None`: the cluster's default.
    pub class: Option<At<Arc<str>>>,
    /// Whether each replica has one of its own.
    pub each: At<bool>,
    /// The name of the claim in the cluster, if it is there already and not made here.
    pub present: Option<At<Arc<str>>>,
    /// The folder on a node that the storage is, made by hand.
    pub node_folder: Option<At<Arc<str>>>,
    /// The node of that folder.
    pub node: Option<At<Arc<str>>>,
}

/// Who may mount a volume at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Access {
    /// The pods of one node.
    OneNode,
    /// One pod.
    OnePod,
    /// Pods on any nodes.
    ManyNodes,
    /// Pods on any nodes, to read only.
    ManyReaders,
}

impl Access {
    /// Every access, by the word for it.
    pub const WORDS: [(&'static str, Access); 4] = [
        ("one-node", Self::OneNode),
        ("one-pod", Self::OnePod),
        ("many-nodes", Self::ManyNodes),
        ("many-readers", Self::ManyReaders),
    ];
}
