//! `[input.NAME]`: the value that an input has.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::cover::may_be_secret;
use crate::diag::Diagnostic;
use crate::input::{self, Given, InputSource, variable_name};
use crate::tree::{Entry, Node, Value};

/// Reads the inputs. One without a value is reported, and stands for nothing.
pub(super) fn read_all(
    reader: &mut Reader<'_>,
    root: &Node,
    given: &Given,
) -> Vec<(Arc<str>, Option<Arc<str>>)> {
    let inputs: Vec<_> = root
        .at(&["input"])
        .and_then(Node::table)
        .into_iter()
        .flatten()
        .map(|(name, entry)| (Arc::clone(name), read(reader, name, entry, given)))
        .collect();
    let mut used = BTreeSet::new();
    mentioned(root, &mut used);
    for (name, entry) in root.at(&["input"]).and_then(Node::table).into_iter().flatten() {
        if !used.contains(&**name) {
            reader.sink.push(
                Diagnostic::new("unused", format!("Nothing uses input.{name}."))
                    .at(entry.key_span, "unused")
                    .help(format!("Refer to it, {{input.{name}}}, or remove it.")),
            );
        }
    }
    inputs
}

/// Gathers the names of the inputs that texts below the node refer to.
fn mentioned<'n>(node: &'n Node, names: &mut BTreeSet<&'n str>) {
    match &node.value {
        Value::Text(text) => {
            let behind = text.split("{input.").skip(1);
            names.extend(behind.filter_map(|rest| Some(rest.split_once('}')?.0)));
        }
        Value::List(items) => items.iter().for_each(|item| mentioned(item, names)),
        Value::Table(entries) => entries.values().for_each(|entry| mentioned(&entry.node, names)),
        _ => {}
    }
}

fn read(reader: &mut Reader<'_>, name: &str, entry: &Entry, given: &Given) -> Option<Arc<str>> {
    let fields = Fields::of(entry, reader);
    let default = fields.plain(reader, "default");
    let pattern = fields.plain(reader, "pattern");
    let help = fields.plain(reader, "help");
    let variable = variable_name(name);
    let (source, value) = match (given.get(name), default) {
        (Some((source, value)), _) => (source, Arc::clone(value)),
        (None, Some(default)) => (InputSource::Default, default.value),
        (None, None) => {
            if fields.lacks("default") {
                let mut problem = Diagnostic::new("input-missing", format!("The input {name} has no value."))
                    .at(fields.span, "has to be given");
                if let Some(help) = help {
                    problem = problem.help(format!("It is {}.", help.value));
                }
                reader.sink.push(problem.help(format!(
                    "Give it with --input {name}=VALUE, in a file with --inputs, or as the variable {variable}."
                )));
            }
            return None;
        }
    };
    if may_be_secret(name, &value) {
        reader.sink.hide_text(Arc::clone(&value));
    }
    if value.contains('\0') {
        reader.sink.push(
            Diagnostic::new("input-refused", format!("the value of the input `{name}` has a NUL character"))
                .at(fields.span, format!("given by {}", source.words()))
                .help(format!("give another: `--input {name}=VALUE`")),
        );
        return None;
    }
    // What can't be read as a pattern has been reported by the check of shapes.
    let written = pattern.as_ref().filter(|pattern| input::pattern(&pattern.value).is_ok());
    match written.map(|pattern| (input::fits(&pattern.value, &value), pattern.span())) {
        None | Some((Ok(true), _)) => {}
        Some((Ok(false), span)) => {
            // The value may be secret: it is not repeated.
            let message =
                format!("The value of the input {name}, from {}, does not fit its pattern.", source.words());
            reader.sink.push(
                Diagnostic::new("input-refused", message)
                    .at(span, "the whole value has to fit this")
                    .help(format!("Give another with --input {name}=VALUE.")),
            );
        }
        Some((Err(reason), span)) => reader.sink.push(
            Diagnostic::new("bad-value", format!("the pattern of `input.{name}` cannot be used"))
                .at(span, reason)
                .help("write a shorter pattern, such as `[a-z0-9-]+`"),
        ),
    }
    Some(value)
}
