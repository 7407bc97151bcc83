//! Inputs: values that are set from outside.

use std::sync::Arc;

use crate::origin::Sourced;
use crate::source::Span;

/// An input.
#[derive(Clone, Debug)]
pub struct Input {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The value if none is set.
    pub default: Option<Sourced<Arc<str>>>,
    /// Its value for this check; `None` if it has none, or an invalid one, which has been reported.
    pub value: Option<Arc<str>>,
}
