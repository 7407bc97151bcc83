//! Reads objects from YAML documents, or from JSON, which is YAML as well (YAML 1.2, section 1.3).

use std::error::Error;
use std::fmt;

use fracht_core::grammar::invalid::Invalid;
use serde_json::Value;

use crate::yaml_value;

/// A document of a file.
pub(crate) struct Document<'t> {
    /// Its text.
    pub(crate) text: &'t str,
    /// The byte at which it starts.
    pub(crate) start: usize,
    /// The line on which it starts, from 1.
    pub(crate) line: usize,
    /// Its value, or why it cannot be read.
    pub(crate) value: Result<Value, Invalid>,
}

/// The documents of a text. By the grammar of YAML, a line that starts with `---` or `...` ends a document even
/// within a quoted string.
pub(crate) fn documents(text: &str) -> Vec<Document<'_>> {
    let mut documents = Vec::new();
    let (mut start, mut first_line, mut at) = (0, 1, 0);
    let mut push = |from: usize, to: usize, line: usize| {
        let text = text.get(from..to).unwrap_or_default();
        let blank = |line: &str| line.trim().is_empty() || line.trim_start().starts_with('#');
        if text.lines().all(blank) {
            return; // comments before the first document
        }
        let breaks = ['\n', '\r'];
        documents.push(Document {
            text: text.trim_matches(breaks),
            start: from + text.len() - text.trim_start_matches(breaks).len(),
            line,
            value: yaml_value::read(text, line),
        });
    };
    for (number, line) in text.split_inclusive('\n').enumerate() {
        let rest = line.strip_prefix("---").or_else(|| line.strip_prefix("..."));
        if rest.is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', '\t', '\r', '\n'])) {
            push(start, at, first_line);
            // Text after the marker belongs to the document.
            start = at + line.len().min(3);
            first_line = number + 1;
        }
        at += line.len();
    }
    push(start, text.len(), first_line);
    documents
}

/// Why a text has no objects to read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReadError {
    /// The line of the document, from 1.
    pub line: usize,
    /// What is wrong there.
    pub reason: String,
}

impl fmt::Display for ReadError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "line {}: {}", self.line, self.reason)
    }
}

impl Error for ReadError {}

/// All objects of a text: those of its documents, with the items of Lists.
///
/// # Errors
/// [`ReadError`] for the first document that is not an object.
pub fn objects(text: &str) -> Result<Vec<Value>, ReadError> {
    let text = text.trim_start_matches('\u{feff}');
    // Reading JSON as JSON takes a tenth of the time.
    let whole = text.trim_start().starts_with('{').then(|| serde_json::from_str(text).ok()).flatten();
    let read = match whole {
        Some(value) => vec![(1, Ok(value))],
        None => documents(text).into_iter().map(|document| (document.line, document.value)).collect(),
    };
    let mut objects = Vec::new();
    for (line, value) in read {
        let value = value.map_err(|invalid| ReadError { line, reason: invalid.into() })?;
        match value {
            Value::Null => {}
            Value::Object(mut fields) if fields.get("kind").is_some_and(|kind| kind == "List") => {
                if let Some(Value::Array(items)) = fields.remove("items") {
                    objects.extend(items);
                }
            }
            Value::Object(ref fields) if fields.contains_key("kind") => objects.push(value),
            _ => return Err(ReadError { line, reason: "not an object: it has no `kind`".into() }),
        }
    }
    Ok(objects)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn documents_are_split_with_their_lines() {
        let text = "# head\n---\na: 1\n--- # next\nb: |\n  --- no\n...\n---\nc: [\n";
        let found = documents(text);
        let lines: Vec<_> = found.iter().map(|document| (document.line, document.value.is_ok())).collect();
        assert_eq!(lines, [(2, true), (4, true), (8, false)]);
        assert_eq!(found[1].value.as_ref().unwrap()["b"], "--- no\n");
    }

    #[test]
    fn lists_are_split_into_objects() {
        let all = objects("kind: List\nitems:\n- {kind: A}\n- {kind: B}\n---\nkind: C\n---\n").unwrap();
        let kinds: Vec<_> = all.iter().map(|object| object["kind"].as_str().unwrap()).collect();
        assert_eq!(kinds, ["A", "B", "C"]);
        assert_eq!(objects("a: 1\n---\n- 1\n").unwrap_err().line, 1);
        assert!(objects(r#"{"kind": "List", "items": [{"kind": "A"}]}"#).unwrap().len() == 1);
    }
}
