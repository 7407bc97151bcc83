//! Ports, and who can reach them.

use std::sync::Arc;

use crate::grammar::at::Outside;
use crate::origin::At;
use crate::source::Span;

/// A port of a service.
#[derive(Clone, Debug)]
pub struct Port {
    /// Its name (RFC 6335).
    pub name: Arc<str>,
    /// Where the name is written.
    pub span: Span,
    /// The number that the container listens on; 0 if it could not be read.
    pub number: At<u16>,
    /// The transport protocol.
    pub protocol: Protocol,
    /// Who can reach it.
    pub reach: At<Reach>,
    /// The number that those outside use.
    pub at: Option<At<Outside>>,
    /// The number that others in the stack use, where it differs.
    pub inner: Option<At<u16>>,
    /// The host name that the web reaches it by; `None`: the target's domain.
    pub host: Option<At<Arc<str>>>,
    /// What the paths begin with that the web reaches it by.
    pub path: At<Arc<str>>,
    /// The helper that listens on it, by its position; `None`: the service's own container.
    pub helper: Option<usize>,
}

impl Port {
    /// The number that others in the stack use.
    pub fn inner_number(&self) -> u16 {
        self.inner.map_or(self.number.value, |inner| inner.value)
    }

    /// Where the number is written that others in the stack use.
    pub fn inner_span(&self) -> Span {
        self.inner.and_then(|inner| inner.span()).or(self.number.span()).unwrap_or(self.span)
    }
}

/// A port of a service by its position.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct PortIndex(pub usize);

/// A transport protocol.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Protocol {
    /// TCP, the default.
    Tcp,
    /// UDP.
    Udp,
    /// SCTP.
    Sctp,
}

impl Protocol {
    /// Every protocol, by the word for it.
    pub const WORDS: [(&'static str, Protocol); 3] =
        [("tcp", Self::Tcp), ("udp", Self::Udp), ("sctp", Self::Sctp)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Tcp => "tcp",
            Self::Udp => "udp",
            Self::Sctp => "sctp",
        }
    }
}

/// Who can get to a port.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// Services that share a network.
    Stack,
    /// Whoever reaches a node.
    Node,
    /// The world, at an address of its own.
    Balancer,
    /// The world, by host name and path.
    Web,
}

impl Reach {
    /// Every reach, by the word for it.
    pub const WORDS: [(&'static str, Reach); 4] =
        [("stack", Self::Stack), ("node", Self::Node), ("balancer", Self::Balancer), ("web", Self::Web)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Stack => "stack",
            Self::Node => "node",
            Self::Balancer => "balancer",
            Self::Web => "web",
        }
    }

    /// Whether the port is open to anything but the stack.
    pub fn is_open(self) -> bool {
        self != Self::Stack
    }
}
