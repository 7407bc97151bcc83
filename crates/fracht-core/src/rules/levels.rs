//! `[rules]`: how bad what a rule finds is, where the stack says otherwise.

use std::collections::BTreeMap;

use super::{RULES, rule};
use crate::diag::suggest::Unknown;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::tree::Node;

/// The severity of each rule under a target.
#[derive(Debug, Default)]
pub(crate) struct Levels {
    /// What the stack says; `None`: it is off.
    said: BTreeMap<&'static str, Option<Severity>>,
}

impl Levels {
    /// Reads the levels of a merged tree. A rule that there is not is reported, and so is turning off what
    /// no object can be made without.
    pub(crate) fn of(root: &Node, sink: &mut Sink) -> Self {
        let mut levels = Self::default();
        for (name, entry) in root.at(&["rules"]).and_then(Node::table).into_iter().flatten() {
            let Some(rule) = rule(name) else {
                let unknown = Unknown { what: "rule", name, span: entry.key_span, exact: true };
                unknown.report(|| RULES.iter().map(|rule| rule.name), sink);
                continue;
            };
            let level = match entry.node.text().map(|text| &**text) {
                Some("off") => None,
                Some("hint") => Some(Severity::Hint),
                Some("warning") => Some(Severity::Warning),
                Some("error") => Some(Severity::Error),
                _ => continue, // reported by the check of shapes
            };
            if rule.fixed && level != Some(Severity::Error) {
                sink.push(
                    Diagnostic::new("bad-value", format!("What {name} finds is always an error."))
                        .at(entry.node.span, "can't be made less of")
                        .help("Nothing could be made of a stack that has it: mend what it finds."),
                );
                continue;
            }
            levels.said.insert(rule.name, level);
        }
        levels
    }

    /// How bad what a rule finds is; `None` if it is off.
    pub(crate) fn severity(&self, name: &str) -> Option<Severity> {
        let own = || Some(rule(name).map_or(Severity::Error, |rule| rule.severity));
        self.said.get(name).copied().unwrap_or_else(own)
    }
}
