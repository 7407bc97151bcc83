//! A rule: what it finds, and the text of its page.

use std::cmp::Ordering;
use std::fmt;

use super::Severity;

/// A rule as data. The list in [`rules`](crate::rules) says which code finds its problems.
pub struct Rule {
    /// Its name: words joined by `-`.
    pub name: &'static str,
    /// The severity of its problems, unless `[rules]` sets another one.
    pub severity: Severity,
    /// The problem: one clause without names.
    pub summary: &'static str,
    /// What happens at run time if the problem stays.
    pub why: &'static str,
    /// A stack file with exactly one problem of this rule.
    pub fails: &'static str,
    /// The same stack file, fixed.
    pub passes: &'static str,
    /// Set if a problem prevents all objects: `[rules]` cannot lower or turn off the rule.
    pub always_error: bool,
    /// Set if a problem counts only when every target has it: what one target does not use, another may use.
    pub in_every_target: bool,
}

impl Rule {
    /// The fields that most rules share.
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

    /// A rule whose problems prevent all objects, with a stack file that fails it and the same one fixed.
    pub(crate) const fn always_error(
        name: &'static str,
        summary: &'static str,
        why: &'static str,
        (fails, passes): (&'static str, &'static str),
    ) -> Self {
        Self { name, summary, why, fails, passes, always_error: true, ..Self::BASE }
    }
}

impl fmt::Debug for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

// Rules are compared by name, which is unique.
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
