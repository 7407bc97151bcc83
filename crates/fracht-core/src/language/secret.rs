//! `[secret.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::config::{FILE_REFERENCES, REFERENCES};
use super::field::{Field, STRING, Table, formatted, list, name, named, one_or_list, secret_source};
use super::format;
use super::shape::{Key, TableShape};
use crate::grammar::make::Make;
use crate::grammar::name::NameKind;

pub(crate) static KEY: Field<Table> = Field {
    key: Key {
        name: "key",
        default: "none",
        becomes: "data of the Secret, only with `render --secrets`",
        description: "Keys, each with the source of its value.",
        example: "{ password = { env = \"DB_PASSWORD\" } }",
    },
    takes: named(NameKind::Key, secret_source(&KEY_TABLE)),
};
pub(crate) static LINES: Field<Arc<str>> = Field {
    key: Key {
        name: "lines",
        default: "none",
        becomes: "data of the Secret, only with `render --secrets`",
        description: "Settings file whose KEY=value lines become keys; or several files. Keep them out of version control.",
        example: "\"secrets/site.env\"",
    },
    takes: one_or_list(STRING),
};
pub(crate) static PRESENT: Field<Arc<str>> = Field {
    key: Key {
        name: "present",
        default: "none",
        becomes: "name of the referenced Secret",
        description: "Name of a Secret that already exists in the cluster; none is generated.",
        example: "\"db-login\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static KEYS: Field<Arc<str>> = Field {
    key: Key {
        name: "keys",
        default: "none",
        becomes: "keys that references may use",
        description: "Keys of the existing secret; or the keys to take from `lines`, so that a check needs no file.",
        example: "[\"password\"]",
    },
    takes: list(name(NameKind::Key)),
};

/// `[secret.NAME]`.
pub(crate) static SECRET_TABLE: TableShape = TableShape {
    what: "a secret",
    short: None,
    one_of: &[],
    groups: &[&[&KEY, &LINES, &REFERENCES, &PRESENT, &KEYS, &ALLOW]],
};

pub(crate) static ENV: Field<Arc<str>> = Field {
    key: Key {
        name: "env",
        default: "required: `env`, `file` or `make`",
        becomes: "a value in the Secret",
        description: "Environment variable to read the value from when rendering.",
        example: "\"DB_PASSWORD\"",
    },
    takes: name(NameKind::Variable),
};
pub(crate) static FILE: Field<Arc<str>> = Field {
    key: Key {
        name: "file",
        default: "required: `env`, `file` or `make`",
        becomes: "a value in the Secret",
        description: "File to read the value from. Keep it out of version control.",
        example: "\"secrets/password\"",
    },
    takes: STRING,
};

pub(crate) static MAKE: Field<Make> = Field {
    key: Key {
        name: "make",
        default: "none",
        becomes: "nothing: it is made once, by hand",
        description: "How to make the value: a number of `letters`, `digits`, `hex` or `alphanumeric` characters. Without `env` and `file` it is in the cluster alone.",
        example: "\"24 letters\"",
    },
    takes: formatted(&format::MAKE),
};

/// `key.NAME` of a secret.
pub(crate) static KEY_TABLE: TableShape = TableShape {
    what: "a table that says where the value is",
    short: None,
    one_of: &[&ENV, &FILE],
    groups: &[&[&ENV, &FILE, &FILE_REFERENCES, &MAKE]],
};
