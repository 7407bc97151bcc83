//! `[[patch]]`.

use std::sync::Arc;

use super::field::{ANY, AnyValue, Field, STRING, Table, list, table, words};
use super::shape::{Key, TableShape};
use crate::model::OperationKind;

pub(crate) static ON: Field<Arc<str>> = Field {
    key: Key {
        name: "on",
        default: "required",
        becomes: "the object that is changed",
        description: "Kind and name of the object, as `fracht render` writes them.",
        example: "\"Deployment/api\"",
    },
    takes: STRING,
};
pub(crate) static MERGE: Field<AnyValue> = Field {
    key: Key {
        name: "merge",
        default: "required: `merge` or `ops`",
        becomes: "a JSON Merge Patch (RFC 7396)",
        description: "Fields to merge into the object.",
        example: "{ spec.revisionHistoryLimit = 3 }",
    },
    takes: ANY,
};
pub(crate) static OPS: Field<Table> = Field {
    key: Key {
        name: "ops",
        default: "required: `merge` or `ops`",
        becomes: "a JSON Patch (RFC 6902)",
        description: "Operations on the object, in this order.",
        example: "[{ op = \"remove\", path = \"/spec/strategy\" }]",
    },
    takes: list(table(&OPERATION_TABLE)),
};

/// An entry of `patch`.
pub(crate) static PATCH_TABLE: TableShape =
    TableShape { what: "a patch", short: None, one_of: &[&MERGE, &OPS], groups: &[&[&ON, &MERGE, &OPS]] };

pub(crate) static OP: Field<OperationKind> = Field {
    key: Key {
        name: "op",
        default: "required",
        becomes: "operation (RFC 6902)",
        description: "Operation.",
        example: "\"replace\"",
    },
    takes: words(),
};
pub(crate) static PATH: Field<Arc<str>> = Field {
    key: Key {
        name: "path",
        default: "required",
        becomes: "the place (RFC 6901)",
        description: "Path in the object.",
        example: "\"/spec/replicas\"",
    },
    takes: STRING,
};
pub(crate) static FROM: Field<Arc<str>> = Field {
    key: Key {
        name: "from",
        default: "required by `move` and `copy`",
        becomes: "the place that it comes from",
        description: "Path in the object to move or copy from.",
        example: "\"/spec/replicas\"",
    },
    takes: STRING,
};
pub(crate) static VALUE: Field<AnyValue> = Field {
    key: Key {
        name: "value",
        default: "required by `add`, `replace` and `test`",
        becomes: "the value",
        description: "Value to write.",
        example: "3",
    },
    takes: ANY,
};

/// An entry of `ops`.
pub(crate) static OPERATION_TABLE: TableShape = TableShape {
    what: "a patch operation",
    short: None,
    one_of: &[],
    groups: &[&[&OP, &PATH, &FROM, &VALUE]],
};
