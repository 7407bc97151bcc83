//! Objects that are passed through: files of YAML documents, each of which must be an object.

use std::ops::Range;

use fracht_core::diag::{Diagnostic, listing};
use fracht_core::grammar::invalid::Invalid;
use fracht_core::grammar::name::NameKind;
use fracht_core::model::{Model, Passed};
use fracht_core::rules::{PASS_BEYOND, PASS_BROKEN, PASS_FIELDS, PASS_SECRET};
use fracht_core::source::Span;
use serde_json::Value;

use crate::group::Group;
use crate::object::text_at;
use crate::read::{self, Document};

use super::place::{self, Places};
use super::{beyond, strict};
use crate::schema::{self, Misfit, Why};

/// An object that is passed through.
#[derive(Clone, Debug)]
pub(crate) struct PassedObject {
    pub(crate) kind: String,
    pub(crate) name: String,
    /// The namespace in it, if it has one.
    pub(crate) namespace: Option<String>,
    /// Its text in the file.
    pub(crate) text: String,
    pub(crate) value: Value,
    /// The file and line, as messages show them.
    pub(crate) file: String,
    pub(crate) line: usize,
    /// Where its kind is written.
    pub(crate) span: Span,
    pub(crate) group: Group,
    /// Its number among all passed objects, from 1.
    pub(crate) number: usize,
}

/// The scope of an object's name: its namespace, if it has one, and its API group, if it is not part of Kubernetes. Two
/// objects with the same kind and name clash only in the same scope.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) struct Home<'a> {
    pub(crate) namespace: Option<&'a str>,
    pub(crate) group: &'a str,
}

impl PassedObject {
    /// The scope of its name. An object without a namespace is applied to `namespace`.
    pub(crate) fn home<'a>(&'a self, namespace: &'a str) -> Home<'a> {
        let group = text_at(&self.value, "/apiVersion").split_once('/').map_or("", |(group, _)| group);
        // Groups without a dot and `*.k8s.io` are part of Kubernetes; kinds have moved between them.
        let group = if group.contains('.') && !group.ends_with(".k8s.io") { group } else { "" };
        let wide = beyond::is_of_cluster(&self.value);
        let namespace = (!wide).then(|| self.namespace.as_deref().unwrap_or(namespace));
        Home { namespace, group }
    }
}

/// The objects of a model's files, and their problems.
pub(crate) fn objects(model: &Model) -> (Vec<PassedObject>, Vec<Diagnostic>) {
    let (mut objects, mut problems) = (Vec::new(), Vec::new());
    for file in &model.passed {
        let before = objects.len() + problems.len();
        if let Some((line, reason)) = strict::in_text(&file.text) {
            problems.push(broken(file, file.line(line), reason));
            continue;
        }
        for document in read::documents(&file.text) {
            // Where readers differ, this message is clearer than that of the one reader.
            let value = strict::in_document(document.text)
                .map_or(document.value.clone(), |reason| Err(reason.into()));
            let number = objects.len() + 1;
            match value.and_then(|value| object(file, &document, value, number)) {
                Ok(Some(object)) => {
                    problems.extend(misfits(file, &document, &object));
                    problems.extend(beyond_the_stack(file, &object, &model.target.namespace.value));
                    objects.push(object);
                }
                Ok(None) => {}
                Err(reason) => {
                    let span = within(file, &document, place::of_document(document.text));
                    problems.push(broken(file, span, &reason));
                }
            }
        }
        if before == objects.len() + problems.len() {
            let message = format!("`{}` contains no object", file.shown);
            problems.push(problem(message).at(file.span, "passed through here"));
        }
    }
    (objects, problems)
}

/// The place of some bytes of a document.
fn within(file: &Passed, document: &Document<'_>, range: Range<usize>) -> Span {
    file.place(document.start + range.start..document.start + range.end)
}

fn broken(file: &Passed, span: Span, reason: &str) -> Diagnostic {
    problem(format!("an object of `{}` cannot be read: {reason}", file.shown))
        .at(span, "not a Kubernetes object")
        .also(file.span, PASSED)
}

const PASSED: &str = "passed through here";

fn problem(message: String) -> Diagnostic {
    Diagnostic::new(&PASS_BROKEN, message)
        .help("every document needs `apiVersion`, `kind` and `metadata.name`")
}

/// The fields of an object that do not fit its kind: an error for a value of another type, and a warning for an unknown
/// field, which a newer cluster may know.
fn misfits(file: &Passed, document: &Document<'_>, object: &PassedObject) -> Vec<Diagnostic> {
    let misfits = schema::misfits(&object.value);
    if misfits.is_empty() {
        return Vec::new();
    }
    let identity = format!("{}/{}", object.kind, object.name);
    let places = Places::of(document.text);
    let problem = |misfit: &Misfit| {
        let span = within(file, document, places.field(&misfit.path));
        let (problem, label, help) = match misfit.why {
            Why::Wrong(..) => (
                Diagnostic::new(&PASS_BROKEN, format!("`{identity}` is invalid: {misfit}")),
                "another type",
                "correct the value in the file",
            ),
            Why::Unknown(_) => (
                Diagnostic::new(&PASS_FIELDS, format!("`{identity}` has an {misfit}")),
                "no such field",
                "correct the field in the file; if a newer cluster knows it: `rules.pass-fields = \"off\"`",
            ),
        };
        problem.at(span, label).also(file.span, PASSED).help(help)
    };
    misfits.iter().map(problem).collect()
}

/// The problems of an object that reaches beyond the stack, and of a Secret with values in plain text.
fn beyond_the_stack(file: &Passed, object: &PassedObject, namespace: &str) -> Vec<Diagnostic> {
    let (kind, name) = (&object.kind, &object.name);
    let found = |rule, message: String, label: &str, help: &str| {
        Diagnostic::new(rule, message).at(object.span, label).also(file.span, PASSED).help(help)
    };
    let reaches = beyond::reaches(&object.value, namespace);
    let mut problems = Vec::new();
    if !reaches.is_empty() {
        let message = format!("`{kind}/{name}` {}", listing(reaches.iter().map(String::as_str)));
        problems.push(found(
            &PASS_BEYOND,
            message,
            "reaches beyond the stack",
            "if it is meant, turn the hint off: `rules.pass-beyond = \"off\"`",
        ));
    }
    let holds =
        |map: &str| object.value.get(map).and_then(Value::as_object).is_some_and(|map| !map.is_empty());
    if kind == "Secret" && (holds("data") || holds("stringData")) {
        let message = format!("`Secret/{name}` holds its values in plain text");
        let help = "write a `[secret.NAME]`: its values are read when objects are rendered";
        problems.push(found(&PASS_SECRET, message, "a Secret", help));
    }
    problems
}

/// Reads one document; `None` if it is empty.
fn object(
    file: &Passed,
    document: &Document<'_>,
    value: Value,
    number: usize,
) -> Result<Option<PassedObject>, Invalid> {
    if value.is_null() {
        return Ok(None);
    }
    if !value.is_object() {
        return Err("not an object".into());
    }
    let field = |place: &str| match text_at(&value, place) {
        "" => Err(Invalid::from(format!("it has no `{}`", place.trim_start_matches('/').replace('/', ".")))),
        text => Ok(text.to_owned()),
    };
    if has_nul(&value) {
        return Err("it has a NUL character, at which texts end for every program".into());
    }
    let version = field("/apiVersion")?;
    let kind = field("/kind")?;
    if !version.chars().all(|c| c.is_ascii_alphanumeric() || ".-/".contains(c)) || version.len() > 253 {
        return Err("its `apiVersion` is not one, such as v1 or apps/v1".into());
    }
    // The kind becomes part of file names and of commands to paste.
    let word = |c: char| c.is_ascii_alphanumeric();
    if !kind.chars().all(word) || !kind.starts_with(|c: char| c.is_ascii_uppercase()) || kind.len() > 63 {
        return Err("its `kind` is not one: it is a word that begins with a capital letter".into());
    }
    if kind == "List" {
        return Err("a List holds objects; write them as documents, with --- between them".into());
    }
    let name = field("/metadata/name")?;
    if !name.chars().all(|c| c.is_ascii_alphanumeric() || "-_.:@".contains(c)) || name.len() > 253 {
        return Err("its `metadata.name` is not one: up to 253 letters, digits, -, _, . and :".into());
    }
    let namespace = match value.pointer("/metadata/namespace") {
        None | Some(Value::Null) => None,
        Some(Value::String(name)) if name.is_empty() => None,
        Some(Value::String(name)) if NameKind::Namespace.check(name).is_ok() => Some(name.clone()),
        Some(_) => return Err("its `metadata.namespace` is not the name of one".into()),
    };
    let group = Group::of(&kind);
    Ok(Some(PassedObject {
        kind,
        name,
        namespace,
        text: format!("{}\n", document.text.trim_end()),
        value,
        file: file.shown.clone(),
        line: document.line,
        span: within(file, document, place::of_kind(document.text)),
        group,
        number,
    }))
}

/// Whether a text in a value has a NUL character.
fn has_nul(value: &Value) -> bool {
    match value {
        Value::String(text) => text.contains('\0'),
        Value::Array(items) => items.iter().any(has_nul),
        Value::Object(fields) => fields.iter().any(|(key, value)| key.contains('\0') || has_nul(value)),
        _ => false,
    }
}
