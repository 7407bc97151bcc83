//! `[volume.NAME]`.

use super::shape::{BYTES, Key, Shape, TableShape};
use crate::grammar::name::NameKind;

/// `[volume.NAME]`.
pub(super) static VOLUME: TableShape = TableShape {
    what: "a volume",
    short_for: &[],
    one_of: &["present", "node-folder"],
    keys: &[
        Key {
            name: "size",
            shape: Shape::Small(&BYTES),
            default: "required, unless it is present",
            becomes: "requests.storage of the claim",
            says: "How large it is.",
            example: "\"20Gi\"",
        },
        Key {
            name: "access",
            shape: Shape::Word(&["one-node", "one-pod", "many-nodes", "many-readers"]),
            default: "one-node",
            becomes: "accessModes of the claim",
            says: "Who may mount it at once.",
            example: "\"many-nodes\"",
        },
        Key {
            name: "class",
            shape: Shape::Name(NameKind::Object),
            default: "the cluster's default",
            becomes: "storageClassName of the claim",
            says: "The kind of storage, by the cluster's name for it.",
            example: "\"fast\"",
        },
        Key {
            name: "each",
            shape: Shape::Boolean,
            default: "false",
            becomes: "a claim template of the StatefulSet",
            says: "Whether each replica has one of its own, with a stable name.",
            example: "true",
        },
        Key {
            name: "present",
            shape: Shape::Name(NameKind::Object),
            default: "none",
            becomes: "the name that pods mount; no claim is made",
            says: "The name of a claim that is in the cluster already.",
            example: "\"old-tides\"",
        },
        Key {
            name: "node-folder",
            shape: Shape::Name(NameKind::Path),
            default: "none",
            becomes: "a PersistentVolume, and a claim bound to it",
            says: "A folder on a node, made by hand, that the storage is.",
            example: "\"/data/tides\"",
        },
        Key {
            name: "node",
            shape: Shape::Name(NameKind::LabelValue),
            default: "any: the folder is the same on all of them",
            becomes: "the node affinity of the PersistentVolume",
            says: "The node that has that folder.",
            example: "\"harbour-1\"",
        },
    ],
};
