use std::path::Path;

use super::{TABLES, verify};
use crate::diag::Sink;
use crate::source::Sources;
use crate::syntax;

/// What the check of shapes says to `key = value` in a table.
fn verdict(table: &'static super::TableShape, key: &str, value: &str) -> Vec<String> {
    let mut sources = Sources::default();
    let text = format!("{key} = {value}\n");
    let file =
        sources.add(Path::new("/s/f.toml"), "f.toml", text.as_str().into(), crate::source::Syntax::Stack);
    let mut sink = Sink::default();
    let node = syntax::parse(&text, file, &mut sink);
    verify(table, &node, &sources, &mut sink);
    sink.take().into_iter().map(|problem| format!("{}: {}", problem.rule, problem.message)).collect()
}

fn every_key() -> impl Iterator<Item = (&'static super::TableShape, &'static super::Key)> {
    let tables = TABLES.iter().map(|(_, table)| *table);
    tables.flat_map(|table| table.keys.iter().map(move |key| (table, key)))
}

#[test]
fn every_example_fits_its_key() {
    for (table, key) in every_key() {
        assert_eq!(verdict(table, key.name, key.example), [""; 0], "{} = {}", key.name, key.example);
    }
}

#[test]
fn every_key_refuses_what_it_does_not_take() {
    // A date fits nothing; whatever a key takes, it must say so.
    for (table, key) in every_key() {
        let found = verdict(table, key.name, "2026-11-24");
        assert_eq!(found.len(), 1, "{}: {found:?}", key.name);
        assert!(found[0].starts_with("wrong-type") && found[0].contains(key.name), "{found:?}");
    }
}

#[test]
fn keys_are_told_in_sentences_and_are_there_once() {
    for (table, key) in every_key() {
        assert!(key.says.ends_with('.') && key.says.starts_with(char::is_uppercase), "{}", key.says);
        assert!(!key.default.is_empty(), "{}", key.name);
        assert_eq!(table.keys.iter().filter(|other| other.name == key.name).count(), 1, "{}", key.name);
    }
}
