//! Patches of objects: JSON Merge Patch (RFC 7396) and JSON Patch (RFC 6902).

use std::error::Error;
use std::fmt;

use fracht_core::diag::Diagnostic;
use fracht_core::model::{Patch, PatchChange, Raw};
use fracht_core::rules::PATCH_MISSES;
use fracht_core::source::Span;
use serde_json::{Map, Number, Value};

use crate::object;

/// Why a patch cannot be applied, and where it is written.
#[derive(Debug)]
pub(crate) struct Misses {
    span: Span,
    reason: String,
}

impl fmt::Display for Misses {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.reason)
    }
}

impl Error for Misses {}

/// Applies a patch.
///
/// # Errors
/// [`Misses`] for an operation on a path that does not exist.
pub(crate) fn apply(object: &mut Value, patch: &Patch) -> Result<(), Misses> {
    match &patch.change {
        PatchChange::Merge(merge) => json_patch::merge(object, &value(merge)),
        PatchChange::Operations(operations) => {
            for (operation, span) in operations {
                let misses = |reason: String| Misses { span: *span, reason };
                let one = serde_json::from_value(value(operation))
                    .map_err(|error| misses(format!("invalid operation: {error}")))?;
                json_patch::patch(object, &[one]).map_err(|error| misses(error.kind.to_string()))?;
            }
        }
    }
    Ok(())
}

/// The fields that identify an object.
const IDENTITY: [&str; 4] = ["apiVersion", "kind", "metadata.name", "metadata.namespace"];

fn identity(object: &Value) -> [Option<Value>; 4] {
    IDENTITY.map(|field| object.pointer(&format!("/{}", field.replace('.', "/"))).cloned())
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
        .at(patch.span, format!("changes `{field}`"))
        .help("patch other fields; name, namespace and kind follow from the stack")
        .help("or pass an object of your own: `pass = [\"FILE\"]`"),
    )
}

/// The problem if a patch changes the identity of an object whose content is not known.
pub(crate) fn check_identity(object: &mut Value, patch: &Patch) -> Option<Diagnostic> {
    let before = identity(object);
    // Whether the path exists is only known with the content.
    let _ = apply(object, patch);
    another(&before, object, patch)
}

/// Applies a patch. Returns the problem if it cannot be applied, changes the identity, or leaves something that is
/// not of the object's kind.
pub(crate) fn check(object: &mut Value, patch: &Patch) -> Option<Diagnostic> {
    let (kind, name) = (&patch.kind, &patch.name);
    let before = identity(object);
    if let Err(misses) = apply(object, patch) {
        return Some(
            Diagnostic::new(&PATCH_MISSES, format!("cannot apply the patch to `{kind}/{name}`"))
                .at(misses.span, misses.reason)
                .help(format!("check it against `fracht render --only {kind}/{name}`")),
        );
    }
    if let Some(problem) = another(&before, object, patch) {
        return Some(problem);
    }
    // A key at the wrong level is not a field: the cluster would ignore it silently.
    let unknown = object::unknown_field(object)?;
    Some(
        Diagnostic::new(&PATCH_MISSES, format!("the patch makes `{kind}/{name}` invalid"))
            .at(patch.span, unknown)
            .help(format!("check the path against `fracht render --only {kind}/{name}`")),
    )
}

/// The value as JSON.
fn value(raw: &Raw) -> Value {
    match raw {
        Raw::Boolean(value) => Value::Bool(*value),
        Raw::Integer(number) => Value::Number((*number).into()),
        Raw::Float(number) => Number::from_f64(*number).map_or(Value::Null, Value::Number),
        Raw::Text(text) => Value::String(text.to_string()),
        Raw::List(items) => Value::Array(items.iter().map(value).collect()),
        Raw::Table(fields) => {
            let fields = fields.iter().map(|(name, field)| (name.to_string(), value(field)));
            Value::Object(fields.collect::<Map<_, _>>())
        }
    }
}
