//! Reads `[input.NAME]`: the value of each input.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::cover::may_be_secret;
use crate::diag::Diagnostic;
use crate::diag::reading::{INPUT_MISSING, INPUT_REFUSED, UNUSED};
use crate::grammar::pattern::Pattern;
use crate::input::{InputSource, InputValues, variable_name};
use crate::language::input::{DEFAULT, HELP, INPUT_TABLE, PATTERN};
use crate::language::stack::INPUT;
use crate::origin::Sourced;
use crate::tree::{Entry, Node, Value};

/// Reads the inputs. One without a value is reported.
pub(super) fn read_all(
    reader: &mut Reader<'_>,
    root: &Node,
    values: &InputValues,
) -> Vec<(Arc<str>, Option<Arc<str>>)> {
    INPUT
        .node(root)
        .and_then(Node::table)
        .into_iter()
        .flatten()
        .map(|(name, entry)| (Arc::clone(name), read(reader, name, entry, values)))
        .collect()
}

/// Reports unused inputs.
pub(super) fn report_unused(reader: &mut Reader<'_>, root: &Node) {
    let Some(inputs) = INPUT.node(root).and_then(Node::table) else { return };
    let mut unused: BTreeSet<&str> = inputs.keys().map(|name| &**name).collect();
    cross_off(root, &mut unused);
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
            let behind = text.split('{').skip(1).filter_map(|rest| rest.strip_prefix("input."));
            for name in behind.filter_map(|rest| Some(rest.split_once('}')?.0)) {
                names.remove(name);
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

fn read(reader: &mut Reader<'_>, name: &str, entry: &Entry, values: &InputValues) -> Option<Arc<str>> {
    let fields = Fields::of(entry, &INPUT_TABLE, reader);
    let default = fields.get(reader, &DEFAULT);
    let pattern = pattern(reader, &fields);
    let help = fields.get(reader, &HELP);
    let variable = variable_name(name);
    let (source, value) = match (values.get(name), default) {
        (Some((source, value)), _) => (source, Arc::clone(value)),
        (None, Some(default)) => (InputSource::Default, default.value),
        (None, None) => {
            if fields.lacks(&DEFAULT) {
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
        reader.sink.push(
            Diagnostic::new(&INPUT_REFUSED, message)
                .at(pattern.span(), "the whole value must match this")
                .help(format!("set another: `--input {name}=VALUE`")),
        );
        // What it is part of would be reported as well.
        return None;
    }
    Some(value)
}
