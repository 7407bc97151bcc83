//! `fracht schema`: the language as JSON Schema (2020-12), from the fields that the check of shapes reads.

use fracht_core::grammar::name::NameKind;
use fracht_core::grammar::word::Word as _;
use fracht_core::language::{AnyField, Key, NOTHING, ROOT, Shape, TABLES, TableShape};
use fracht_core::rules;
use serde_json::{Map, Value, json};

use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

pub(crate) fn run(ui: &mut Ui) -> Result<Outcome, Failure> {
    ui.json(&schema())?;
    Ok(Outcome::Fine)
}

/// The schema of a stack file. No key is required: a target contains only differences, and a stack may have several
/// files.
fn schema() -> Value {
    let named = TABLES.iter().filter(|(_, table)| !std::ptr::eq(*table, &raw const ROOT));
    let definitions: Map<String, Value> =
        named.map(|(heading, shape)| (definition(heading), table(shape))).collect();
    let mut root = table(&ROOT);
    if let Value::Object(root) = &mut root {
        root.insert("$schema".into(), json!("https://json-schema.org/draft/2020-12/schema"));
        root.insert("title".into(), json!("Fracht stack file"));
        root.insert("$defs".into(), Value::Object(definitions));
    }
    root
}

/// The name of a table's definition: its heading without `NAME`.
fn definition(heading: &str) -> String {
    heading.replace(".NAME", "").replace("service.", "").replace('.', "-")
}

fn table(shape: &TableShape) -> Value {
    let properties: Map<String, Value> =
        shape.fields().map(|field| (field.key().name.to_owned(), key(field))).collect();
    json!({ "type": "object", "additionalProperties": false, "properties": properties })
}

fn key(field: &'static dyn AnyField) -> Value {
    let mut value = shape(&field.shape());
    if let Value::Object(fields) = &mut value {
        fields.insert("description".into(), Value::String(description(field.key())));
    }
    value
}

/// The text that editors show for a key, without parts that say nothing. Examples are in TOML, not in JSON.
fn description(key: &Key) -> String {
    let Key { description, default, becomes, example, .. } = key;
    let default = match *default {
        "none" => String::new(),
        required if required.starts_with("required") => format!(" {}.", required.replacen('r', "R", 1)),
        default => format!(" Default: {default}."),
    };
    let becomes = if *becomes == NOTHING { String::new() } else { format!(" Kubernetes: {becomes}.") };
    format!("{description}{default}{becomes} Example: {example}")
}

fn shape(of: &Shape) -> Value {
    match of {
        Shape::Formatted(format) if format.about().number => json!({ "type": ["string", "number"] }),
        Shape::String | Shape::Argument | Shape::Text | Shape::Template(_) | Shape::Formatted(_) => {
            json!({ "type": "string" })
        }
        Shape::Scalar(_) => json!({ "type": ["string", "number", "boolean"] }),
        Shape::Boolean => json!({ "type": "boolean" }),
        Shape::Integer(bounds) => {
            json!({ "type": "integer", "minimum": bounds.least, "maximum": bounds.most })
        }
        Shape::Word(words) => json!({ "enum": words.iter().collect::<Vec<_>>() }),
        Shape::Name(kind) => json!({ "type": "string", "pattern": kind.pattern() }),
        Shape::Reference(kinds) => {
            let kinds: Vec<&str> = kinds.iter().map(|kind| kind.word()).collect();
            json!({ "type": "string", "pattern": format!("^({})\\.", kinds.join("|")) })
        }
        Shape::OneOrList(one) => {
            json!({ "anyOf": [shape(one), { "type": "array", "items": shape(one) }] })
        }
        Shape::List(item) => json!({ "type": "array", "items": shape(item) }),
        Shape::Named(NameKind::Rule, value) => {
            let names: Vec<&str> = rules::all().map(|rule| rule.name).collect();
            json!({ "type": "object", "propertyNames": { "enum": names }, "additionalProperties": shape(value) })
        }
        Shape::Named(names, value) => json!({
            "type": "object",
            "propertyNames": { "pattern": names.pattern() },
            "additionalProperties": shape(value),
        }),
        Shape::Table(table) | Shape::SecretSource(table) => match table.short {
            Some(short) => json!({ "anyOf": [shape(&short.shape()), reference(table)] }),
            None => reference(table),
        },
        Shape::Any => json!({}),
    }
}

/// A reference to the definition of a table, so that each table is in the schema once.
fn reference(shape: &'static TableShape) -> Value {
    match TABLES.iter().find(|(_, known)| std::ptr::eq(*known, shape)) {
        Some((heading, _)) => json!({ "$ref": format!("#/$defs/{}", definition(heading)) }),
        None => table(shape),
    }
}
