//! `[config.NAME]`.

use super::shape::{Key, Shape, TableShape};
use crate::grammar::name::NameKind;

/// `[config.NAME]`.
pub(super) static CONFIG: TableShape = TableShape {
    what: "a config",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "key",
            shape: Shape::Map(NameKind::Key, &Shape::ShortOr(&Shape::Setting, &FILE)),
            default: "none",
            says: "The keys, each with a value or the file that holds it.",
            example: "{ HORIZON_HOURS = \"72\" }",
        },
        Key {
            name: "lines",
            shape: Shape::Plain,
            default: "none",
            says: "A file of KEY=value lines, each of which becomes a key.",
            example: "\"conf/model.env\"",
        },
    ],
};

/// `key.NAME = { file = … }` of a config.
pub(super) static FILE: TableShape = TableShape {
    what: "a table that names a file",
    short_for: &[],
    one_of: &[],
    keys: &[Key {
        name: "file",
        shape: Shape::Plain,
        default: "required",
        says: "The file whose content is the value, taken as it is.",
        example: "\"conf/stations.csv\"",
    }],
};
