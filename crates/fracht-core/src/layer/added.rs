//! The names that a target adds to the tables of a stack. One that is almost another name is probably misspelt.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::diag::reading::{MISSING_KEY, NEAR_DUPLICATE, UNUSED};
use crate::diag::unknown::nearest;
use crate::diag::{Diagnostic, Fix, Label, Sink};
use crate::grammar::path;
use crate::language::Shape;
use crate::language::port::PORT;
use crate::language::service::BESIDE;
use crate::model::Change;
use crate::origin::Layer;
use crate::source::Span;
use crate::tree::{Entries, Value};

/// Of longer tables, which are mostly files of settings, names are not compared.
const MOST_COMPARED: usize = 200;

/// The names that the targets of a chain add, by their places.
#[derive(Clone, Debug, Default)]
pub(crate) struct Added {
    names: BTreeMap<Span, Name>,
    /// The texts of the stack that they change.
    pub(crate) changes: Vec<Change>,
}

/// An added name.
#[derive(Clone, Debug)]
struct Name {
    layer: Layer,
    near: Option<Near>,
}

/// A name that was there before and is almost the same.
#[derive(Clone, Debug)]
struct Near {
    name: Arc<str>,
    /// The added name, and the table that it is in.
    added: Arc<str>,
    owner: String,
    /// The names of the tables around it.
    tables: Vec<Span>,
    /// Whether something refers to such names, so that a misspelt one is not used.
    is_referred_to: bool,
}

impl Near {
    /// The change of an added name to this one.
    fn fix(&self, span: Span) -> Fix {
        Fix {
            span,
            replacement: path::show([&*self.name]),
            title: format!("did you mean `{}`?", self.name),
            is_certain: false,
        }
    }
}

/// A way down from the root.
#[derive(Clone, Default)]
pub(super) struct Way {
    steps: Vec<Arc<str>>,
    tables: Vec<Span>,
}

impl Way {
    /// One step further, to a name that has been there before, or has not.
    pub(super) fn to(&self, name: &Arc<str>, table: Option<Span>) -> Self {
        let mut way = self.clone();
        way.steps.push(Arc::clone(name));
        way.tables.extend(table);
        way
    }

    /// Whether something refers to the names in this table.
    fn has_references(&self) -> bool {
        let is_last = |name: &str| self.steps.last().is_some_and(|last| **last == *name);
        self.steps.len() < 2 || is_last(PORT.name()) || is_last(BESIDE.name())
    }
}

impl Added {
    /// Notes the names in `over`, a table of a target, that `base` does not have.
    pub(super) fn note(&mut self, base: Option<&Entries>, over: &Entries, shape: &Shape, way: &Way) {
        for (name, entry) in over {
            let under = base.and_then(|base| base.get(name));
            if shape.is_named() && under.is_none() {
                let near = base.and_then(|base| {
                    if base.len() > MOST_COMPARED {
                        return None;
                    }
                    let is_referred_to = way.has_references();
                    // With a message of its own, a less likely name is a help as well.
                    let near = || {
                        let near =
                            nearest(name, base.keys().map(|name| &**name)).filter(|_| is_referred_to)?;
                        base.keys().find(|other| ***other == *near)
                    };
                    let near = base.keys().find(|other| is_misspelt(name, other)).or_else(near)?;
                    let (steps, owner) = (way.steps.iter().map(|step| &**step), way.steps.len().max(2) - 1);
                    Some(Near {
                        name: Arc::clone(near),
                        added: Arc::clone(name),
                        owner: path::show(steps.take(owner)),
                        tables: way.tables.clone(),
                        is_referred_to,
                    })
                });
                self.names.insert(entry.key_span, Name { layer: entry.node.layer, near });
            }
            if let (Value::Text(new), Some(under)) = (&entry.node.value, under)
                && let Some(old) = under.node.text().filter(|old| *old != new && is_distinct(old))
                && !matches!(under.node.layer, Layer::Target(_))
            {
                let path = path::show(way.steps.iter().chain([name]).map(|step| &**step));
                self.changes.push(Change { old: Arc::clone(old), span: entry.node.span, path });
            }
            if let (Value::Table(over), Some(below)) = (&entry.node.value, shape.below(name)) {
                let table = under.filter(|_| shape.is_named()).map(|under| under.key_span);
                let base = under.and_then(|under| under.node.table());
                self.note(base, over, &below, &way.to(name, table));
            }
        }
    }

    /// Explains the problems of added names by the name that was probably meant, and reports those that nothing else
    /// shows. In a stack that could not be read whole, only misspelt names are surely not used: what could not be read
    /// may be the use.
    pub(crate) fn explain(&self, is_incomplete: bool, sink: &mut Sink) {
        let mut explained = BTreeSet::new();
        let may_be = |found: &&mut Diagnostic| found.rule == &UNUSED || found.rule == &MISSING_KEY;
        for found in sink.found_mut().filter(may_be) {
            let Some(span) = found.primary.as_ref().map(|label| label.span) else { continue };
            let Some(Name { layer, near }) = self.names.get(&span) else { continue };
            if found.rule == &UNUSED {
                found.only_in = Some(*layer);
            }
            let Some(near) = near else { continue };
            explained.insert(span);
            if found.fix.is_none() && !found.help.iter().any(|help| help.starts_with("did you mean")) {
                found.help.truncate(1);
                found.fix = Some(near.fix(span));
            }
        }
        if is_incomplete {
            let missing = sink.found_mut().filter(|found| found.rule == &MISSING_KEY);
            let missing: BTreeSet<Span> =
                missing.filter_map(|found| Some(found.primary.as_ref()?.span)).collect();
            let is_lone = |label: &Label| !missing.contains(&label.span);
            sink.retain_of(&UNUSED, |found| {
                found.only_in.is_some() && found.fix.is_some() && found.primary.as_ref().is_some_and(is_lone)
            });
        }
        for (span, name) in &self.names {
            let Some(near) = name.near.as_ref().filter(|near| !near.is_referred_to) else { continue };
            if explained.contains(span) {
                continue;
            }
            let message = format!(
                "`{}` of `{}` is almost `{}`, which it does not override",
                near.added, near.owner, near.name
            );
            let mut problem = Diagnostic::new(&NEAR_DUPLICATE, message).at(*span, "added by the target");
            problem.fix = Some(near.fix(*span));
            sink.push(near.tables.iter().fold(problem, |problem, table| problem.of(*table)));
        }
    }
}

/// Whether a text has a form of its own, as an address or a host name has, so that two equal ones have the same meaning.
fn is_distinct(text: &str) -> bool {
    let letters = text.bytes().filter(u8::is_ascii_alphabetic).count();
    let is_path = text.starts_with(['/', '.', '~']);
    text.len() >= 8
        && letters >= 6
        && (text.contains("://") || text.contains('.') && !is_path)
        && !text.contains(char::is_whitespace)
        && !text.contains(['{', '}'])
}

/// Whether a name is another one with a mistake: other signs or capitals, or one word of it with a slip.
fn is_misspelt(name: &str, other: &str) -> bool {
    let split = |text: &str| {
        let words = text.split(['_', '-', '.', '/']).filter(|word| !word.is_empty());
        words.map(str::to_ascii_lowercase).collect::<Vec<_>>()
    };
    let (own, others) = (split(name), split(other));
    if own.concat() == others.concat() {
        return true;
    }
    let mut differ = own.iter().zip(&others).filter(|(one, other)| one != other);
    let (first, more) = (differ.next(), differ.next());
    // `http` and `https` are both meant, `KEY_HOUR` and `KEY_HOURS` are hardly.
    let is_plural = |one: &str, other: &str| own.len() == 1 && one.strip_suffix('s') == Some(other);
    let is_meant = |one: &str, other: &str| is_plural(one, other) || is_plural(other, one);
    own.len() == others.len()
        && more.is_none()
        && first.is_some_and(|(one, other)| is_slip(one, other) && !is_meant(one, other))
}

/// Whether a word is another one with a slip, which is rarely in its first letter: `import` and `export` are both meant,
/// and so are `NODE_1` and `NODE_2`, and short words.
fn is_slip(one: &str, other: &str) -> bool {
    let letters = |word: &str| word.chars().all(|c| c.is_ascii_alphabetic());
    let two = |word: &str| word.bytes().next().zip(word.as_bytes().get(1).copied());
    let (first, second) = (two(one), two(other));
    let starts =
        one.bytes().next() == other.bytes().next() || first == second.map(|(one, other)| (other, one));
    one.len() > 3 && starts && letters(one) && letters(other) && nearest(one, [other]).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_with_a_slip_are_told_from_names_that_are_meant() {
        for (name, other) in [
            ("LOG_LEVLE", "LOG_LEVEL"),
            ("log_level", "LOG_LEVEL"),
            ("LOGLEVEL", "LOG_LEVEL"),
            ("modle", "model"),
            ("omdel", "model"),
            ("/etc/forcast/stations.csv", "/etc/forecast/stations.csv"),
        ] {
            assert!(is_misspelt(name, other), "{name} {other}");
        }
        for (name, other) in [
            ("NODE_1", "NODE_2"),
            ("https", "http"),
            ("key", "keys"),
            ("EXPORT_DIR", "IMPORT_DIR"),
            ("EXTERNAL_URL", "INTERNAL_URL"),
            ("db", "dc"),
            ("LOG_LEVEL", "LOG_FORMAT"),
            ("LOG_LEVEL_DEFAULT", "LOG_LEVEL"),
        ] {
            assert!(!is_misspelt(name, other), "{name} {other}");
        }
    }
}
