//! `fracht schema`: the language as JSON Schema (2020-12), from the tables that the check of shapes reads.

use fracht_core::grammar::name::NameKind;
use fracht_core::language::{Key, ROOT, Shape, TABLES, TableShape};
use fracht_core::rules::RULES;
use serde_json::{Map, Value, json};

use crate::failure::{Failure, Outcome};
use crate::ui::Ui;

pub(crate) fn run(ui: &mut Ui) -> Result<Outcome, Failure> {
    ui.json(&schema())?;
    Ok(Outcome::Fine)
}

/// The schema of a stack file. Nothing is required in it: a target states only a difference, and a file may
/// be one of several.
fn schema() -> Value {
    let named = TABLES.iter().filter(|(_, table)| !std::ptr::eq(*table, &raw const ROOT));
    let definitions: Map<String, Value> =
        named.map(|(heading, shape)| (definition(heading), table(shape))).collect();
    let mut root = table(&ROOT);
    if let Value::Object(root) = &mut root {
        root.insert("$schema".into(), json!("https://json-schema.org/draft/2020-12/schema"));
        root.insert("title".into(), json!("A stack file of Fracht"));
        root.insert("$defs".into(), Value::Object(definitions));
    }
    root
}

/// The name of a table's definition: its heading without what stands for people's names.
fn definition(heading: &str) -> String {
    heading.replace(".NAME", "").replace("service.", "").replace('.', "-")
}

fn table(shape: &TableShape) -> Value {
    let properties: Map<String, Value> =
        shape.keys.iter().map(|known| (known.name.to_owned(), key(known))).collect();
    json!({ "type": "object", "additionalProperties": false, "properties": properties })
}

fn key(key: &Key) -> Value {
    let mut value = shape(&key.shape);
    if let Value::Object(fields) = &mut value {
        // Examples are in the description: as they stand in a stack file, which is not how JSON has them.
        let Key { says, default, becomes, example, .. } = key;
        let text = format!("{says} Default: {default}. Becomes: {becomes}. Example: {example}");
        fields.insert("description".into(), Value::String(text));
    }
    value
}

fn shape(of: &Shape) -> Value {
    match of {
        Shape::Small(grammar) if grammar.number => json!({ "type": ["string", "number"] }),
        Shape::Text | Shape::Plain | Shape::TextOf(_) | Shape::Small(_) => json!({ "type": "string" }),
        Shape::Setting => json!({ "type": ["string", "number", "boolean"] }),
        Shape::Boolean => json!({ "type": "boolean" }),
        Shape::Number(least, most) => json!({ "type": "integer", "minimum": least, "maximum": most }),
        Shape::Word(words) => json!({ "enum": words }),
        Shape::Name(kind) => json!({ "type": "string", "pattern": kind.pattern() }),
        Shape::Reference(kinds) => {
            json!({ "type": "string", "pattern": format!("^({})\\.", kinds.join("|")) })
        }
        Shape::OneOrList(one) => {
            json!({ "anyOf": [shape(one), { "type": "array", "items": shape(one) }] })
        }
        Shape::List(item) => json!({ "type": "array", "items": shape(item) }),
        Shape::Map(NameKind::Rule, value) => {
            let names: Vec<&str> = RULES.iter().map(|rule| rule.name).collect();
            json!({ "type": "object", "propertyNames": { "enum": names }, "additionalProperties": shape(value) })
        }
        Shape::Map(names, value) => json!({
            "type": "object",
            "propertyNames": { "pattern": names.pattern() },
            "additionalProperties": shape(value),
        }),
        Shape::Table(table) | Shape::Kept(table) => reference(table),
        Shape::ShortOr(short, table) => json!({ "anyOf": [shape(short), reference(table)] }),
        Shape::Any => json!({}),
    }
}

/// A table by its definition, so that each stands in the schema once.
fn reference(shape: &'static TableShape) -> Value {
    match TABLES.iter().find(|(_, known)| std::ptr::eq(*known, shape)) {
        Some((heading, _)) => json!({ "$ref": format!("#/$defs/{}", definition(heading)) }),
        None => table(shape),
    }
}
