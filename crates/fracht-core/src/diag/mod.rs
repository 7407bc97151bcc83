//! Problems in a stack: the data of a message, and the report that collects them.

pub(crate) mod reading;
mod report;
mod rule;
mod severity;
mod sink;
pub(crate) mod unknown;

use std::error::Error;
use std::fmt;

use crate::origin::Layer;
use crate::source::Span;

pub use report::{Finding, Report};
pub use rule::Rule;
pub use severity::{Level, Severity};
pub(crate) use sink::Sink;
pub use unknown::{listing, nearest};

/// One problem: what is wrong, where, why, and what to do about it.
///
/// It has no severity: that is the rule's, unless the stack sets another one in `[rules]`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// The rule that found it.
    pub rule: &'static Rule,
    /// What is wrong: one clause that can be read alone.
    pub message: String,
    /// The place of the problem, and why it is wrong; `None` only if the problem has no place in a file.
    pub primary: Option<Label>,
    /// Other places that explain it: the first definition, every edge of a cycle.
    pub related: Vec<Label>,
    /// What to do: one or two instructions, the most likely fix first.
    pub help: Vec<String>,
    /// A change to the text that fixes the problem.
    pub fix: Option<Fix>,
    /// The names of the tables that have the problem, and so can allow it.
    pub owners: Vec<Span>,
    /// The target without which what has the problem is not there.
    pub(crate) only_in: Option<Layer>,
}

/// A place with a few words about it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// The words.
    pub text: String,
}

/// A change to the text that a machine can make.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What is replaced; empty to insert.
    pub span: Span,
    /// The text in its place.
    pub replacement: String,
    /// What the change does, as an instruction: `use the nearest name`.
    pub title: String,
    /// Whether it is surely what was meant, so that it can be made without asking.
    pub is_certain: bool,
}

impl fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}

impl Error for Diagnostic {}

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
            owners: Vec::new(),
            only_in: None,
        }
    }

    /// Says that the problem is one of the table whose name is at a place.
    #[must_use]
    pub(crate) fn of(mut self, table: Span) -> Self {
        self.owners.push(table);
        self
    }

    /// Sets the place and its label; nothing for `None`.
    #[must_use]
    pub fn at(mut self, span: impl Into<Option<Span>>, text: impl Into<String>) -> Self {
        self.primary = span.into().map(|span| Label { span, text: text.into() });
        self
    }

    /// Adds another place that explains the problem; nothing for `None`.
    #[must_use]
    pub fn also(mut self, span: impl Into<Option<Span>>, text: impl Into<String>) -> Self {
        self.related.extend(span.into().map(|span| Label { span, text: text.into() }));
        self
    }

    /// Adds an instruction.
    #[must_use]
    pub fn help(mut self, text: impl Into<String>) -> Self {
        self.help.push(text.into());
        self
    }

    /// Adds a change that fixes the problem.
    #[must_use]
    pub(crate) fn fix(
        mut self,
        span: Span,
        replacement: impl Into<String>,
        title: impl Into<String>,
    ) -> Self {
        self.fix = Some(Fix { span, replacement: replacement.into(), title: title.into(), is_certain: true });
        self
    }

    /// Adds a change that probably fixes the problem.
    #[must_use]
    pub(crate) fn likely_fix(
        self,
        span: Span,
        replacement: impl Into<String>,
        title: impl Into<String>,
    ) -> Self {
        let mut fixed = self.fix(span, replacement, title);
        if let Some(fix) = &mut fixed.fix {
            fix.is_certain = false;
        }
        fixed
    }
}
