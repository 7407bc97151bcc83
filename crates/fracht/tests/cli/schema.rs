//! Every key of the language is in a stack that tests render.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use fracht_core::language::{ROOT, Shape, TABLES, TableShape};
use fracht_testkit::as_json::{as_json, stack_files};
use serde_json::Value;

/// Collects the keys of a table that a value has, and those of the tables below it.
fn note(shape: Shape, value: &Value, seen: &mut BTreeSet<(*const TableShape, &'static str)>) {
    match value {
        Value::Object(fields) => {
            for (name, value) in fields {
                if let Some((table, field)) =
                    shape.table().and_then(|table| Some((table, table.field(name)?)))
                {
                    seen.insert((&raw const *table, field.key().name));
                }
                if let Some(below) = shape.below(name) {
                    note(below, value, seen);
                }
            }
        }
        Value::Array(items) => {
            if let Some(below) = shape.below("1") {
                for item in items {
                    note(below, item, seen);
                }
            }
        }
        _ => {}
    }
}

/// Every key of the language is in one of the stacks that tests render.
#[test]
fn every_key_of_the_language_is_in_a_test_stack() {
    let mut files = Vec::new();
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    stack_files(&root.join("fracht"), &mut files);
    let tested = fs::read_dir(root.join("fracht-testkit/stacks")).unwrap();
    files.extend(
        tested
            .map(|entry| entry.unwrap().path())
            .filter(|path| path.extension().is_some_and(|e| e == "toml")),
    );
    let mut seen = BTreeSet::new();
    for file in files {
        note(Shape::Table(&ROOT), &as_json(&fs::read_to_string(file).unwrap()), &mut seen);
    }
    for (heading, table) in TABLES {
        // A pattern has the keys of services and tasks, which are checked there.
        if *heading == "pattern.NAME" {
            continue;
        }
        for name in table.names() {
            assert!(seen.contains(&(&raw const **table, name)), "no stack has {name} of {heading}");
        }
    }
}
