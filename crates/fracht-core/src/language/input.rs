//! `[input.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{Field, STRING, formatted};
use super::format;
use super::shape::{Key, TableShape};
use crate::grammar::pattern::Pattern;

pub(crate) static DEFAULT: Field<Arc<str>> = Field {
    key: Key {
        name: "default",
        default: "none: must be set",
        becomes: "–",
        description: "Value if none is set.",
        example: "\"1.4.0\"",
    },
    takes: STRING,
};
pub(crate) static PATTERN: Field<Pattern> = Field {
    key: Key {
        name: "pattern",
        default: "any text",
        becomes: "–",
        description: "Regular expression that the whole value must match.",
        example: "'\\d+\\.\\d+\\.\\d+'",
    },
    takes: formatted(&format::PATTERN),
};
pub(crate) static HELP: Field<Arc<str>> = Field {
    key: Key {
        name: "help",
        default: "none",
        becomes: "–",
        description: "Description, shown if the value is missing.",
        example: "\"the release to deploy\"",
    },
    takes: STRING,
};

/// `[input.NAME]`.
pub(crate) static INPUT_TABLE: TableShape = TableShape {
    what: "an input",
    short: None,
    one_of: &[],
    groups: &[&[&DEFAULT, &PATTERN, &HELP, &ALLOW]],
};
