//! `[[patch]]`.

use super::shape::{Key, Shape, TableShape};

/// An entry of `patch`.
pub(super) static PATCH: TableShape = TableShape {
    what: "a table of a patch",
    short_for: &[],
    one_of: &["merge", "ops"],
    keys: &[
        Key {
            name: "on",
            shape: Shape::Plain,
            default: "required",
            becomes: "the object that is changed",
            says: "The object, by its kind and its name as `render` writes them.",
            example: "\"Deployment/api\"",
        },
        Key {
            name: "merge",
            shape: Shape::Any,
            default: "one of merge and ops is required",
            becomes: "a JSON Merge Patch (RFC 7396)",
            says: "What is laid over the object.",
            example: "{ spec.revisionHistoryLimit = 3 }",
        },
        Key {
            name: "ops",
            shape: Shape::List(&Shape::Table(&OPERATION)),
            default: "one of merge and ops is required",
            becomes: "a JSON Patch (RFC 6902)",
            says: "What is done to the object, in this order.",
            example: "[{ op = \"remove\", path = \"/spec/strategy\" }]",
        },
    ],
};

/// An entry of `ops`.
pub(super) static OPERATION: TableShape = TableShape {
    what: "a table of an operation",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "op",
            shape: Shape::Word(&["add", "remove", "replace", "move", "copy", "test"]),
            default: "required",
            becomes: "the operation",
            says: "What is done.",
            example: "\"replace\"",
        },
        Key {
            name: "path",
            shape: Shape::Plain,
            default: "required",
            becomes: "the place (RFC 6901)",
            says: "Where in the object.",
            example: "\"/spec/replicas\"",
        },
        Key {
            name: "from",
            shape: Shape::Plain,
            default: "required by move and copy",
            becomes: "the place that it comes from",
            says: "Where in the object it comes from.",
            example: "\"/spec/replicas\"",
        },
        Key {
            name: "value",
            shape: Shape::Any,
            default: "required by add, replace and test",
            becomes: "the value",
            says: "What is put there.",
            example: "3",
        },
    ],
};
