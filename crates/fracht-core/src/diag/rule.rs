//! A rule: what is checked, and what people can read about it.

use std::cmp::Ordering;
use std::fmt;

use super::Severity;

/// A rule as data. What finds its problems is in the list of [`rules`](crate::rules).
pub struct Rule {
    /// Its name: words joined by `-`.
    pub name: &'static str,
    /// How severe its problems are, unless `[rules]` says otherwise.
    pub severity: Severity,
    /// What it finds: one clause without names.
    pub summary: &'static str,
    /// What happens at run time if it stays.
    pub why: &'static str,
    /// A stack file with exactly one problem of this rule.
    pub fails: &'static str,
    /// The same stack file, fixed.
    pub passes: &'static str,
    /// Set where no objects can be generated while it finds something: `[rules]` cannot lower it.
    pub always_error: bool,
    /// Set where a problem counts only if every target has it: what one target does not use, another may.
    pub in_every_target: bool,
}

impl Rule {
    /// What most rules have in common.
    pub(crate) const BASE: Self = Self {
        name: "",
        severity: Severity::Error,
        summary: "",
        why: "",
        fails: "",
        passes: "",
        always_error: false,
        in_every_target: false,
    };
}

impl fmt::Debug for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

// By name: each rule has one of its own.
impl PartialEq for Rule {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}
impl Eq for Rule {}
impl PartialOrd for Rule {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Rule {
    fn cmp(&self, other: &Self) -> Ordering {
        self.name.cmp(other.name)
    }
}
