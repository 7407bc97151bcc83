//! `[rules]`: the severities that a stack sets for rules.

use std::collections::BTreeMap;

use crate::diag::reading::{BAD_VALUE, UNKNOWN_NAME};
use crate::diag::unknown::Unknown;
use crate::diag::{Diagnostic, Level, Rule, Severity, Sink};
use crate::language::stack::RULES;
use crate::rules;
use crate::source::Span;
use crate::tree::Node;

/// The severity of each rule for a target.
#[derive(Debug, Default)]
pub(crate) struct Levels {
    /// The rules whose severity the stack sets.
    set: BTreeMap<&'static Rule, Level>,
}

impl Levels {
    /// Reads the levels from a merged tree. Reports rules that do not exist, and rules that cannot be lowered.
    pub(crate) fn of(root: &Node, sink: &mut Sink) -> Self {
        let mut levels = Self::default();
        for (name, entry) in RULES.node(root).and_then(Node::table).into_iter().flatten() {
            let Some(rule) = rules::rule(name) else {
                if !sink.counts_only(&UNKNOWN_NAME, entry.key_span) {
                    sink.push(unknown_rule(name, entry.key_span));
                }
                continue;
            };
            // The check of shapes reports an invalid severity.
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

    /// The severity of a rule; `None` if it is turned off.
    pub(crate) fn severity(&self, rule: &'static Rule) -> Option<Severity> {
        self.set.get(rule).map_or(Some(rule.severity), |level| level.0)
    }
}

fn unknown_rule(name: &str, span: Span) -> Diagnostic {
    let unknown = Unknown { exact: true, ..Unknown::table("rule", name, span) };
    let mut problem = unknown.among(rules::all().map(|rule| rule.name));
    if problem.fix.is_none() {
        // There are too many rules for a list.
        problem.help = vec!["`fracht rules` lists all rules".into()];
    }
    problem
}
