//! What the tool has to say about a stack: one struct for every problem, and what collects them.

pub(crate) mod reading;
mod report;
mod rule;
mod severity;
mod sink;
pub(crate) mod unknown;

use crate::source::Span;

pub use report::{Finding, Report};
pub use rule::Rule;
pub use severity::{Level, Severity};
pub(crate) use sink::Sink;
pub use unknown::{listing, nearest};

/// One problem: what is wrong, where, why, and what to do about it.
///
/// The severity is not part of it: that is the rule's, or what the stack says of the rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// The rule that found it.
    pub rule: &'static Rule,
    /// What is wrong, in one sentence without a place.
    pub message: String,
    /// What is here; `None` only where the problem has no place in a file.
    pub primary: Option<Label>,
    /// Other places that explain it: the first definition, every edge of a circle.
    pub related: Vec<Label>,
    /// What to do, in sentences.
    pub help: Vec<String>,
    /// A change to the text that mends it.
    pub fix: Option<Fix>,
}

/// A place with a few words on what is there.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// The words; may be empty.
    pub text: String,
}

/// A change to the text that a machine can make.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What is replaced; empty to insert.
    pub span: Span,
    /// The text in its place.
    pub replacement: String,
    /// What the change does, as an order: `use the nearest name`.
    pub title: String,
}

impl Diagnostic {
    /// A problem found by `rule`.
    pub fn new(rule: &'static Rule, message: impl Into<String>) -> Self {
        Self {
            rule,
            message: message.into(),
            primary: None,
            related: Vec::new(),
            help: Vec::new(),
            fix: None,
        }
    }

    /// Says where it is and what is there. No place is taken for `None`.
    #[must_use]
    pub fn at(mut self, span: impl Into<Option<Span>>, text: impl Into<String>) -> Self {
        self.primary = span.into().map(|span| Label { span, text: text.into() });
        self
    }

    /// Adds a place that explains it.
    #[must_use]
    pub fn also(mut self, span: impl Into<Option<Span>>, text: impl Into<String>) -> Self {
        self.related.extend(span.into().map(|span| Label { span, text: text.into() }));
        self
    }

    /// Adds a sentence on what to do.
    #[must_use]
    pub fn help(mut self, text: impl Into<String>) -> Self {
        self.help.push(text.into());
        self
    }

    /// Adds a change that mends it.
    #[must_use]
    pub(crate) fn fix(
        mut self,
        span: Span,
        replacement: impl Into<String>,
        title: impl Into<String>,
    ) -> Self {
        self.fix = Some(Fix { span, replacement: replacement.into(), title: title.into() });
        self
    }
}
