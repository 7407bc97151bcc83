//! How to see that a service works.

use std::sync::Arc;
use std::time::Duration;

use super::PortIndex;
use crate::origin::Sourced;
use crate::source::Span;

/// A check of health, from which readiness, restarts and the time to start follow.
#[derive(Clone, Debug)]
pub struct Health {
    /// Where it is written.
    pub span: Span,
    /// What is asked.
    pub probe: Probe,
    /// The time between two checks.
    pub every: Sourced<Duration>,
    /// The time an answer may take.
    pub timeout: Sourced<Duration>,
    /// The time the service may take to start.
    pub boot: Sourced<Duration>,
    /// Checks failed in a row until it gets no more traffic.
    pub fails: Sourced<u32>,
    /// Checks failed in a row until it is restarted; 0: never.
    pub restart_after: Sourced<u32>,
}

/// What a check asks.
#[derive(Clone, Debug)]
pub enum Probe {
    /// An HTTP GET that must answer with 200 to 399.
    Http {
        /// The path.
        path: Arc<str>,
        /// The port.
        port: PortIndex,
    },
    /// A TCP connection that must open.
    Tcp {
        /// The port.
        port: PortIndex,
    },
    /// A call of the gRPC health checking protocol that must say `SERVING`.
    Grpc {
        /// The port.
        port: PortIndex,
    },
    /// A program in the container that must end with 0.
    Run {
        /// The program and its arguments.
        command: Vec<Arc<str>>,
    },
}
