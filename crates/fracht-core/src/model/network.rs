//! Groups of services that may talk to each other.

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
    /// Whether its members reach nothing but each other and the look-up of names.
    pub closed: Sourced<bool>,
}
