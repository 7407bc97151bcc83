//! `[rules]`: the severities that a stack gives to rules.

use std::collections::BTreeMap;

use crate::diag::reading::BAD_VALUE;
use crate::diag::unknown::Unknown;
use crate::diag::{Diagnostic, Level, Rule, Severity, Sink};
use crate::language::stack::RULES;
use crate::rules;
use crate::tree::Node;

/// The severity of each rule for a target.
#[derive(Debug, Default)]
pub(crate) struct Levels {
    /// What the stack sets.
    set: BTreeMap<&'static Rule, Level>,
}

impl Levels {
    /// Reads the levels of a merged tree. Reports unknown rules, and lowering a rule without which no objects can be
    /// generated.
    pub(crate) fn of(root: &Node, sink: &mut Sink) -> Self {
        let mut levels = Self::default();
        for (name, entry) in RULES.node(root).and_then(Node::table).into_iter().flatten() {
            let Some(rule) = rules::rule(name) else {
                let unknown = Unknown { exact: true, ..Unknown::table("rule", name, entry.key_span) };
                unknown.report(|| rules::all().map(|rule| rule.name), sink);
                continue;
            };
            // Another word is reported by the check of shapes.
            let Some(level) = RULES.takes.read(&entry.node.value, "") else { continue };
            if rule.always_error && level != Level(Some(Severity::Error)) {
                sink.push(
                    Diagnostic::new(&BAD_VALUE, format!("rule `{name}` is always an error"))
                        .at(entry.node.span, "cannot be turned off or lowered")
                        .help("remove this line and fix what the rule finds: it prevents all objects"),
                );
                continue;
            }
            levels.set.insert(rule, level);
        }
        levels
    }

    /// The severity of a rule; `None` if it is off.
    pub(crate) fn severity(&self, rule: &'static Rule) -> Option<Severity> {
        self.set.get(rule).map_or(Some(rule.severity), |level| level.0)
    }
}
