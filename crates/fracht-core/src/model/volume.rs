//! Volumes: data that outlives a container.

use std::sync::Arc;

use crate::grammar::quantity::Quantity;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A volume.
#[derive(Clone, Debug)]
pub struct Volume {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Something in it could not be read, and was reported.
    pub tainted: bool,
    /// Its size; `None` only for one that already exists.
    pub size: Option<Sourced<Quantity>>,
    /// Which pods can mount it at the same time.
    pub access: Sourced<Access>,
    /// The name of the storage class; `None` for the cluster's default.
    pub class: Option<Sourced<Arc<str>>>,
    /// Whether each replica has a volume of its own.
    pub each: Sourced<bool>,
    /// The name of an existing claim, which is used instead of a generated one.
    pub present: Option<Sourced<Arc<str>>>,
    /// The existing folder on a node that holds the data.
    pub node_folder: Option<Sourced<Arc<str>>>,
    /// The node of that folder.
    pub node: Option<Sourced<Arc<str>>>,
}

/// Which pods can mount a volume at the same time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Access {
    /// The pods of one node.
    #[default]
    OneNode,
    /// One pod.
    OnePod,
    /// Pods on any nodes.
    ManyNodes,
    /// Pods on any nodes, read-only.
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
