//! Where a stack is to run.

use std::sync::Arc;
use std::time::Duration;

use super::SecretId;
use crate::grammar::image::Image;
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
    /// The shared web entry.
    pub web: Web,
    /// What start gates are made of.
    pub gate: Gate,
    /// Where the cluster's API is, as CIDR blocks (RFC 4632), for those who may go nowhere else; empty: anywhere.
    pub api: Vec<Arc<str>>,
}

/// The shared web entry of a target.
#[derive(Clone, Debug)]
pub struct Web {
    /// How the cluster is told of it.
    pub by: At<Entry>,
    /// The class of the entry, by the cluster's name for it.
    pub class: Option<At<Arc<str>>>,
    /// The secret with the certificate; with it the entry speaks TLS.
    pub tls: Option<At<SecretId>>,
    /// The gateway that routes are for: its namespace, if it is another one, and its name.
    pub gateway: Option<(Option<Arc<str>>, Arc<str>)>,
}

/// How a cluster is told of a web entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Entry {
    /// By an Ingress.
    Ingress,
    /// By an `HTTPRoute` for a gateway.
    Gateway,
}

impl Entry {
    /// Every one, by the word for it.
    pub const WORDS: [(&'static str, Entry); 2] = [("ingress", Self::Ingress), ("gateway", Self::Gateway)];
}

/// What start gates are made of.
#[derive(Clone, Debug)]
pub struct Gate {
    /// The image of a gate that waits for a service: it has a shell and `nc`.
    pub ready: At<Image>,
    /// The image of a gate that waits for a task: it has a shell and `curl`.
    pub done: At<Image>,
    /// How long a gate waits until it gives up.
    pub within: At<Duration>,
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
