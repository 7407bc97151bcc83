//! The table of the API's kinds, fields and types, as `fracht-cluster` reads it.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use schemars::SchemaGenerator;
use schemars::generate::SchemaSettings;
use serde_json::{Map, Value};

use crate::KINDS;

/// Where the generator keeps the schemas of named types.
const DEFINITIONS: &str = "#/$defs/";

/// The table: a line per kind and per type, sorted, with the fields and their types.
pub fn table() -> String {
    let mut generator = SchemaGenerator::new(SchemaSettings::draft2020_12());
    let kinds: Vec<(String, Value)> = KINDS
        .iter()
        .map(|kind| (format!("{} {}", kind.version, kind.kind), (kind.schema)(&mut generator).to_value()))
        .collect();
    let types: BTreeMap<String, Value> =
        generator.take_definitions(true).into_iter().map(|(name, schema)| (short(&name), schema)).collect();
    let structs = types.iter().filter(|(_, schema)| schema.get("properties").is_some());
    let mut lines: Vec<String> = kinds
        .iter()
        .map(|(name, schema)| (name, schema))
        .chain(structs)
        .map(|(name, schema)| line(name, schema))
        .collect();
    // A line is found by a binary search for its name.
    lines.sort_by(|one, other| one.split(':').next().cmp(&other.split(':').next()));
    let out = lines.concat();
    // Types that are no structs are written where they are used.
    types
        .iter()
        .filter(|(_, schema)| schema.get("properties").is_none())
        .fold(out, |out, (name, schema)| {
            let plain = plain_type(schema, name);
            out.replace(&format!("<{name}>"), &plain)
        })
        .replace(['<', '>'], "")
}

fn line(name: &str, schema: &Value) -> String {
    let empty = Map::new();
    let fields = schema.get("properties").and_then(Value::as_object).unwrap_or(&empty);
    let mut out = format!("{name}:");
    let whole =
        KINDS.iter().find(|kind| name == kind.kind || name == format!("{} {}", kind.version, kind.kind));
    for (field, schema) in fields {
        let of = match (field.as_str(), whole) {
            ("apiVersion", Some(kind)) => format!("is:{}", kind.version),
            ("kind", Some(kind)) => format!("is:{}", kind.kind),
            _ => type_of(schema),
        };
        // Writing to a string cannot fail.
        let _ = write!(out, " {field}={of}");
    }
    out.push('\n');
    out
}

/// The name of a type without its path. No two types of the list have the same.
fn short(name: &str) -> String {
    name.rsplit('.').next().unwrap_or(name).to_owned()
}

/// The type of a field in the notation of the table; a named type in angle brackets.
fn type_of(schema: &Value) -> String {
    if let Some(name) = schema.get("$ref").and_then(Value::as_str) {
        return format!("<{}>", short(name.trim_start_matches(DEFINITIONS)));
    }
    if let Some(Value::Array(all)) = schema.get("allOf") {
        return all.first().map_or_else(|| "any".to_owned(), type_of);
    }
    match schema.get("type").and_then(Value::as_str) {
        Some("array") => format!("[{}", schema.get("items").map_or_else(|| "any".to_owned(), type_of)),
        Some("object") => match schema.get("additionalProperties") {
            Some(of) if of.is_object() => format!("{{{}", type_of(of)),
            _ => "any".to_owned(),
        },
        _ => plain_type(schema, ""),
    }
}

/// A type that is no struct.
fn plain_type(schema: &Value, name: &str) -> String {
    let format = schema.get("format").and_then(Value::as_str).unwrap_or_default();
    match (name, schema.get("type").and_then(Value::as_str), format) {
        ("Quantity", ..) => "quantity",
        ("IntOrString", ..) => "int-or-text",
        ("MicroTime", ..) => "micro-time",
        (_, Some("string"), "date-time") => "time",
        (_, Some("string"), "byte") => "base64",
        (_, Some("string"), _) => "text",
        (_, Some("boolean"), _) => "bool",
        (_, Some("integer"), "int32") => "int32",
        (_, Some("integer"), _) => "int64",
        (_, Some("number"), _) => "number",
        _ => "any",
    }
    .to_owned()
}
