//! Networks: groups of services that can reach each other.

use std::sync::Arc;

use crate::origin::Sourced;
use crate::source::Span;

/// A network.
#[derive(Clone, Debug)]
pub struct Network {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Whether its members can reach only each other and DNS.
    pub closed: Sourced<bool>,
}
