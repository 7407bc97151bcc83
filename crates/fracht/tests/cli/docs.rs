//! The documents describe what the program does.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use fracht_core::language::{Key, TABLES};

use crate::sandbox::Sandbox;

fn path(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name)
}

/// The key tables of the reference, from the language itself.
fn key_tables() -> String {
    let mut out = String::new();
    for (heading, table) in TABLES {
        out += &format!(
            "\n### `{heading}`\n\n| key | type | default | description | Kubernetes | example |\n|---|---|---|---|---|---|\n"
        );
        for field in table.fields() {
            let Key { name, default, description, becomes, example } = field.key();
            let kind = field.shape().words().replace('|', "\\|");
            out += &format!("| `{name}` | {kind} | {default} | {description} | {becomes} | `{example}` |\n");
        }
    }
    out
}

/// `FRACHT_DOCS=write cargo test` writes the tables again.
#[test]
fn the_reference_has_every_key() {
    let file = path("docs/language.md");
    let text = fs::read_to_string(&file).unwrap();
    let (begin, end) = ("<!-- keys: begin -->\n", "\n<!-- keys: end -->");
    let (head, rest) = text.split_once(begin).unwrap();
    let (tables, tail) = rest.split_once(end).unwrap();
    if std::env::var_os("FRACHT_DOCS").is_some() {
        fs::write(&file, format!("{head}{begin}{}{end}{tail}", key_tables())).unwrap();
    } else {
        assert_eq!(tables, key_tables(), "write it anew with FRACHT_DOCS=write cargo test");
    }
}

/// The TOML blocks of a document.
fn toml_blocks(name: &str) -> Vec<String> {
    let text = fs::read_to_string(path(name)).unwrap();
    let blocks = text.split("```toml\n").skip(1);
    blocks.map(|block| block.split("```").next().unwrap().to_owned()).collect()
}

#[test]
fn every_stack_in_the_docs_is_valid() {
    let mut seen = 0;
    for name in ["README.md", "docs/language.md"] {
        for block in toml_blocks(name).iter().filter(|block| block.contains("[stack]")) {
            seen += 1;
            let sandbox = Sandbox::with(block);
            let run = sandbox.run(&["check"]);
            assert!(run.code == 0 && run.out.contains("no problems"), "{name}\n{block}\n{}", run.out);
            assert_eq!(sandbox.run(&["render"]).code, 0);
        }
    }
    assert!(seen > 0);
}

#[test]
fn every_screenshot_exists_and_is_used() {
    let readme = fs::read_to_string(path("README.md")).unwrap();
    let linked: BTreeSet<String> = readme
        .split("](docs/screenshots/")
        .skip(1)
        .map(|rest| rest.split(')').next().unwrap().to_owned())
        .collect();
    let there: BTreeSet<String> = fs::read_dir(path("docs/screenshots"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    assert_eq!(linked, there);
}

#[test]
fn every_link_between_docs_exists() {
    for name in [
        "README.md",
        "docs/language.md",
        "docs/architecture.md",
        "docs/json.md",
        "docs/machine.md",
        "docs/style.md",
        "CHANGELOG.md",
    ] {
        let text = fs::read_to_string(path(name)).unwrap();
        for link in text.split("](").skip(1).map(|rest| rest.split(')').next().unwrap()) {
            if link.starts_with('#') || link.contains("://") {
                continue;
            }
            assert!(path(name).parent().unwrap().join(link).exists(), "{name} links to {link}");
        }
    }
}

#[test]
fn the_change_log_has_the_number_of_rules() {
    let log = fs::read_to_string(path("CHANGELOG.md")).unwrap();
    assert!(log.contains(&format!("{} rules", fracht_core::rules::all().len())));
}
