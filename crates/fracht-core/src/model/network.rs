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
    /// Other stacks whose services and tasks may connect to its members.
    pub admits: Vec<Admitted>,
}

/// Services and tasks of another stack that may connect to the members of a network.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Admitted {
    /// The name of the stack.
    pub stack: Sourced<Arc<str>>,
    /// The one service or task of it; `None` for all.
    pub service: Option<Arc<str>>,
    /// The namespace, if it is another one.
    pub namespace: Option<Arc<str>>,
}

impl Admitted {
    /// What is admitted, in words.
    pub fn words(&self) -> String {
        let Self { stack, service, namespace } = self;
        let stack = service.as_ref().map_or_else(
            || format!("stack {}", stack.value),
            |service| format!("{service} of stack {}", stack.value),
        );
        namespace.as_ref().map_or(stack.clone(), |namespace| format!("{stack} in namespace {namespace}"))
    }
}
