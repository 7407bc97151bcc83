//! The order of fields as people write them: a name before what it names, an image before its settings.
//!
//! The cluster's types have their fields in the order of the alphabet, which puts a container's arguments
//! before its name. What has names of people's own (labels, data …) stays as it is.

use serde_json::{Map, Value};

/// What comes first in a table, in this order.
const FIRST: [&str; 14] = [
    "apiVersion", "kind", "metadata", "type", "name", "namespace", "image", "command", "args", "workingDir",
    "restartPolicy", "ports", "envFrom", "env",
];

/// What comes first in the specification of a pod.
const FIRST_OF_POD: [&str; 4] = ["serviceAccountName", "automountServiceAccountToken", "initContainers", "containers"];

/// The fields whose tables have names of people's own.
const OWN_NAMES: [&str; 13] = [
    "annotations", "binaryData", "capacity", "data", "labels", "limits", "matchLabels", "nodeSelector",
    "requests", "selector", "stringData", "claims", "hard",
];

/// The object with its fields in the order that people write.
pub(crate) fn ordered(value: Value) -> Value {
    match value {
        Value::Object(fields) => Value::Object(table(fields)),
        Value::Array(items) => Value::Array(items.into_iter().map(ordered).collect()),
        plain => plain,
    }
}

fn table(mut fields: Map<String, Value>) -> Map<String, Value> {
    let mut out = Map::with_capacity(fields.len());
    let first: &[&str] = if fields.contains_key("containers") { &FIRST_OF_POD } else { &FIRST };
    for name in first {
        if let Some((name, value)) = fields.shift_remove_entry(*name) {
            let value = inner(&name, value);
            out.insert(name, value);
        }
    }
    for (name, value) in fields {
        let value = inner(&name, value);
        out.insert(name, value);
    }
    out
}

fn inner(name: &str, value: Value) -> Value {
    // A selector of labels is a table of people's names; one that says `matchLabels` is not.
    let own = OWN_NAMES.contains(&name) && value.get("matchLabels").is_none();
    if own { value } else { ordered(value) }
}
