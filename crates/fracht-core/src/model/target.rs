//! Where a stack is to run.

use std::sync::Arc;
use std::time::Duration;

use super::SecretId;
use crate::grammar::image::Image;
use crate::grammar::word::Word;
use crate::origin::Sourced;

/// A target.
#[derive(Clone, Debug)]
pub struct Target {
    /// Its name.
    pub name: Arc<str>,
    /// What it is.
    pub on: Sourced<TargetKind>,
    /// The namespace in the cluster.
    pub namespace: Sourced<Arc<str>>,
    /// Whether the namespace is there already and not made here.
    pub namespace_present: bool,
    /// The registry that built images are pushed to.
    pub registry: Option<Sourced<Arc<str>>>,
    /// The domain under which the stack is reached.
    pub domain: Option<Sourced<Arc<str>>>,
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
    pub by: Sourced<EntryKind>,
    /// The class of the entry, by the cluster's name for it.
    pub class: Option<Sourced<Arc<str>>>,
    /// The secret with the certificate; with it the entry speaks TLS.
    pub tls: Option<Sourced<SecretId>>,
    /// The gateway that routes are for: its namespace, if it is another one, and its name.
    pub gateway: Option<(Option<Arc<str>>, Arc<str>)>,
}

/// How a cluster is told of a web entry.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum EntryKind {
    /// By an Ingress.
    #[default]
    Ingress,
    /// By an `HTTPRoute` for a gateway.
    Gateway,
}

impl Word for EntryKind {
    const WORDS: &'static [(&'static str, Self)] = &[("ingress", Self::Ingress), ("gateway", Self::Gateway)];
}

/// What start gates are made of.
#[derive(Clone, Debug)]
pub struct Gate {
    /// The image of a gate that waits for a service: it has a shell and `nc`.
    pub ready: Sourced<Image>,
    /// The image of a gate that waits for a task: it has a shell and `curl`.
    pub done: Sourced<Image>,
    /// How long a gate waits until it gives up.
    pub within: Sourced<Duration>,
}

/// What a target is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TargetKind {
    /// One machine, ports on localhost.
    Machine,
    /// A Kubernetes cluster.
    #[default]
    Cluster,
}

impl Word for TargetKind {
    const WORDS: &'static [(&'static str, Self)] = &[("machine", Self::Machine), ("cluster", Self::Cluster)];
}
