//! Objects as JSON values.

use serde_json::Value;

/// The text at a JSON Pointer (RFC 6901) in an object, such as `/metadata/name`; empty if there is none.
pub fn text_at<'v>(object: &'v Value, place: &str) -> &'v str {
    object.pointer(place).and_then(Value::as_str).unwrap_or_default()
}
