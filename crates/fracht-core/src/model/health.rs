//! Health checks.

use std::sync::Arc;
use std::time::Duration;

use super::PortIndex;
use crate::grammar::duration::whole_seconds;
use crate::origin::Sourced;
use crate::source::Span;

/// A health check: the source of the startup, readiness and liveness probes.
#[derive(Clone, Debug)]
pub struct Health {
    /// Where it is written.
    pub span: Span,
    /// What the check does.
    pub probe: Probe,
    /// The time between two checks.
    pub every: Sourced<Duration>,
    /// The longest time that one check may take.
    pub timeout: Sourced<Duration>,
    /// The longest time that the service may take to start.
    pub boot: Sourced<Duration>,
    /// After how many failed checks in a row it gets no more requests.
    pub fails: Sourced<u32>,
    /// After how many failed checks in a row it is restarted; 0 for never.
    pub restart_after: Sourced<u32>,
}

impl Health {
    /// How often it is tried at a start before it gives up. A cluster takes only whole seconds.
    pub fn boot_tries(&self) -> u32 {
        whole_seconds(self.boot.value).div_ceil(whole_seconds(self.every.value))
    }

    /// How long so many tries take.
    pub fn time_of(&self, tries: u32) -> Duration {
        Duration::from_secs(u64::from(whole_seconds(self.every.value)) * u64::from(tries))
    }
}

/// What a health check does.
#[derive(Clone, Debug)]
pub enum Probe {
    /// An HTTP GET request, which must be answered with a status of 200 to 399.
    Http {
        /// The path.
        path: Arc<str>,
        /// The port.
        port: PortIndex,
    },
    /// A TCP connection, which must be accepted.
    Tcp {
        /// The port.
        port: PortIndex,
    },
    /// A call of the gRPC health checking protocol, which must be answered with `SERVING`.
    Grpc {
        /// The port.
        port: PortIndex,
    },
    /// A program in the container, which must exit with 0.
    Run {
        /// The program and its arguments.
        command: Vec<Sourced<Arc<str>>>,
    },
}
