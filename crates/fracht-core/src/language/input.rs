//! `[input.NAME]`.

use super::shape::{Key, PATTERN_TEXT, Shape, TableShape};

/// `[input.NAME]`.
pub(super) static INPUT: TableShape = TableShape {
    what: "an input",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "default",
            shape: Shape::Plain,
            default: "none: it has to be given",
            becomes: "what `{input.NAME}` stands for",
            says: "The value when nobody gives one.",
            example: "\"1.4.0\"",
        },
        Key {
            name: "pattern",
            shape: Shape::Small(&PATTERN_TEXT),
            default: "any text",
            becomes: "nothing: what is given is checked by it",
            says: "A regular expression that the whole value has to fit.",
            example: "'\\d+\\.\\d+\\.\\d+'",
        },
        Key {
            name: "help",
            shape: Shape::Plain,
            default: "none",
            becomes: "nothing: it is shown when a value is missing",
            says: "What the input is, for whoever has to give it.",
            example: "\"the release to deploy\"",
        },
    ],
};
