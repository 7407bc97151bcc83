//! What a stack uses and does not run.

use std::net::IpAddr;
use std::sync::Arc;

use crate::origin::Sourced;
use crate::source::Span;

/// Something outside of the stack.
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

/// Where something outside is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OutsidePlace {
    /// At a host name.
    Host(Arc<str>),
    /// At an address.
    Address(IpAddr),
}

/// A port of something outside.
#[derive(Clone, Debug)]
pub struct OutsidePort {
    /// Its name.
    pub name: Arc<str>,
    /// Its number.
    pub number: Sourced<u16>,
}
