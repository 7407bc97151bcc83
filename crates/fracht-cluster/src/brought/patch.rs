//! Patches of objects: JSON Merge Patch (RFC 7396) and JSON Patch (RFC 6902).

use fracht_core::diag::Diagnostic;
use fracht_core::model::{Patch, PatchChange, Raw};
use fracht_core::rules::PATCH_MISSES;
use fracht_core::source::Span;
use serde_json::{Map, Number, Value, json};

use crate::object::text_at;
use crate::schema;

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
pub(super) fn invalid(object: &Value, patch: &Patch, place: Option<Span>) -> Option<Diagnostic> {
    let (kind, name) = (&patch.kind, &patch.name);
    let misfit = schema::misfits(object).into_iter().next()?;
    Some(
        Diagnostic::new(&PATCH_MISSES, format!("the patch makes `{kind}/{name}` invalid"))
            .at(place.unwrap_or_else(|| patch.place(&misfit.path)), misfit.to_string())
            .help(format!("check the path against `fracht render --only {kind}/{name}`")),
    )
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

/// What a merge sets of an object; `None` for operations, which need the whole object.
pub(super) fn alone(patch: &Patch, version: &str) -> Option<Value> {
    let PatchChange::Merge(merge) = &patch.change else { return None };
    let mut object = json!({ "apiVersion": version, "kind": &*patch.kind });
    json_patch::merge(&mut object, &value(merge).ok()?);
    Some(object)
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
