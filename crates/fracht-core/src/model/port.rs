//! Ports of services, and from where each can be reached.

use std::sync::Arc;

use crate::grammar::at::At;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

use super::{Id, SecretId, SidecarIndex, Text};

/// A port of a service.
#[derive(Clone, Debug)]
pub struct Port {
    /// Its name (RFC 6335).
    pub name: Arc<str>,
    /// Where the name is written.
    pub span: Span,
    /// The number that the container listens on; 0 if it could not be read.
    pub number: Sourced<u16>,
    /// The transport protocol.
    pub protocol: Protocol,
    /// From where it can be reached.
    pub reach: Sourced<Reach>,
    /// The number for clients outside the stack.
    pub at: Option<Sourced<At>>,
    /// The number for clients inside the stack, if it differs.
    pub as_number: Option<Sourced<u16>>,
    /// The host name of a web port; `None` for the target's domain.
    pub host: Option<Sourced<Arc<str>>>,
    /// The path prefix of a web port.
    pub path: Sourced<Arc<str>>,
    /// Who may log in there; `None` for what the variables of the service tell.
    pub login: Option<PortLogin>,
    /// The annotations of the object that leads to it.
    pub notes: Box<[(Arc<str>, Text)]>,
    /// The sidecar that listens on it; `None` for the main container.
    pub sidecar: Option<SidecarIndex>,
}

impl Port {
    /// The number for clients inside the stack.
    pub fn as_number(&self) -> u16 {
        self.as_number.map_or(self.number.value, |inner| inner.value)
    }

    /// Where the number for clients inside the stack is written.
    pub fn as_span(&self) -> Span {
        self.as_number.and_then(|inner| inner.span()).or(self.number.span()).unwrap_or(self.span)
    }
}

/// A login at a port.
#[derive(Clone, Debug)]
pub struct PortLogin {
    /// The user name.
    pub user: Option<Text>,
    /// The key of a secret with the password.
    pub password: Option<(SecretId, Arc<str>)>,
}

/// A port of a service by its position.
pub type PortIndex = Id<Port>;

/// A transport protocol.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Protocol {
    /// TCP, the default.
    #[default]
    Tcp,
    /// UDP.
    Udp,
    /// SCTP.
    Sctp,
}

impl Word for Protocol {
    const WORDS: &'static [(&'static str, Self)] =
        &[("tcp", Self::Tcp), ("udp", Self::Udp), ("sctp", Self::Sctp)];
}

/// From where a port can be reached.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// From services that share a network.
    #[default]
    Stack,
    /// From everywhere that reaches a node.
    Node,
    /// From outside the cluster, through a load balancer with an address of its own.
    Balancer,
    /// From outside the cluster, through the web entry, by host name and path.
    Web,
}

impl Word for Reach {
    const WORDS: &'static [(&'static str, Self)] =
        &[("stack", Self::Stack), ("node", Self::Node), ("balancer", Self::Balancer), ("web", Self::Web)];
}

impl Reach {
    /// Whether the port can be reached from outside the stack.
    pub fn is_open(self) -> bool {
        self != Self::Stack
    }
}
