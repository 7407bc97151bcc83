//! What a target changes.

use std::sync::Arc;

use crate::source::Span;

/// A text of the stack that a target overrides with another one.
#[derive(Clone, Debug)]
pub struct Change {
    /// The text that it overrides.
    pub old: Arc<str>,
    /// Where the text of the target is.
    pub span: Span,
    /// The path of the value.
    pub path: String,
}
