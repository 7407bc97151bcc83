//! `[secret.NAME]`.

use super::shape::{Key, Shape, TableShape};
use crate::grammar::name::NameKind;

/// `[secret.NAME]`.
pub(super) static SECRET: TableShape = TableShape {
    what: "a secret",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "key",
            shape: Shape::Map(NameKind::Key, &Shape::Kept(&KEY)),
            default: "none",
            becomes: "data of the Secret, with `render --secrets` only",
            says: "The keys, each with where its value is to be read.",
            example: "{ password = { env = \"DB_PASSWORD\" } }",
        },
        Key {
            name: "present",
            shape: Shape::Name(NameKind::Object),
            default: "none",
            becomes: "the name that references use",
            says: "The name of a secret that is in the cluster already; nothing is made then.",
            example: "\"db-login\"",
        },
        Key {
            name: "keys",
            shape: Shape::List(&Shape::Name(NameKind::Key)),
            default: "none",
            becomes: "the keys that references may name",
            says: "The keys of a secret that is present.",
            example: "[\"password\"]",
        },
    ],
};

/// `key.NAME` of a secret.
pub(super) static KEY: TableShape = TableShape {
    what: "a table that says where the value is to be read",
    short_for: &[],
    one_of: &["env", "file"],
    keys: &[
        Key {
            name: "env",
            shape: Shape::Name(NameKind::Variable),
            default: "one of env and file is required",
            becomes: "a value in the Secret",
            says: "The environment variable that holds the value when objects are rendered.",
            example: "\"DB_PASSWORD\"",
        },
        Key {
            name: "file",
            shape: Shape::Plain,
            default: "one of env and file is required",
            becomes: "a value in the Secret",
            says: "The file that holds the value; it belongs in the ignore list of version control.",
            example: "\"secrets/password\"",
        },
    ],
};
