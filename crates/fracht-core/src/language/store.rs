//! `[store.NAME]`: a kind of data store, by its image.

use std::sync::Arc;

use super::field::{BOOLEAN, Field, STRING, integer, list, name};
use super::shape::{IntegerBounds, Key, NOTHING, TableShape};
use crate::diag::reading::PORT_RANGE;
use crate::grammar::name::NameKind;

pub(crate) static IMAGES: Field<Arc<str>> = Field {
    key: Key {
        name: "images",
        default: "required",
        becomes: NOTHING,
        description: "Last parts of repositories of its images; `base-NAME` counts as well.",
        example: "[\"tidestore\"]",
    },
    takes: list(STRING),
};
pub(crate) static PORTS: Field<u16> = Field {
    key: Key {
        name: "ports",
        default: "none",
        becomes: NOTHING,
        description: "Port numbers that only such a store uses.",
        example: "[7400]",
    },
    takes: list(integer(&IntegerBounds { least: 1, most: 65535, rule: &PORT_RANGE })),
};
pub(crate) static DATA: Field<Arc<str>> = Field {
    key: Key {
        name: "data",
        default: "none",
        becomes: NOTHING,
        description: "Folders in the container that have its data.",
        example: "[\"/var/lib/tidestore\"]",
    },
    takes: list(name(NameKind::Path)),
};
pub(crate) static FIRST_START: Field<Arc<str>> = Field {
    key: Key {
        name: "first-start",
        default: "none",
        becomes: NOTHING,
        description: "Variables that count only while its data is empty.",
        example: "[\"TIDESTORE_USER\"]",
    },
    takes: list(name(NameKind::Variable)),
};
pub(crate) static LOGIN: Field<Arc<str>> = Field {
    key: Key {
        name: "login",
        default: "none",
        becomes: NOTHING,
        description: "Variable with the name of the user that it creates.",
        example: "\"TIDESTORE_USER\"",
    },
    takes: name(NameKind::Variable),
};
pub(crate) static MANY_WRITERS: Field<bool> = Field {
    key: Key {
        name: "many-writers",
        default: "false",
        becomes: NOTHING,
        description: "Set to true if its replicas form one store by themselves.",
        example: "true",
    },
    takes: BOOLEAN,
};

/// `[store.NAME]`.
pub(crate) static STORE_TABLE: TableShape = TableShape {
    what: "a kind of data store",
    short: None,
    one_of: &[],
    groups: &[&[&IMAGES, &PORTS, &DATA, &FIRST_START, &LOGIN, &MANY_WRITERS]],
};
