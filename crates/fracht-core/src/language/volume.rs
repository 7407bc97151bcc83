//! `[volume.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{BOOLEAN, Field, formatted, name, words};
use super::format;
use super::shape::{Key, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::quantity::Quantity;
use crate::model::Access;

pub(crate) static SIZE: Field<Quantity> = Field {
    key: Key {
        name: "size",
        default: "required, unless `present` is set",
        becomes: "requests.storage of the claim",
        description: "Size of the volume.",
        example: "\"20Gi\"",
    },
    takes: formatted(&format::SIZE),
};
pub(crate) static ACCESS: Field<Access> = Field {
    key: Key {
        name: "access",
        default: "one-node",
        becomes: "accessModes of the claim",
        description: "How many nodes or pods may mount it at the same time.",
        example: "\"many-nodes\"",
    },
    takes: words(),
};
pub(crate) static CLASS: Field<Arc<str>> = Field {
    key: Key {
        name: "class",
        default: "cluster default",
        becomes: "storageClassName of the claim",
        description: "Storage class of the cluster.",
        example: "\"fast\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static EACH: Field<bool> = Field {
    key: Key {
        name: "each",
        default: "false",
        becomes: "a claim template of the StatefulSet",
        description: "Set to true to give each replica its own volume.",
        example: "true",
    },
    takes: BOOLEAN,
};
pub(crate) static PRESENT: Field<Arc<str>> = Field {
    key: Key {
        name: "present",
        default: "none",
        becomes: "name of the mounted claim; no claim is generated",
        description: "Name of a claim that already exists in the cluster.",
        example: "\"old-tides\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static NODE_FOLDER: Field<Arc<str>> = Field {
    key: Key {
        name: "node-folder",
        default: "none",
        becomes: "a PersistentVolume, and a claim bound to it",
        description: "An existing folder on a node, used as storage.",
        example: "\"/data/tides\"",
    },
    takes: name(NameKind::Path),
};
pub(crate) static NODE: Field<Arc<str>> = Field {
    key: Key {
        name: "node",
        default: "any node with this folder",
        becomes: "the node affinity of the PersistentVolume",
        description: "Node that has the folder.",
        example: "\"harbour-1\"",
    },
    takes: name(NameKind::LabelValue),
};

/// `[volume.NAME]`.
pub(crate) static VOLUME_TABLE: TableShape = TableShape {
    what: "a volume",
    short: None,
    one_of: &[&PRESENT, &NODE_FOLDER],
    groups: &[&[&SIZE, &ACCESS, &CLASS, &EACH, &PRESENT, &NODE_FOLDER, &NODE, &ALLOW]],
};
