//! The kinds, fields and types of the Kubernetes API, by which what people bring is checked.
//!
//! `kinds.txt` has a line for each kind and for each type: the name, then the fields with their types. `[` before a type
//! makes it a list, `{` a map; `is:` begins the only value. The table is generated from the API's own definition (Kubernetes 1.33).

mod scalar;

use std::fmt;

use fracht_core::grammar::nearest::nearest;
use serde_json::Value;

use crate::object::text_at;

/// The table. Its lines are sorted by name.
const TABLE: &str = include_str!("kinds.txt");

/// Where each line of the table begins, found out when this is compiled.
static LINES: [u32; line_ends(&mut [])] = {
    let mut starts = [0; line_ends(&mut [])];
    line_ends(&mut starts);
    starts
};

/// How many lines the table has. Sets where those after the first begin.
#[expect(clippy::indexing_slicing, clippy::cast_possible_truncation, reason = "when this is compiled")]
const fn line_ends(starts: &mut [u32]) -> usize {
    let (mut at, mut count) = (0, 0);
    while at < TABLE.len() {
        at += 1;
        if TABLE.as_bytes()[at - 1] == b'\n' {
            count += 1;
            if count < starts.len() {
                starts[count] = at as u32;
            }
        }
    }
    count
}

/// The table from the line that begins at a byte.
fn from_line(start: u32) -> &'static str {
    TABLE.get(start as usize..).unwrap_or_default()
}

/// The fields of a kind or a type.
fn line_of(name: &str) -> Option<&'static str> {
    // Only as much of a line is looked at as differs.
    let line = LINES.binary_search_by(|start| {
        from_line(*start).bytes().take_while(|byte| *byte != b':').cmp(name.bytes())
    });
    from_line(*LINES.get(line.ok()?)?).lines().next()?.split_once(':').map(|(_, fields)| fields)
}

/// The API versions and kinds of the table.
fn versions() -> impl Iterator<Item = (&'static str, &'static str)> {
    let names = LINES.iter().filter_map(|start| from_line(*start).split_once(':').map(|(name, _)| name));
    names.filter_map(|name| name.split_once(' '))
}

/// The API version of a kind of objects; `None` for one that is not in the table.
pub(crate) fn version_of(kind: &str) -> Option<&'static str> {
    versions().find(|(_, known)| *known == kind).map(|(version, _)| version)
}

/// The kinds of objects.
pub(crate) fn kinds() -> impl Iterator<Item = &'static str> {
    versions().map(|(_, kind)| kind)
}

/// A field that does not fit the kind of its object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Misfit {
    /// Its path, such as `spec.template.spec.containers[0].image`.
    pub(crate) path: String,
    /// What is wrong with it.
    pub(crate) why: Why,
}

/// Why a field does not fit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Why {
    /// There is no such field; perhaps this one is meant.
    Unknown(Option<String>),
    /// The value does not have its type: what is expected, and what it is.
    Wrong(&'static str, &'static str),
}

impl fmt::Display for Misfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let path = &self.path;
        match &self.why {
            Why::Unknown(None) => write!(f, "unknown field `{path}`"),
            Why::Unknown(Some(near)) => write!(f, "unknown field `{path}`; did you mean `{near}`?"),
            Why::Wrong(expected, found) => write!(f, "`{path}` must be {expected}, not {found}"),
        }
    }
}

/// What in an object does not fit its kind, in words; nothing for a kind that is not in the table.
pub fn misfits_in_words(object: &Value) -> Vec<String> {
    misfits(object).iter().map(ToString::to_string).collect()
}

/// The fields of an object that do not fit its kind, in their order; none for a kind that is not in the table.
pub(crate) fn misfits(object: &Value) -> Vec<Misfit> {
    let kind = format!("{} {}", text_at(object, "/apiVersion"), text_at(object, "/kind"));
    let mut found = Vec::new();
    if let Some(fields) = line_of(&kind) {
        let mut walk = Walk { path: String::new(), found: &mut found };
        walk.fields(object, fields);
    }
    found
}

struct Walk<'f> {
    path: String,
    found: &'f mut Vec<Misfit>,
}

impl Walk<'_> {
    fn report(&mut self, why: Why) {
        self.found.push(Misfit { path: self.path.clone(), why });
    }

    /// Checks what is below the path, with one more step in it.
    fn below(&mut self, step: fmt::Arguments<'_>, check: impl FnOnce(&mut Self)) {
        let end = self.path.len();
        // Writing to a string cannot fail.
        let _ = fmt::Write::write_fmt(&mut self.path, step);
        check(self);
        self.path.truncate(end);
    }

    fn field(&mut self, name: &str, check: impl FnOnce(&mut Self)) {
        let dot = if self.path.is_empty() { "" } else { "." };
        self.below(format_args!("{dot}{name}"), check);
    }

    /// Checks a struct, whose fields are those of a line of the table.
    fn fields(&mut self, value: &Value, line: &'static str) {
        let Value::Object(fields) = value else {
            self.report(Why::Wrong("a map of fields", scalar::found(value)));
            return;
        };
        let known = || line.split(' ').filter_map(|field| field.split_once('='));
        for (name, value) in fields {
            let of = type_of(line, name);
            self.field(name, |walk| match of {
                Some(of) => walk.value(value, of),
                // An empty value says nothing.
                None if is_empty(value) => {}
                None => {
                    let near = nearest(name, known().map(|(field, _)| field)).map(str::to_owned);
                    walk.report(Why::Unknown(near));
                }
            });
        }
    }

    /// Checks the value of a field. An empty one is the same as none.
    fn value(&mut self, value: &Value, of: &'static str) {
        if !value.is_null() || of.starts_with("is:") {
            self.item(value, of);
        }
    }

    /// Checks a value, which must be there.
    fn item(&mut self, value: &Value, of: &'static str) {
        if let Some(of) = of.strip_prefix('[') {
            match value {
                Value::Array(items) => {
                    for (index, item) in items.iter().enumerate() {
                        self.below(format_args!("[{index}]"), |walk| walk.item(item, of));
                    }
                }
                _ => self.report(Why::Wrong("a list", scalar::found(value))),
            }
        } else if let Some(of) = of.strip_prefix('{') {
            match value {
                Value::Object(fields) => {
                    for (name, item) in fields {
                        self.field(name, |walk| walk.item(item, of));
                    }
                }
                _ => self.report(Why::Wrong("a map", scalar::found(value))),
            }
        } else if let Some(line) =
            of.starts_with(|first: char| first.is_ascii_uppercase()).then(|| line_of(of))
        {
            self.fields(value, line.unwrap_or_default());
        } else if let Some(expected) = scalar::expected(value, of) {
            self.report(Why::Wrong(expected, scalar::found(value)));
        }
    }
}

/// The type of a field in a line.
fn type_of(line: &'static str, field: &str) -> Option<&'static str> {
    // By bytes: there are many fields, with short names.
    let fields = line.as_bytes().split(|byte| *byte == b' ');
    let mut types = fields.filter_map(|known| known.strip_prefix(field.as_bytes())?.strip_prefix(b"="));
    types.next().and_then(|of| std::str::from_utf8(of).ok())
}

fn is_empty(value: &Value) -> bool {
    match value {
        Value::Null => true,
        Value::Array(items) => items.is_empty(),
        Value::Object(fields) => fields.is_empty(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    #[test]
    fn misfits_name_path_type_and_nearest_field() {
        let deployment = |spec: Value| json!({ "apiVersion": "apps/v1", "kind": "Deployment", "spec": spec });
        let pod = |spec: Value| deployment(json!({ "template": { "spec": spec } }));
        for (object, found) in [
            (deployment(json!({ "replica": 2 })), "unknown field `spec.replica`; did you mean `replicas`?"),
            (
                deployment(json!({ "replicas": "2" })),
                "`spec.replicas` must be a whole number up to 32 bits, not a text",
            ),
            (
                deployment(json!({ "replicas": 3_000_000_000_u64 })),
                "`spec.replicas` must be a whole number up to 32 bits, not a number",
            ),
            (
                deployment(json!({ "replicas": 1.5 })),
                "`spec.replicas` must be a whole number up to 32 bits, not a number",
            ),
            (deployment(json!([])), "`spec` must be a map of fields, not a list"),
            (pod(json!({ "containers": {} })), "`spec.template.spec.containers` must be a list, not a map"),
            (
                pod(json!({ "containers": [{ "name": "a" }, { "imgae": "b" }] })),
                "unknown field `spec.template.spec.containers[1].imgae`; did you mean `image`?",
            ),
            (
                pod(json!({ "nodeSelector": { "disk": true } })),
                "`spec.template.spec.nodeSelector.disk` must be a text, not true or false",
            ),
            (
                json!({ "apiVersion": "v1", "kind": "Secret", "data": { "key": "not base64" } }),
                "`data.key` must be bytes in base64, not a text",
            ),
            (
                json!({ "apiVersion": "v1", "kind": "Pod", "metadata": { "creationTimestamp": "yesterday" } }),
                "`metadata.creationTimestamp` must be a time such as 2030-01-31T08:00:00Z, not a text",
            ),
        ] {
            let misfits: Vec<String> = misfits(&object).iter().map(ToString::to_string).collect();
            assert_eq!(misfits, [found], "{object}");
        }
        for object in [
            deployment(
                json!({ "replicas": null, "unheardOf": {}, "template": { "spec": { "containers": [] } } }),
            ),
            json!({ "apiVersion": "other.example/v1", "kind": "Deployment", "spec": { "replica": 1 } }),
            json!({ "apiVersion": "v1", "kind": "Service", "spec": { "ports": [{ "port": 80, "targetPort": "web" }] } }),
            pod(json!({ "containers": [{ "resources": { "limits": { "cpu": 2, "memory": "1.5Gi" } } }] })),
        ] {
            assert_eq!(misfits(&object), [], "{object}");
        }
    }
}
