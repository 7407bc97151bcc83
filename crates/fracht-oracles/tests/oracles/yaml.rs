//! YAML is read as the usual library reads it.

use fracht_cluster::read_objects;
use proptest::prelude::*;
use serde_json::Value;

/// The value of a text, by the reader of objects and by the library.
fn both(text: &str) -> (Option<Value>, Option<Value>) {
    let object = format!("kind: K\nv: {text}\n");
    let own = read_objects(&object).ok().map(|objects| objects[0]["v"].clone());
    let known = serde_saphyr::from_str::<Value>(&object).ok().map(|value| value["v"].clone());
    (own, known)
}

#[test]
fn scalars_have_the_same_values() {
    for text in [
        "x",
        "1",
        "-1",
        "+1",
        "0o17",
        "0x1F",
        "1.5",
        "1.",
        ".5",
        "1e3",
        "-1E-2",
        "true",
        "True",
        "TRUE",
        "yes",
        "on",
        "~",
        "null",
        "''",
        "\"\"",
        "'1'",
        "\"\\u00e9\"",
        "1_000",
        "12:30",
        "2030-01-31",
        "a b",
        "a#b",
        "- x",
        "18446744073709551615",
        "[1, [a, {b: c}]]",
        "{a: 1, b: {c: d}}",
        "|\n  x\n  y",
        ">\n  x\n  y\n\n  z",
        "|-\n  x",
        "&a [1]\nw: *a",
        "\n- a\n- b: c\n  d: e",
        "{a: 1, a: 2}",
        "!!str 1",
        "[",
        "'",
        "{a",
        "*x",
    ] {
        let (own, known) = both(text);
        assert_eq!(own, known, "{text}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1024))]

    #[test]
    fn documents_have_the_same_values(text in "[a-c1 :,\\[\\]{}'\"#&*|>~.-]{0,12}(\n  [a-c1: -]{0,6}){0,2}") {
        // What only one of them reads is unusual; what both read means the same.
        if let (Some(own), Some(known)) = both(&text) {
            prop_assert_eq!(own, known);
        }
    }
}
