//! Where a value came from. Every value of the model has an [`Origin`].

use crate::source::Span;

/// The layer that gave a value; a later one wins over an earlier one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Layer {
    /// A pattern, by its index among those of the stack.
    Pattern(u16),
    /// The stack file.
    Stack,
    /// A target of the stack, by its index in [`Targets`](crate::layer::Targets).
    Target(u16),
}

/// Where a value came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// The stack sets it.
    Written {
        /// The value in the file.
        span: Span,
        /// The layer that the file's table belongs to.
        layer: Layer,
    },
    /// Nothing sets it: it is the default.
    Default,
}

impl Origin {
    /// Where a written value is.
    pub fn span(self) -> Option<Span> {
        match self {
            Self::Written { span, .. } => Some(span),
            Self::Default => None,
        }
    }
}

/// A value with its origin.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Sourced<T> {
    /// The value.
    pub value: T,
    /// Where it came from.
    pub origin: Origin,
}

impl<T> Sourced<T> {
    /// A value that is the default.
    pub fn defaulted(value: T) -> Self {
        Self { value, origin: Origin::Default }
    }

    /// Where a written value is.
    pub fn span(&self) -> Option<Span> {
        self.origin.span()
    }

    /// The same origin for what `change` makes of the value.
    pub fn map<U>(self, change: impl FnOnce(T) -> U) -> Sourced<U> {
        Sourced { value: change(self.value), origin: self.origin }
    }
}
