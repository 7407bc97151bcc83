use std::path::Path;

use super::{AnyField, Key, TABLES, verify};
use crate::diag::Sink;
use crate::grammar::word::Word as _;
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
    sink.take().into_iter().map(|problem| format!("{}: {}", problem.rule.name, problem.message)).collect()
}

fn every_field() -> impl Iterator<Item = (&'static super::TableShape, &'static dyn AnyField)> {
    let tables = TABLES.iter().map(|(_, table)| *table);
    tables.flat_map(|table| table.fields().map(move |field| (table, field)))
}

#[test]
fn every_example_is_valid_for_its_key() {
    for (table, field) in every_field() {
        let Key { name, example, .. } = field.key();
        assert_eq!(verdict(table, name, example), [""; 0], "{name} = {example}");
    }
}

#[test]
fn every_key_refuses_a_date() {
    // No key takes a date, and each must say so.
    for (table, field) in every_field() {
        let name = field.key().name;
        let found = verdict(table, name, "2026-11-24");
        assert_eq!(found.len(), 1, "{name}: {found:?}");
        assert!(found[0].starts_with("wrong-type") && found[0].contains(name), "{found:?}");
    }
}

#[test]
fn keys_are_declared_once_and_described_in_sentences() {
    for (table, field) in every_field() {
        let Key { name, description, default, becomes, .. } = field.key();
        assert!(description.ends_with('.') && description.starts_with(char::is_uppercase), "{description}");
        assert!(!default.is_empty() && !becomes.is_empty(), "{name}");
        assert_eq!(table.names().filter(|other| other == name).count(), 1, "{name}");
    }
}

/// The default of a key is the one in the reference.
#[test]
fn defaults_are_those_of_the_reference() {
    use std::time::Duration;

    use super::{build, container, health, network, port, service, target, task, volume, workload};
    use crate::model::{Access, Confine, EntryKind, Overlap, Protocol, Reach, Spell, TargetKind};

    assert_eq!(port::PROTOCOL.default(), Some(Protocol::default()));
    assert_eq!(port::REACH.default(), Some(Reach::default()));
    assert_eq!(container::CONFINE.default(), Some(Confine::default()));
    assert_eq!(container::SPELL.default(), Some(Spell::default()));
    assert_eq!(volume::ACCESS.default(), Some(Access::default()));
    assert_eq!(task::OVERLAP.default(), Some(Overlap::default()));
    assert_eq!(target::ON.default(), Some(TargetKind::default()));
    assert_eq!(EntryKind::of(target::BY.key.default.split(';').next().unwrap()), Some(EntryKind::default()));
    for (field, seconds) in
        [(&health::EVERY, 5), (&health::TIMEOUT, 2), (&health::BOOT, 30), (&target::WITHIN, 600)]
    {
        assert_eq!(field.default(), Some(Duration::from_secs(seconds)));
    }
    for (field, number) in [
        (&health::FAILS, 3),
        (&health::RESTART_AFTER, 6),
        (&task::RETRIES, 3),
        (&service::MIN, 1),
        (&service::LOAD, 80),
    ] {
        assert_eq!(field.default(), Some(number));
    }
    for field in [&network::CLOSED, &volume::EACH, &target::NAMESPACE_PRESENT, &workload::STRICT] {
        assert_eq!(field.default(), Some(false));
    }
    assert_eq!(build::LARGEST.default().map(|size| size.size), Some(256 << 20));
}
