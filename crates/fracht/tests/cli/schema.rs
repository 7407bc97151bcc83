//! The schema of stack files says what the check of shapes says.

use std::fs;
use std::path::{Path, PathBuf};

use fracht_core::rules::RULES;
use serde_json::Value;

use crate::sandbox::Sandbox;

fn validator() -> jsonschema::Validator {
    let schema = serde_json::from_str(&Sandbox::empty().run(&["schema"]).out).unwrap();
    assert!(jsonschema::meta::is_valid(&schema));
    jsonschema::validator_for(&schema).unwrap()
}

/// A stack file as JSON.
fn json(text: &str) -> Value {
    fn converted(value: &toml::de::DeValue<'_>) -> Value {
        use toml::de::DeValue;
        match value {
            DeValue::String(text) => text.as_ref().into(),
            DeValue::Integer(number) => number.as_str().replace('_', "").parse::<i64>().unwrap().into(),
            DeValue::Float(number) => number.as_str().parse::<f64>().unwrap().into(),
            DeValue::Boolean(value) => (*value).into(),
            DeValue::Datetime(date) => date.to_string().into(),
            DeValue::Array(items) => items.iter().map(|item| converted(item.get_ref())).collect(),
            DeValue::Table(table) => table
                .iter()
                .map(|(key, entry)| (key.get_ref().to_string(), converted(entry.get_ref())))
                .collect(),
        }
    }
    converted(&toml::de::DeValue::Table(toml::de::DeTable::parse(text).unwrap().into_inner()))
}

/// The stack files of the repository.
fn stack_files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() && !path.ends_with("target") {
            stack_files(&path, found);
        } else if path.ends_with("fracht.toml") {
            found.push(path);
        }
    }
}

#[test]
fn every_stack_in_the_repository_fits_the_schema() {
    let schema = validator();
    let fits = |name: &str, text: &str| {
        let problems: Vec<String> =
            schema.iter_errors(&json(text)).map(|e| format!("{} {e}", e.instance_path())).collect();
        assert_eq!(problems, [""; 0], "{name}\n{text}");
    };
    let mut files = Vec::new();
    stack_files(&Path::new(env!("CARGO_MANIFEST_DIR")).join(".."), &mut files);
    assert!(!files.is_empty());
    for file in files {
        fits(&file.display().to_string(), &fs::read_to_string(&file).unwrap());
    }
    for rule in RULES {
        fits(rule.name, rule.passes);
    }
}

#[test]
fn what_the_check_of_shapes_refuses_the_schema_refuses() {
    let schema = validator();
    // Syntax is none of the schema's business, and small grammars are texts to it.
    for name in ["unknown-key", "wrong-type", "bad-name"] {
        let rule = fracht_core::rules::rule(name).unwrap();
        assert!(!schema.is_valid(&json(rule.fails)), "{name}");
    }
    let service = |line: &str| format!("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n{line}\n");
    for line in [
        "replicas = \"two\"",
        "replicas = { most = 3 }",
        "port.web = 0",
        "port.web = { number = 80, reach = \"world\" }",
        "use = \"config.c\"",
        "use = [\"volume.v\"]",
        "mount.\"relative\" = \"volume.v\"",
        "mount.\"/a\" = \"service.b\"",
        "spread = \"rack\"",
        "beside.aide = { image = \"a:1\", replicas = 2 }",
        "rights = [{ on = \"pods\", may = [\"own\"] }]",
        "label.\"a b\" = \"x\"",
    ] {
        assert!(!schema.is_valid(&json(&service(line))), "{line}");
        assert_ne!(Sandbox::with(&service(line)).run(&["check"]).code, 0, "{line}");
    }
    for text in ["rules.no-such-rule = \"off\"", "rules.unused = \"quiet\"", "[target.t]\nweb.by = \"magic\""]
    {
        assert!(!schema.is_valid(&json(text)), "{text}");
    }
}
