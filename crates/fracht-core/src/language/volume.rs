//! `[volume.NAME]`.

use super::shape::{BYTES, Key, Shape, TableShape};
use crate::grammar::name::NameKind;

/// `[volume.NAME]`.
pub(super) static VOLUME: TableShape = TableShape {
    what: "a volume",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "size",
            shape: Shape::Small(&BYTES),
            default: "required",
            says: "How large it is.",
            example: "\"20Gi\"",
        },
        Key {
            name: "access",
            shape: Shape::Word(&["one-node", "one-pod", "many-nodes", "many-readers"]),
            default: "one-node",
            says: "Who may mount it at once.",
            example: "\"many-nodes\"",
        },
        Key {
            name: "class",
            shape: Shape::Name(NameKind::Label),
            default: "the cluster's default",
            says: "The kind of storage, by the cluster's name for it.",
            example: "\"fast\"",
        },
    ],
};
