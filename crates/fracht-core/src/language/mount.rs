//! `mount."/path"` of a container.

use std::sync::Arc;

use super::field::{BOOLEAN, Field, STRING, Table, formatted, name, named, reference, table};
use super::format;
use super::shape::{Key, Short, TableShape};
use crate::grammar::name::NameKind;
use crate::grammar::quantity::Quantity;
use crate::grammar::reference::{RefKind, Reference};

pub(crate) static MOUNT: Field<Table> = Field {
    key: Key {
        name: "mount",
        default: "none",
        becomes: "the pod's volumes and the container's volumeMounts",
        says: "What is mounted at which path.",
        example: "{ \"/var/lib/data\" = \"volume.tides\" }",
    },
    takes: named(NameKind::Path, table(&MOUNT_TABLE)),
};

pub(crate) static FROM: Field<Reference> = Field {
    key: Key {
        name: "from",
        default: "one of from, scratch and folder is required",
        becomes: "a volume of the pod: a claim, a config, a secret",
        says: "The volume, config or secret, or a key of one of these two.",
        example: "\"config.model/stations.csv\"",
    },
    takes: reference(&[RefKind::Volume, RefKind::Config, RefKind::Secret]),
};
pub(crate) static SCRATCH: Field<Quantity> = Field {
    key: Key {
        name: "scratch",
        default: "one of from, scratch and folder is required",
        becomes: "an emptyDir with a size limit",
        says: "An empty folder of at most this size, gone with the pod; each container has one of its own.",
        example: "\"64Mi\"",
    },
    takes: formatted(&format::SIZE),
};
pub(crate) static SHARED: Field<Arc<str>> = Field {
    key: Key {
        name: "shared",
        default: "none: the container's own",
        becomes: "one emptyDir for the containers that say the same name",
        says: "A name under which containers of one pod share a scratch folder.",
        example: "\"spool\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static FOLDER: Field<Arc<str>> = Field {
    key: Key {
        name: "folder",
        default: "one of from, scratch and folder is required",
        becomes: "nothing: an error in a cluster",
        says: "A folder inside the stack's folder, for development; only on a machine.",
        example: "\"./src\"",
    },
    takes: STRING,
};
pub(crate) static PART: Field<Arc<str>> = Field {
    key: Key {
        name: "part",
        default: "the whole",
        becomes: "subPath",
        says: "A folder in the volume that is mounted in place of the whole, by its path there.",
        example: "\"tables/2026\"",
    },
    takes: STRING,
};
pub(crate) static MODE: Field<u16> = Field {
    key: Key {
        name: "mode",
        default: "0644",
        becomes: "defaultMode",
        says: "The permission bits of the files of a config or a secret.",
        example: "\"0440\"",
    },
    takes: formatted(&format::MODE),
};
pub(crate) static READ_ONLY: Field<bool> = Field {
    key: Key {
        name: "read-only",
        default: "false; always true for configs, secrets and volumes of many readers",
        becomes: "readOnly",
        says: "Set to true to mount it read-only.",
        example: "true",
    },
    takes: BOOLEAN,
};

/// The long form of a mount.
pub(crate) static MOUNT_TABLE: TableShape = TableShape {
    what: "a mount table",
    short: Some(Short::Key(&FROM)),
    one_of: &[&FROM, &SCRATCH, &FOLDER],
    groups: &[&[&FROM, &SCRATCH, &SHARED, &FOLDER, &PART, &MODE, &READ_ONLY]],
};
