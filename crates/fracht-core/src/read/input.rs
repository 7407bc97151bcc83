//! Reads `[input.NAME]`: the value of each input.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::Reader;
use super::build::named_builds;
use super::fields::Fields;
use super::used::UsedBuilds;
use crate::cover::may_be_secret;
use crate::diag::Diagnostic;
use crate::diag::reading::{INPUT_MISSING, INPUT_REFUSED, UNUSED};
use crate::grammar::pattern::Pattern;
use crate::input::{InputSource, InputValues, variable_name};
use crate::language::container::BUILD;
use crate::language::input::{DEFAULT, HELP, INPUT_TABLE, PATTERN};
use crate::language::stack::{self, INPUT};
use crate::language::workload::LIKE;
use crate::model::Input;
use crate::origin::Sourced;
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

/// Reads the inputs. One without a value is reported.
pub(super) fn read_all(
    reader: &mut Reader<'_>,
    (root, target): (&Node, Option<&Node>),
    values: &InputValues,
) -> Vec<Input> {
    let inputs = INPUT.node(root).and_then(Node::table).into_iter().flatten();
    let mut unused = None;
    let mut builds = None;
    let inputs = inputs
        .map(|(name, entry)| {
            // A target that does not use an input does not need its value.
            let is_used = || {
                let builds = builds.get_or_insert_with(|| UsedBuilds::of(root, target));
                let unused = unused.get_or_insert_with(|| unused_names(root, target, Some(builds)));
                !unused.contains(&**name)
            };
            read(reader, name, entry, (values, is_used))
        })
        .collect();
    reader.used_builds = builds;
    inputs
}

/// The names of the inputs to which no text refers, or only in builds that are not among `used`.
fn unused_names<'n>(
    root: &'n Node,
    target: Option<&'n Node>,
    used: Option<&UsedBuilds>,
) -> BTreeSet<&'n str> {
    let inputs = INPUT.node(root).and_then(Node::table);
    let mut unused: BTreeSet<&str> = inputs.into_iter().flat_map(Entries::keys).map(|name| &**name).collect();
    for (key, entry) in root.table().into_iter().flatten() {
        match (used, entry.node.table()) {
            (Some(used), Some(builds)) if **key == *stack::BUILD.name() => {
                let builds = builds.iter().filter(|(name, _)| used.has(name));
                builds.for_each(|(_, entry)| cross_off(&entry.node, &mut unused));
            }
            _ => cross_off(&entry.node, &mut unused),
        }
    }
    if let Some(target) = target {
        cross_off(target, &mut unused);
    }
    unused
}

/// Reports patterns that nothing is like, and builds whose image nothing runs. `tree` is the stack with all its targets.
pub(super) fn report_unused_sources(
    reader: &mut Reader<'_>,
    tree: &Node,
    root: &Node,
    patterns: &[(Arc<str>, Span)],
) {
    let mut liked = BTreeSet::new();
    values_of(tree, LIKE.name(), &mut liked);
    let mut built = BTreeSet::new();
    values_of(root, BUILD.name(), &mut built);
    let builds = || stack::BUILD.node(root).and_then(Node::table).into_iter().flatten();
    if builds().any(|(name, _)| !built.contains(&**name)) {
        named_builds_of(root, &mut built);
    }
    let mut report = |kind: &str, name: &str, span, help: String| {
        reader.sink.push(
            Diagnostic::new(&UNUSED, format!("`{kind}.{name}` is never used"))
                .at(span, "unused")
                .help(help)
                .help("or remove it"),
        );
    };
    for (name, span) in patterns {
        if !liked.contains(&format!("pattern.{name}")) {
            report("pattern", name, *span, format!("start a service from it: `like = \"pattern.{name}\"`"));
        }
    }
    for (name, entry) in builds() {
        if !built.contains(&**name) {
            report(
                "build",
                name,
                entry.key_span,
                format!("run its image: `build = \"{name}\"` in a service"),
            );
        }
    }
}

/// Adds the texts that are the value of a key, or in a list that is, anywhere below a node.
fn values_of(node: &Node, key: &str, found: &mut BTreeSet<String>) {
    for (name, entry) in node.table().into_iter().flatten() {
        if **name == *key {
            let items = if let Value::List(items) = &entry.node.value {
                &items[..]
            } else {
                std::slice::from_ref(&entry.node)
            };
            found.extend(items.iter().filter_map(Node::text).map(ToString::to_string));
        }
        values_of(&entry.node, key, found);
    }
    if let Value::List(items) = &node.value {
        items.iter().for_each(|item| values_of(item, key, found));
    }
}

/// Adds the builds to which texts below a node refer.
fn named_builds_of(node: &Node, found: &mut BTreeSet<String>) {
    match &node.value {
        Value::Text(text) => found.extend(named_builds(text).map(str::to_owned)),
        Value::List(items) => items.iter().for_each(|item| named_builds_of(item, found)),
        Value::Table(entries) => entries.values().for_each(|entry| named_builds_of(&entry.node, found)),
        _ => {}
    }
}

/// Reports unused inputs.
pub(super) fn report_unused(reader: &mut Reader<'_>, root: &Node, target: Option<&Node>) {
    let Some(inputs) = INPUT.node(root).and_then(Node::table) else { return };
    let unused = unused_names(root, target, None);
    for (name, entry) in inputs {
        if unused.contains(&**name) {
            reader.sink.push(
                Diagnostic::new(&UNUSED, format!("`input.{name}` is never used"))
                    .at(entry.key_span, "unused")
                    .help(format!("refer to it: `{{input.{name}}}`"))
                    .help("or remove it"),
            );
        }
    }
}

/// Removes the names of the inputs to which texts below the node refer. Ends as soon as none is left.
fn cross_off(node: &Node, names: &mut BTreeSet<&str>) {
    match &node.value {
        _ if names.is_empty() => {}
        Value::Text(text) => {
            // One without its braces is meant as well.
            for rest in text.split("input.").skip(1) {
                names.remove(
                    rest.split(|c: char| !c.is_ascii_alphanumeric() && c != '-').next().unwrap_or_default(),
                );
            }
        }
        Value::List(items) => items.iter().for_each(|item| cross_off(item, names)),
        Value::Table(entries) => entries.values().for_each(|entry| cross_off(&entry.node, names)),
        _ => {}
    }
}

/// The regular expression that the whole value must match.
fn pattern(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Sourced<Arc<Pattern>>> {
    let node = fields.node(&PATTERN)?;
    if let Some(known) = node.text().and_then(|text| reader.cache.patterns.get(text)) {
        return Some(Sourced { value: Arc::clone(known), origin: node.origin() });
    }
    let Sourced { value, origin } = fields.get(reader, &PATTERN)?;
    let value = Arc::new(value);
    if let Some(text) = node.text() {
        reader.cache.patterns.insert(Arc::clone(text), Arc::clone(&value));
    }
    Some(Sourced { value, origin })
}

fn read(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    entry: &Entry,
    (values, is_used): (&InputValues, impl FnOnce() -> bool),
) -> Input {
    let fields = Fields::of(entry, &INPUT_TABLE, reader);
    let default = fields.get(reader, &DEFAULT);
    let value = value(reader, name, &fields, (values, default.clone(), is_used));
    Input { name: Arc::clone(name), span: entry.key_span, default, value }
}

/// The value of an input. One that is missing, or does not match, is reported.
fn value(
    reader: &mut Reader<'_>,
    name: &str,
    fields: &Fields<'_>,
    (values, default, is_used): (&InputValues, Option<Sourced<Arc<str>>>, impl FnOnce() -> bool),
) -> Option<Arc<str>> {
    let pattern = pattern(reader, fields);
    let help = fields.get(reader, &HELP);
    let variable = variable_name(name);
    let written = default.as_ref().and_then(Sourced::span);
    let (source, value) = match (values.get(name), default) {
        (Some((source, value)), _) => (source, Arc::clone(value)),
        (None, Some(default)) => (InputSource::Default, default.value),
        (None, None) => {
            if fields.lacks(&DEFAULT) && is_used() {
                let label = "required: no default";
                let problem = Diagnostic::new(&INPUT_MISSING, format!("input `{name}` has no value"))
                    .at(fields.span, label)
                    .help(format!(
                        "set it with `--input {name}=VALUE`, in a file (`--inputs FILE`), or in `{variable}`"
                    ));
                reader.sink.push(match help {
                    Some(help) => problem.also(help.span(), "its description"),
                    None => problem,
                });
            }
            return None;
        }
    };
    if may_be_secret(name, &value) {
        reader.sink.hide_text(Arc::clone(&value));
    }
    if value.contains('\0') {
        reader.sink.push(
            Diagnostic::new(&INPUT_REFUSED, format!("the value of the input `{name}` has a NUL character"))
                .at(fields.span, format!("set by {}", source.words()))
                .help(format!("set another: `--input {name}=VALUE`")),
        );
        return None;
    }
    if let Some(pattern) = pattern.filter(|pattern| !pattern.value.fits(&value)) {
        // The value may be secret, so that the message must not contain it.
        let message =
            format!("the value of input `{name}`, from {}, does not match its pattern", source.words());
        let problem = Diagnostic::new(&INPUT_REFUSED, message);
        reader.sink.push(match written.filter(|_| source == InputSource::Default) {
            Some(written) => problem
                .at(written, "does not match as a whole")
                .also(pattern.span(), "its pattern")
                .help("write a default that matches, or change the pattern"),
            None => problem
                .at(pattern.span(), "the whole value must match this")
                .help(format!("set another: `--input {name}=VALUE`")),
        });
        // What it is part of would be reported as well.
        return None;
    }
    Some(value)
}
