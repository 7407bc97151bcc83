//! The stack file as a whole: what a target may override, and what only the stack file has.

use std::sync::Arc;

use super::field::{Field, STRING, Table, list, named, table};
use super::shape::{Key, TableShape};
use super::stack::OVERRIDABLE;
use super::target::TARGET_TABLE;
use crate::grammar::name::NameKind;

pub(crate) static INCLUDE: Field<Arc<str>> = Field {
    key: Key {
        name: "include",
        default: "none",
        becomes: "–",
        description: "More files of this stack, by path or by pattern: `*` matches any name, `**` any folders.",
        example: "[\"services/*.toml\"]",
    },
    takes: list(STRING),
};
pub(crate) static TARGET: Field<Table> = Field {
    key: Key {
        name: "target",
        default: "one target, `cluster`",
        becomes: "namespace of all objects",
        description: "Targets: where the stack runs, and what is different there.",
        example: "{ prod = { on = \"cluster\" } }",
    },
    takes: named(NameKind::Label, table(&TARGET_TABLE)),
};

/// The stack file.
pub static ROOT: TableShape = TableShape {
    what: "a stack file",
    short: None,
    one_of: &[],
    groups: &[&[&INCLUDE, &TARGET], OVERRIDABLE],
};
