//! `[config.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{
    BOOLEAN, Field, STRING, Table, Takes, Template, list, name, named, one_or_list, scalar, table,
};
use super::shape::{Key, Short, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::reference::References;

pub(crate) static KEY: Field<Table> = Field {
    key: Key {
        name: "key",
        default: "none",
        becomes: "data of the ConfigMap",
        description: "Keys, each with a value or a file.",
        example: "{ HORIZON_HOURS = \"72\" }",
    },
    takes: named(NameKind::Key, table(&FILE_TABLE)),
};
pub(crate) static LINES: Field<Arc<str>> = Field {
    key: Key {
        name: "lines",
        default: "none",
        becomes: "data of the ConfigMap",
        description: "Settings file whose KEY=value lines become keys; or several files.",
        example: "\"conf/model.env\"",
    },
    takes: one_or_list(STRING),
};
pub(crate) static REFERENCES: Field<bool> = Field {
    key: Key {
        name: "references",
        default: "true",
        becomes: "–",
        description: "Set to false to take the values of `lines` as they are: no references are replaced.",
        example: "false",
    },
    takes: BOOLEAN,
};
pub(crate) static FILES: Field<Arc<str>> = Field {
    key: Key {
        name: "files",
        default: "none",
        becomes: "data of the ConfigMap, binaryData if it is not UTF-8",
        description: "Files, by path or by pattern; each becomes a key with its name.",
        example: "[\"conf/*.csv\"]",
    },
    takes: one_or_list(STRING),
};
pub(crate) static PRESENT: Field<Arc<str>> = Field {
    key: Key {
        name: "present",
        default: "none",
        becomes: "name of the referenced ConfigMap; none is generated",
        description: "Name of a ConfigMap that already exists in the cluster.",
        example: "\"shared-settings\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static KEYS: Field<Arc<str>> = Field {
    key: Key {
        name: "keys",
        default: "none",
        becomes: "keys that references may use",
        description: "Keys of the existing config; or the keys to take from `lines`.",
        example: "[\"REGION\"]",
    },
    takes: list(name(NameKind::Key)),
};

/// `[config.NAME]`.
pub(crate) static CONFIG_TABLE: TableShape = TableShape {
    what: "a config",
    short: None,
    one_of: &[],
    groups: &[&[&KEY, &LINES, &REFERENCES, &FILES, &PRESENT, &KEYS, &ALLOW]],
};

pub(crate) static FILE: Field<Arc<str>> = Field {
    key: Key {
        name: "file",
        default: "required",
        becomes: "data of the ConfigMap, binaryData if it is not UTF-8",
        description: "File whose content is the value.",
        example: "\"conf/stations.csv\"",
    },
    takes: STRING,
};

pub(crate) static FILE_REFERENCES: Field<bool> = Field {
    key: Key {
        name: "references",
        default: "false",
        becomes: "–",
        description: "Set to true to replace the references in the file, which is else taken as it is. All other braces stay.",
        example: "true",
    },
    takes: BOOLEAN,
};

/// The value of a key: the short form of `key.NAME`.
pub(crate) static VALUE: Takes<Template> = scalar(References::Known);

/// `key.NAME = { file = … }` of a config.
pub(crate) static FILE_TABLE: TableShape = TableShape {
    what: "a table that names a file",
    short: Some(Short::Value(VALUE.shape())),
    one_of: &[],
    groups: &[&[&FILE, &FILE_REFERENCES]],
};
