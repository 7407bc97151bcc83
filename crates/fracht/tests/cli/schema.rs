//! The schema of stack files agrees with the check of shapes, and every key is in a stack that tests render.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use fracht_core::language::{ROOT, Shape, TABLES, TableShape};
use fracht_core::rules;
use fracht_testkit::as_json::{as_json, stack_files};
use serde_json::Value;

use crate::json_schema::Schema;
use crate::sandbox::Sandbox;

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

/// The schema that the program prints.
fn schema() -> Schema {
    let schema: Schema = serde_json::from_str(&Sandbox::empty().run(&["schema"]).out).unwrap();
    assert_eq!(schema.dialect.as_deref(), Some("https://json-schema.org/draft/2020-12/schema"));
    schema
}

#[test]
fn every_stack_in_the_repository_matches_the_schema() {
    let schema = schema();
    let fits = |name: &str, text: &str| {
        assert_eq!(schema.misfits(&as_json(text)), [""; 0], "{name}\n{text}");
    };
    let mut found = Vec::new();
    stack_files(&Path::new(env!("CARGO_MANIFEST_DIR")).join(".."), &mut found);
    assert!(!found.is_empty());
    for file in found {
        fits(&file.display().to_string(), &fs::read_to_string(&file).unwrap());
    }
    for rule in rules::all() {
        fits(rule.name, rule.passes);
    }
}

#[test]
fn the_schema_refuses_what_the_check_of_shapes_refuses() {
    let schema = schema();
    // A schema does not check syntax and small grammars.
    for name in ["unknown-key", "wrong-type", "bad-name"] {
        let rule = rules::rule(name).unwrap();
        assert_ne!(schema.misfits(&as_json(rule.fails)), [""; 0], "{name}");
    }
    for (line, misfit) in [
        ("replicas = \"two\"", "/replicas"),
        ("replicas = { most = 3 }", "/replicas"),
        ("port.web = 0", "/port/web"),
        ("port.web = { number = 80, reach = \"world\" }", "/port/web"),
        ("use = \"volume.v\"", "/use"),
        ("use = 3", "/use"),
        ("mount.\"relative\" = \"volume.v\"", "/mount/relative"),
        ("mount.\"/a\" = \"service.b\"", "/mount//a"),
        ("spread = \"rack\"", "/spread"),
        ("beside.aide = { image = \"a:1.0\", replicas = 2 }", "/beside/aide/replicas"),
        ("rights = [{ on = \"pods\", may = [\"own\"] }]", "/rights/0/may/0"),
        ("label.\"a b\" = \"x\"", "/label/a b"),
    ] {
        let stack = format!("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n{line}\n");
        assert_eq!(schema.misfits(&as_json(&stack)), [format!("/service/a{misfit}")], "{line}");
        assert_eq!(Sandbox::with(&stack).run(&["check"]).code, 1, "{line}");
    }
    for (text, misfit) in [
        ("rules.no-such-rule = \"off\"", "/rules/no-such-rule"),
        ("rules.unused = \"quiet\"", "/rules/unused"),
        ("[target.t]\nweb.by = \"magic\"", "/target/t/web/by"),
    ] {
        assert_eq!(schema.misfits(&as_json(text)), [misfit], "{text}");
    }
}
