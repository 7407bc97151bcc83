//! `[input.NAME]`.

use std::sync::Arc;

use super::field::{Field, STRING, formatted};
use super::format;
use super::shape::{Key, TableShape};

pub(crate) static DEFAULT: Field<Arc<str>> = Field {
    key: Key {
        name: "default",
        default: "none: it has to be given",
        becomes: "what `{input.NAME}` stands for",
        says: "The value when nobody gives one.",
        example: "\"1.4.0\"",
    },
    takes: STRING,
};
pub(crate) static PATTERN: Field<Arc<str>> = Field {
    key: Key {
        name: "pattern",
        default: "any text",
        becomes: "nothing: what is given is checked by it",
        says: "A regular expression that the whole value has to fit.",
        example: "'\\d+\\.\\d+\\.\\d+'",
    },
    takes: formatted(&format::PATTERN),
};
pub(crate) static HELP: Field<Arc<str>> = Field {
    key: Key {
        name: "help",
        default: "none",
        becomes: "nothing: it is shown when a value is missing",
        says: "What the input is, for whoever has to give it.",
        example: "\"the release to deploy\"",
    },
    takes: STRING,
};

/// `[input.NAME]`.
pub(crate) static INPUT_TABLE: TableShape =
    TableShape { what: "an input", short: None, one_of: &[], groups: &[&[&DEFAULT, &PATTERN, &HELP]] };
