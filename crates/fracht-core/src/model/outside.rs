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
    /// A Service that is already in the cluster: its name, and its namespace if that is another one.
    Service(Arc<str>, Option<Arc<str>>),
}

/// A port of an external service.
#[derive(Clone, Debug)]
pub struct OutsidePort {
    /// Its name.
    pub name: Arc<str>,
    /// Its number.
    pub number: Sourced<u16>,
}

impl OutsidePlace {
    /// The name of a Service of the cluster (DNS for Services and Pods): alone in its namespace, else with that.
    pub fn service_host(name: &Arc<str>, namespace: Option<&Arc<str>>) -> Arc<str> {
        namespace.map_or_else(|| Arc::clone(name), |namespace| format!("{name}.{namespace}.svc").into())
    }
}
