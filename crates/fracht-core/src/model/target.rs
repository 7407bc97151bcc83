//! Targets: where a stack runs.

use std::sync::Arc;
use std::time::Duration;

use super::{SecretId, Text};
use crate::grammar::image::Image;
use crate::grammar::platform::Platform;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A target.
#[derive(Clone, Debug)]
pub struct Target {
    /// Its name.
    pub name: Arc<str>,
    /// Where it runs.
    pub on: Sourced<TargetKind>,
    /// The namespace in the cluster.
    pub namespace: Sourced<Arc<str>>,
    /// Whether the namespace already exists, so that no object is generated for it.
    pub namespace_present: bool,
    /// The registry that built images are pushed to.
    pub registry: Option<Sourced<Arc<str>>>,
    /// The registries that are asked without TLS.
    pub without_tls: Vec<Arc<str>>,
    /// The default host name of web ports.
    pub domain: Option<Sourced<Arc<str>>>,
    /// The shared web entry.
    pub web: Web,
    /// The images and the time limit of start gates.
    pub gate: Gate,
    /// The addresses of the cluster's API as CIDR blocks (RFC 4632), for workloads in closed networks; empty for any
    /// address.
    pub api: Vec<Arc<str>>,
    /// The platforms of its nodes; empty if they are not known.
    pub nodes: Vec<Sourced<Platform>>,
    /// Where it is defined; `None` for the default target.
    pub name_span: Option<Span>,
    /// Whether its namespace is written in its own table, not in one that it is like.
    pub has_own_namespace: bool,
    /// The cluster targets before it in the file.
    pub earlier: Vec<EarlierTarget>,
}

/// What a target has that another one may claim as well.
#[derive(Clone, Debug)]
pub struct EarlierTarget {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Its namespace.
    pub namespace: Arc<str>,
    /// Its default host name of web ports.
    pub domain: Option<Arc<str>>,
}

/// The shared web entry of a target.
#[derive(Clone, Debug)]
pub struct Web {
    /// The kind of object that defines it.
    pub by: Sourced<EntryKind>,
    /// The name of the ingress class.
    pub class: Option<Sourced<Arc<str>>>,
    /// The secret with the certificate. If set, the entry uses TLS.
    pub tls: Option<Sourced<SecretId>>,
    /// The gateway of the routes: its namespace, if that is another one, and its name.
    pub gateway: Option<(Option<Arc<str>>, Arc<str>)>,
    /// The annotations of all web entries.
    pub notes: Box<[(Arc<str>, Text)]>,
}

/// The kind of object that defines a web entry.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum EntryKind {
    /// An Ingress.
    #[default]
    Ingress,
    /// An `HTTPRoute` for a gateway.
    Gateway,
}

impl Word for EntryKind {
    const WORDS: &'static [(&'static str, Self)] = &[("ingress", Self::Ingress), ("gateway", Self::Gateway)];
}

/// The images and the time limit of start gates.
#[derive(Clone, Debug)]
pub struct Gate {
    /// The image of a gate that waits for a service. It must contain a shell and `nc`.
    pub ready: Sourced<Image>,
    /// The image of a gate that waits for a task. It must contain a shell and `curl`.
    pub done: Sourced<Image>,
    /// How long a gate waits before it gives up.
    pub within: Sourced<Duration>,
}

/// Where a target runs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TargetKind {
    /// On one machine, with ports on localhost.
    Machine,
    /// In a Kubernetes cluster.
    #[default]
    Cluster,
}

impl Word for TargetKind {
    const WORDS: &'static [(&'static str, Self)] = &[("machine", Self::Machine), ("cluster", Self::Cluster)];
}
