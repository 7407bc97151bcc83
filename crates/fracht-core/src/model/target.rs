//! Where a stack is to run.

use std::sync::Arc;

use crate::origin::At;

/// A target.
#[derive(Clone, Debug)]
pub struct Target {
    /// Its name.
    pub name: Arc<str>,
    /// What it is.
    pub on: At<Place>,
    /// The namespace in the cluster.
    pub namespace: At<Arc<str>>,
    /// Whether the namespace is there already and not made here.
    pub namespace_present: bool,
    /// The registry that built images are pushed to.
    pub registry: Option<At<Arc<str>>>,
    /// The domain under which the stack is reached.
    pub domain: Option<At<Arc<str>>>,
}

/// What a target is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// One machine, ports on localhost.
    Machine,
    /// A Kubernetes cluster.
    Cluster,
}

impl Place {
    /// Every place, by the word for it.
    pub const WORDS: [(&'static str, Place); 2] = [("machine", Self::Machine), ("cluster", Self::Cluster)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Machine => "machine",
            Self::Cluster => "cluster",
        }
    }
}
