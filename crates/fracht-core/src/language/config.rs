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
            becomes: "data of the ConfigMap",
            says: "The keys, each with a value or the file that holds it.",
            example: "{ HORIZON_HOURS = \"72\" }",
        },
        Key {
            name: "lines",
            shape: Shape::OneOrList(&Shape::Plain),
            default: "none",
            becomes: "data of the ConfigMap",
            says: "A file of KEY=value lines, each of which becomes a key; or several such files.",
            example: "\"conf/model.env\"",
        },
        Key {
            name: "files",
            shape: Shape::OneOrList(&Shape::Plain),
            default: "none",
            becomes: "data of the ConfigMap, binaryData if it is not UTF-8",
            says: "Files, by path or by pattern, each of which becomes a key of its name.",
            example: "[\"conf/*.csv\"]",
        },
        Key {
            name: "present",
            shape: Shape::Name(NameKind::Object),
            default: "none",
            becomes: "the name that references use; no ConfigMap is made",
            says: "The name of a config that is in the cluster already.",
            example: "\"shared-settings\"",
        },
        Key {
            name: "keys",
            shape: Shape::List(&Shape::Name(NameKind::Key)),
            default: "none",
            becomes: "the keys that references may name",
            says: "The keys of a config that is present.",
            example: "[\"REGION\"]",
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
        becomes: "data of the ConfigMap, binaryData if it is not UTF-8",
        says: "The file whose content is the value, taken as it is.",
        example: "\"conf/stations.csv\"",
    }],
};
