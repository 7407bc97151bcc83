//! External services: the stack uses them but does not run them.

use std::net::IpAddr;
use std::sync::Arc;

use crate::origin::Sourced;
use crate::source::Span;

/// An external service.
#[derive(Clone, Debug)]
pub struct Outside {
    /// Its name in the stack.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Where it is.
    pub place: Sourced<OutsidePlace>,
    /// Its ports by name, in the order of the file.
    pub ports: Vec<OutsidePort>,
}

/// The place of an external service.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OutsidePlace {
    /// A host name.
    Host(Arc<str>),
    /// An IP address.
    Address(IpAddr),
}

/// A port of an external service.
#[derive(Clone, Debug)]
pub struct OutsidePort {
    /// Its name.
    pub name: Arc<str>,
    /// Its number.
    pub number: Sourced<u16>,
}
