//! The JSON Schema of stack files is valid, and agrees with the check of shapes.

use std::fs;
use std::path::Path;
use std::process::Command;

use fracht_core::rules;
use fracht_testkit::as_json::{as_json, stack_files};
use fracht_testkit::{files, verdict};

/// The schema that the program prints.
fn validator() -> jsonschema::Validator {
    let mut program = Command::new(env!("CARGO"));
    let run = program.args(["run", "--quiet", "--locked", "-p", "fracht", "--", "schema"]).output().unwrap();
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let schema = serde_json::from_slice(&run.stdout).unwrap();
    assert!(jsonschema::meta::is_valid(&schema));
    jsonschema::validator_for(&schema).unwrap()
}

#[test]
fn every_stack_in_the_repository_matches_the_schema() {
    let schema = validator();
    let fits = |name: &str, text: &str| {
        let problems: Vec<String> =
            schema.iter_errors(&as_json(text)).map(|e| format!("{} {e}", e.instance_path())).collect();
        assert_eq!(problems, [""; 0], "{name}\n{text}");
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
    let schema = validator();
    // A schema does not check syntax and small grammars.
    for name in ["unknown-key", "wrong-type", "bad-name"] {
        let rule = rules::rule(name).unwrap();
        assert!(!schema.is_valid(&as_json(rule.fails)), "{name}");
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
        assert!(!schema.is_valid(&as_json(&service(line))), "{line}");
        assert!(verdict(&files(&service(line)), "cluster").checked().is_none(), "{line}");
    }
    for text in ["rules.no-such-rule = \"off\"", "rules.unused = \"quiet\"", "[target.t]\nweb.by = \"magic\""]
    {
        assert!(!schema.is_valid(&as_json(text)), "{text}");
    }
}
