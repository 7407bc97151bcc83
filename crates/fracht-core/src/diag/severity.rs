//! How severe a problem is.

use crate::grammar::word::Word;

/// How severe a problem is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// The stack cannot run as written. No objects are generated.
    Error,
    /// The stack runs, but not as most readers expect.
    Warning,
    /// The stack runs and could be better.
    Hint,
}

impl Word for Severity {
    const WORDS: &'static [(&'static str, Self)] =
        &[("error", Self::Error), ("warning", Self::Warning), ("hint", Self::Hint)];
}

/// The severity that `[rules]` sets for a rule; `None` if it turns the rule off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Level(pub Option<Severity>);

impl Word for Level {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("off", Self(None)),
        ("hint", Self(Some(Severity::Hint))),
        ("warning", Self(Some(Severity::Warning))),
        ("error", Self(Some(Severity::Error))),
    ];
}
