//! Numbers of ports that were chosen once and are kept in the lock of the stack.

use std::sync::Arc;

use crate::source::Span;

/// The kept numbers of a port.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Kept {
    /// The name of the service.
    pub service: Arc<str>,
    /// The name of the port.
    pub port: Arc<str>,
    /// The external numbers, on a machine one per replica; at least one.
    pub at: Vec<u16>,
    /// The `at` of the stack in place of which these numbers were chosen, since it clashed; `None` if the stack leaves
    /// the choice.
    pub instead_of: Option<Arc<str>>,
    /// Where the numbers are written; `None` for those that are not in a file yet.
    pub span: Option<Span>,
}

impl Kept {
    /// The port, by its names.
    pub fn key(&self) -> (&str, &str) {
        (&self.service, &self.port)
    }
}
