//! Where a value comes from: its place in a file and its layer.

use crate::source::Span;

/// The layer that sets a value. A later layer overrides an earlier one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Layer {
    /// A pattern, by its index among those of the stack.
    Pattern(u16),
    /// The stack file.
    Stack,
    /// A target of the stack, by its index in [`Targets`](crate::layer::Targets).
    Target(u16),
}

/// Where a value comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// It is written in a file of the stack.
    Written {
        /// Its place in the file.
        span: Span,
        /// The layer of the table that it is in.
        layer: Layer,
    },
    /// It is not set, so it is the default.
    Default,
}

impl Origin {
    /// The place of a written value.
    pub fn span(self) -> Option<Span> {
        match self {
            Self::Written { span, .. } => Some(span),
            Self::Default => None,
        }
    }

    /// The origin of a part of the value, at `place`.
    pub(crate) fn of_part(self, place: Span) -> Self {
        match self {
            Self::Written { layer, .. } => Self::Written { span: place, layer },
            Self::Default => Self::Default,
        }
    }

    /// Whether a target sets the value.
    pub fn is_in_target(self) -> bool {
        matches!(self, Self::Written { layer: Layer::Target(_), .. })
    }
}

/// A value with its origin.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Sourced<T> {
    /// The value.
    pub value: T,
    /// Where it comes from.
    pub origin: Origin,
}

impl<T> Sourced<T> {
    /// A value that is not set in the stack.
    pub fn defaulted(value: T) -> Self {
        Self { value, origin: Origin::Default }
    }

    /// The place of a written value.
    pub fn span(&self) -> Option<Span> {
        self.origin.span()
    }

    /// The changed value, with the same origin.
    pub fn map<U>(self, change: impl FnOnce(T) -> U) -> Sourced<U> {
        Sourced { value: change(self.value), origin: self.origin }
    }
}
