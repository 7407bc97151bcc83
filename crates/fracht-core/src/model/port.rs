//! Ports, and who can reach them.

use std::sync::Arc;

use crate::grammar::at::At;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

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
    /// Who can reach it.
    pub reach: Sourced<Reach>,
    /// The number that those outside use.
    pub at: Option<Sourced<At>>,
    /// The number that others in the stack use, where it differs.
    pub as_number: Option<Sourced<u16>>,
    /// The host name that the web reaches it by; `None`: the target's domain.
    pub host: Option<Sourced<Arc<str>>>,
    /// What the paths begin with that the web reaches it by.
    pub path: Sourced<Arc<str>>,
    /// The helper that listens on it, by its position; `None`: the service's own container.
    pub helper: Option<usize>,
}

impl Port {
    /// The number that others in the stack use.
    pub fn as_number(&self) -> u16 {
        self.as_number.map_or(self.number.value, |inner| inner.value)
    }

    /// Where the number is written that others in the stack use.
    pub fn as_span(&self) -> Span {
        self.as_number.and_then(|inner| inner.span()).or(self.number.span()).unwrap_or(self.span)
    }
}

/// A port of a service by its position.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct PortIndex(pub usize);

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

/// Who can get to a port.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// Services that share a network.
    #[default]
    Stack,
    /// Whoever reaches a node.
    Node,
    /// The world, at an address of its own.
    Balancer,
    /// The world, by host name and path.
    Web,
}

impl Word for Reach {
    const WORDS: &'static [(&'static str, Self)] =
        &[("stack", Self::Stack), ("node", Self::Node), ("balancer", Self::Balancer), ("web", Self::Web)];
}

impl Reach {
    /// Whether the port is open to anything but the stack.
    pub fn is_open(self) -> bool {
        self != Self::Stack
    }
}
