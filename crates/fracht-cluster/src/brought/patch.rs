//! Patches of objects: JSON Merge Patch (RFC 7396) and JSON Patch (RFC 6902).

use fracht_core::diag::Diagnostic;
use fracht_core::model::{Patch, PatchChange, Raw};
use fracht_core::rules::PATCH_MISSES;
use fracht_core::source::Span;
use serde_json::{Map, Number, Value, json};

use crate::object::text_at;
use crate::schema::{self, Misfit};

/// Why a patch cannot be applied, and where it is written.
struct Misses {
    span: Span,
    reason: String,
}

/// How much of an object is known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Content {
    /// All of it.
    Complete,
    /// All but the data of a Secret, whose values are not known. Operations on it are applied with the values.
    WithoutData,
}

/// Applies a patch to an object. Returns the problem if it cannot be applied, changes the identity, or leaves something
/// that is not of the object's kind.
pub(crate) fn apply(object: &mut Value, patch: &Patch, content: Content) -> Option<Diagnostic> {
    let (kind, name) = (&patch.kind, &patch.name);
    let before = identity(object);
    // Of several operations, the one that makes the object invalid.
    let mut place = None;
    if let Err(misses) = change(object, patch, content, &mut place) {
        return Some(
            Diagnostic::new(&PATCH_MISSES, format!("cannot apply the patch to `{kind}/{name}`"))
                .at(misses.span, misses.reason)
                .help(format!("check it against `fracht render --only {kind}/{name}`")),
        );
    }
    if let Some(problem) = another(&before, object, patch) {
        return Some(problem);
    }
    invalid(object, patch, place)
}

/// The problem if an object has something that is not of its kind. A key at the wrong level is not a field: the cluster
/// would ignore it silently.
fn invalid(object: &Value, patch: &Patch, place: Option<Span>) -> Option<Diagnostic> {
    Some(misfit(&schema::misfits(object).into_iter().next()?, patch, place))
}

/// The problem that a patch leaves a field that is not of the object's kind.
pub(super) fn misfit(misfit: &Misfit, patch: &Patch, place: Option<Span>) -> Diagnostic {
    let (kind, name) = (&patch.kind, &patch.name);
    Diagnostic::new(&PATCH_MISSES, format!("the patch makes `{kind}/{name}` invalid"))
        .at(place.unwrap_or_else(|| patch.place(&misfit.path)), misfit.to_string())
        .help(format!("check the path against `fracht render --only {kind}/{name}`"))
}

fn change(
    object: &mut Value,
    patch: &Patch,
    content: Content,
    wrong: &mut Option<Span>,
) -> Result<(), Misses> {
    match &patch.change {
        PatchChange::Merge(merge) => {
            let misses = |reason: &str| Misses { span: patch.span, reason: reason.to_owned() };
            json_patch::merge(object, &value(merge).map_err(misses)?);
        }
        PatchChange::Operations(operations) => {
            for (operation, span) in operations {
                let misses = |reason: String| Misses { span: *span, reason };
                let operation = value(operation).map_err(|reason| misses(reason.to_owned()))?;
                if content == Content::WithoutData && is_on_data(&operation) {
                    continue;
                }
                let one = serde_json::from_value(operation)
                    .map_err(|error| misses(format!("invalid operation: {error}")))?;
                json_patch::patch(object, &[one]).map_err(|error| misses(error.kind.to_string()))?;
                if wrong.is_none() && !schema::misfits(object).is_empty() {
                    *wrong = Some(*span);
                }
            }
        }
    }
    Ok(())
}

/// A field that a patch sets or names, as an object that has nothing else.
pub(super) struct Alone {
    pub(super) object: Value,
    /// Whether its value is known, and not only its path.
    pub(super) has_value: bool,
    /// The operation; `None` for all fields of a merge.
    pub(super) place: Option<Span>,
}

/// What a patch sets, without the object that it changes.
pub(super) fn alone(patch: &Patch, version: &str) -> Vec<Alone> {
    let with = |fields: &Value| {
        let mut object = json!({ "apiVersion": version, "kind": &*patch.kind });
        json_patch::merge(&mut object, fields);
        object
    };
    match &patch.change {
        PatchChange::Merge(merge) => {
            let merge = value(merge).into_iter();
            merge.map(|fields| Alone { object: with(&fields), has_value: true, place: None }).collect()
        }
        PatchChange::Operations(operations) => operations
            .iter()
            .filter_map(|(operation, span)| {
                let operation = value(operation).ok()?;
                let new = operation.get("value").cloned();
                let has_value = new.is_some();
                let steps: Vec<&str> =
                    operation.get("path")?.as_str()?.strip_prefix('/')?.split('/').collect();
                let fields = steps.iter().rev().fold(new.unwrap_or(Value::Bool(true)), |below, step| {
                    // A list counts from 0; `-` is behind its last item (RFC 6902, section 4.1).
                    if *step == "-" || step.bytes().all(|byte| byte.is_ascii_digit()) {
                        return json!([below]);
                    }
                    json!({ step.replace("~1", "/").replace("~0", "~"): below })
                });
                Some(Alone { object: with(&fields), has_value, place: Some(*span) })
            })
            .collect(),
    }
}

/// Whether an operation reads or changes the data of a Secret.
fn is_on_data(operation: &Value) -> bool {
    let is_data = |field: &str| {
        let path = text_at(operation, field);
        ["/data", "/stringData"].iter().any(|data| path == *data || path.starts_with(&format!("{data}/")))
    };
    is_data("/path") || is_data("/from")
}

/// The fields that identify an object, as JSON Pointers (RFC 6901).
const IDENTITY: [&str; 4] = ["/apiVersion", "/kind", "/metadata/name", "/metadata/namespace"];

fn identity(object: &Value) -> [Option<Value>; 4] {
    IDENTITY.map(|field| object.pointer(field).cloned())
}

/// The problem if a patch has changed the identity of an object.
fn another(before: &[Option<Value>; 4], object: &Value, patch: &Patch) -> Option<Diagnostic> {
    let after = identity(object);
    let mut fields = IDENTITY.into_iter().zip(before.iter().zip(&after));
    let (field, _) = fields.find(|(_, (before, after))| before != after)?;
    Some(
        Diagnostic::new(
            &PATCH_MISSES,
            format!("the patch makes another object of `{}/{}`", patch.kind, patch.name),
        )
        .at(patch.span, format!("changes `{}`", field.trim_start_matches('/').replace('/', ".")))
        .help("patch other fields; name, namespace and kind follow from the stack")
        .help("or pass an object of your own: `pass = [\"FILE\"]`"),
    )
}

/// The value as JSON.
///
/// # Errors
/// The reason if JSON has no such value.
fn value(raw: &Raw) -> Result<Value, &'static str> {
    Ok(match raw {
        Raw::Boolean(value) => Value::Bool(*value),
        Raw::Integer(number) => Value::Number((*number).into()),
        Raw::Float(number) => {
            Value::Number(Number::from_f64(*number).ok_or("objects have no `nan` and no `inf`")?)
        }
        Raw::Text(text) => Value::String(text.to_string()),
        Raw::List(items) => Value::Array(items.iter().map(value).collect::<Result<_, _>>()?),
        Raw::Table(fields) => {
            let fields =
                fields.iter().map(|(name, field)| Ok::<_, &'static str>((name.to_string(), value(field)?)));
            Value::Object(fields.collect::<Result<Map<_, _>, _>>()?)
        }
    })
}
