//! Text stays text for every YAML parser, of version 1.1 and of 1.2.

use std::sync::LazyLock;

use fracht_cluster::Format;
use indoc::formatdoc;
use proptest::prelude::*;
use regex::Regex;
use saphyr_parser::{Event, Parser, ScalarStyle};
use serde_json::Value;

use crate::{files, rendered};
use fracht_testkit::random_stack::{any_text, quoted_plain};

/// What a parser sees: the text of each scalar, and whether it has quotes.
#[derive(Debug)]
enum Seen {
    Scalar { text: String, plain: bool },
    List(Vec<Seen>),
    Table(Vec<(Seen, Seen)>),
}

/// The documents, without types.
fn documents(yaml: &str) -> Vec<Seen> {
    let mut events = Parser::new_from_str(yaml)
        .map(|event| event.unwrap_or_else(|error| panic!("{error}\n{yaml}")).0)
        .filter(|event| !matches!(event, Event::StreamStart | Event::DocumentStart(_) | Event::DocumentEnd));
    let mut documents = Vec::new();
    while let Some(event) = events.next() {
        if event == Event::StreamEnd {
            break;
        }
        documents.push(node(event, &mut events));
    }
    documents
}

fn node<'a>(event: Event<'a>, events: &mut impl Iterator<Item = Event<'a>>) -> Seen {
    match event {
        Event::Scalar(text, style, _, _) => {
            Seen::Scalar { text: text.into_owned(), plain: style == ScalarStyle::Plain }
        }
        Event::SequenceStart(..) => {
            let mut items = Vec::new();
            loop {
                match events.next().unwrap() {
                    Event::SequenceEnd => return Seen::List(items),
                    event => items.push(node(event, events)),
                }
            }
        }
        Event::MappingStart(..) => {
            let mut fields = Vec::new();
            loop {
                match events.next().unwrap() {
                    Event::MappingEnd => return Seen::Table(fields),
                    event => {
                        let key = node(event, events);
                        let value = events.next().unwrap();
                        fields.push((key, node(value, events)));
                    }
                }
            }
        }
        other => panic!("{other:?}"),
    }
}

/// The plain scalars that are not text in version 1.1, by its type repository.
static OTHER_IN_1_1: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(
        r"(?x)^(
        y|Y|yes|Yes|YES|n|N|no|No|NO|true|True|TRUE|false|False|FALSE|on|On|ON|off|Off|OFF
        |~|null|Null|NULL|
        |[-+]?0b[0-1_]+ | [-+]?0[0-7_]+ | [-+]?(0|[1-9][0-9_]*) | [-+]?0x[0-9a-fA-F_]+
        |[-+]?[1-9][0-9_]*(:[0-5]?[0-9])+
        |[-+]?([0-9][0-9_]*)?\.[0-9_.]*([eE][-+]?[0-9]+)?
        |[-+]?[0-9][0-9_]*([eE][-+]?[0-9]+)
        |[-+]?[0-9][0-9_]*(:[0-5]?[0-9])+\.[0-9_]*
        |[-+]?\.(inf|Inf|INF) | \.(nan|NaN|NAN)
        |[0-9]{4}-[0-9][0-9]?-[0-9][0-9]?([Tt\ \t].*)?
        |<<|=
        )$",
    )
    .unwrap()
});

/// The same for the core schema of version 1.2.
static OTHER_IN_1_2: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(
        r"(?x)^(
        |~|null|Null|NULL|true|True|TRUE|false|False|FALSE
        |[-+]?[0-9]+ | 0o[0-7]+ | 0x[0-9a-fA-F]+
        |[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?
        |[-+]?\.(inf|Inf|INF) | \.(nan|NaN|NAN)
        )$",
    )
    .unwrap()
});

/// Whether parsers of both versions see the meaning.
fn same(seen: &Seen, meant: &Value) -> Result<(), String> {
    match (seen, meant) {
        (Seen::Scalar { text, plain }, Value::String(meant)) => {
            if text != meant {
                return Err(format!("{meant:?} is read as {text:?}"));
            }
            let guessed = *plain && (OTHER_IN_1_1.is_match(text) || OTHER_IN_1_2.is_match(text));
            if guessed { Err(format!("{meant:?} is not taken for text")) } else { Ok(()) }
        }
        (Seen::Scalar { text, plain: true }, Value::Number(_) | Value::Bool(_)) => {
            let meant = meant.to_string();
            if *text == meant { Ok(()) } else { Err(format!("{meant} is read as {text:?}")) }
        }
        (Seen::List(seen), Value::Array(meant)) if seen.len() == meant.len() => {
            seen.iter().zip(meant).try_for_each(|(seen, meant)| same(seen, meant))
        }
        (Seen::Table(seen), Value::Object(meant)) if seen.len() == meant.len() => {
            seen.iter().try_for_each(|(key, value)| {
                let Seen::Scalar { text, .. } = key else { return Err(format!("{key:?} is no key")) };
                same(key, &Value::String(text.clone()))?;
                same(value, meant.get(text).ok_or_else(|| format!("{text:?} was not meant"))?)
            })
        }
        _ => Err(format!("{meant} is read as {seen:?}")),
    }
}

fn check(stack: &str) -> Result<(), String> {
    let files = files(stack);
    let meant: Value = serde_json::from_str(&rendered(&files, "cluster", Format::Json)).unwrap();
    let meant = meant["items"].as_array().unwrap();
    let seen = documents(&rendered(&files, "cluster", Format::Yaml));
    assert_eq!(seen.len(), meant.len());
    seen.iter().zip(meant).try_for_each(|(seen, meant)| same(seen, meant))
}

fn stack(text: &str) -> String {
    let text = quoted_plain(text);
    formatdoc!(
        r#"
            [stack]
            name = "s"
            [config.c]
            key.on = {text}
            key."1e3" = "x"
            [service.a]
            image = "a:1.10"
            args = [{text}]
            env.TEXT = {text}
            mount."/c" = "config.c"
            "#
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(512))]

    #[test]
    fn any_text_round_trips_through_both_versions_of_yaml(text in any_text()) {
        prop_assert_eq!(check(&stack(&text)), Ok(()));
    }
}

#[test]
fn strings_that_look_like_other_types_are_quoted() {
    let yaml = rendered(&files(&stack("12:30:45")), "cluster", Format::Yaml);
    for part in ["version: \"1.10\"", "\"1e3\": x", "\"on\": \"12:30:45\""] {
        let quoted = part.replace('"', "'");
        assert!(yaml.contains(part) || yaml.contains(&quoted), "{part} in\n{yaml}");
    }
}

/// The checks above must find mistakes.
#[test]
fn the_checks_of_yaml_find_mistakes() {
    let [seen] = &documents("a: on\n")[..] else { panic!() };
    assert!(same(seen, &serde_json::json!({ "a": "on" })).is_err());
    assert!(same(seen, &serde_json::json!({ "a": "off" })).is_err());
    let [quoted] = &documents("a: \"on\"\n")[..] else { panic!() };
    assert_eq!(same(quoted, &serde_json::json!({ "a": "on" })), Ok(()));
}

#[test]
fn long_lines_are_not_folded() {
    let long = "tide ".repeat(80);
    assert!(rendered(&files(&stack(&long)), "cluster", Format::Yaml).contains(&long));
}
