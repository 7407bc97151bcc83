//! What a stack says about rules: their severities in `[rules]`, and in `allow` what a table breaks on purpose.

use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

use crate::diag::reading::{BAD_VALUE, UNKNOWN_NAME};
use crate::diag::unknown::Unknown;
use crate::diag::{Diagnostic, Level, Rule, Severity, Sink};
use crate::language::allow::ALLOW;
use crate::language::service::BESIDE;
use crate::language::stack::{self, RULES};
use crate::language::{Field, Table};
use crate::rules;
use crate::source::{Places, Span};
use crate::tree::{Entry, Node, Value};

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

    /// Removes what tables allow, and reports allowances that allow nothing.
    pub(crate) fn allow(&self, root: &Node, target: Option<(&Node, Span)>, sink: &mut Sink) {
        let allowances = allowances(root, target, sink);
        if allowances.is_empty() {
            return;
        }
        let mut used: BTreeSet<(Span, &'static Rule)> = BTreeSet::new();
        sink.retain(|found| {
            let allowed = |table: &&Span| allowances.contains_key(&(**table, found.rule));
            let owner = found.owners.iter().find(allowed).copied();
            // Where a rule names no table, it is the one that the place is in.
            let around = || {
                let place = found.primary.as_ref()?.span;
                let of_rule = allowances.iter().filter(|((_, rule), _)| *rule == found.rule);
                let mut around = of_rule.filter(|(_, allowance)| allowance.around.overlap(place));
                around.next().map(|((table, _), _)| *table)
            };
            let table = owner.or_else(|| around().filter(|_| found.owners.is_empty()));
            used.extend(table.map(|table| (table, found.rule)));
            table.is_none()
        });
        // What could not be read may be what is allowed.
        if sink.has_unread() {
            return;
        }
        for ((table, rule), Allowance { place, .. }) in &allowances {
            if !used.contains(&(*table, *rule)) && self.severity(rule).is_some() {
                sink.push(
                    Diagnostic::new(&rules::ALLOW_UNUSED, format!("`allow.{}` allows nothing", rule.name))
                        .at(*place, "breaks no such rule")
                        .help("remove it"),
                );
            }
        }
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

/// The tables that can allow something.
static ALLOWING: [&Field<Table>; 9] = [
    &stack::SERVICE,
    &stack::TASK,
    &stack::VOLUME,
    &stack::CONFIG,
    &stack::SECRET,
    &stack::NETWORK,
    &stack::OUTSIDE,
    &stack::BUILD,
    &stack::INPUT,
];

/// Each allowance, by the name of its table and its rule.
type Allowances = BTreeMap<(Span, &'static Rule), Allowance>;

/// Where an allowance is written, and the places of all values of its table.
struct Allowance {
    place: Span,
    around: Rc<Places>,
}

/// The allowances of a merged tree and of its target. Those of rules that do not exist, or cannot be allowed, and those
/// without a reason are reported.
fn allowances(root: &Node, target: Option<(&Node, Span)>, sink: &mut Sink) -> Allowances {
    let mut found = Allowances::new();
    let tables = ALLOWING.iter().filter_map(|field| field.node(root).and_then(Node::table)).flatten();
    for (_, entry) in tables {
        allowed_by(entry.key_span, &entry.node, &mut found, sink);
        for (_, sidecar) in BESIDE.node(&entry.node).and_then(Node::table).into_iter().flatten() {
            allowed_by(sidecar.key_span, &sidecar.node, &mut found, sink);
        }
    }
    if let Some((node, name)) = target {
        allowed_by(name, node, &mut found, sink);
    }
    found
}

/// The allowances of one table.
fn allowed_by(table: Span, node: &Node, found: &mut Allowances, sink: &mut Sink) {
    let Some(rules) = ALLOW.node(node).and_then(Node::table) else { return };
    let mut places = vec![table];
    places_of(node, &mut places);
    let around = Rc::new(Places::of(places.into_iter()));
    for (name, entry) in rules {
        if let Some(rule) = allowed(name, entry, sink) {
            found.insert((table, rule), Allowance { place: entry.key_span, around: Rc::clone(&around) });
        }
    }
}

/// The places of all keys and values in a table.
fn places_of(node: &Node, places: &mut Vec<Span>) {
    match &node.value {
        Value::Table(entries) => {
            for entry in entries.values() {
                places.push(entry.key_span);
                places_of(&entry.node, places);
            }
        }
        Value::List(items) => items.iter().for_each(|item| places_of(item, places)),
        _ => places.push(node.span),
    }
}

/// The rule of an allowance.
fn allowed(name: &str, entry: &Entry, sink: &mut Sink) -> Option<&'static Rule> {
    let Some(rule) = rules::rule(name) else {
        sink.push(unknown_rule(name, entry.key_span));
        return None;
    };
    if rule.always_error {
        sink.push(
            Diagnostic::new(&BAD_VALUE, format!("rule `{name}` cannot be allowed"))
                .at(entry.key_span, "prevents all objects")
                .help("remove this line and fix what the rule finds"),
        );
        return None;
    }
    if entry.node.text().is_some_and(|reason| reason.trim().is_empty()) {
        sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`allow.{name}` has no reason"))
                .at(entry.node.span, "empty")
                .help("say why it is meant, for those who read it later"),
        );
    }
    Some(rule)
}
