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
        description: "Mounts by path.",
        example: "{ \"/var/lib/data\" = \"volume.tides\" }",
    },
    takes: named(NameKind::Path, table(&MOUNT_TABLE)),
};

pub(crate) static FROM: Field<Reference> = Field {
    key: Key {
        name: "from",
        default: "required: `from`, `scratch` or `folder`",
        becomes: "a volume of the pod: a claim, a config, a secret",
        description: "Volume, config or secret, or one key of a config or secret.",
        example: "\"config.model/stations.csv\"",
    },
    takes: reference(&[RefKind::Volume, RefKind::Config, RefKind::Secret]),
};
pub(crate) static SCRATCH: Field<Quantity> = Field {
    key: Key {
        name: "scratch",
        default: "required: `from`, `scratch` or `folder`",
        becomes: "an emptyDir with a size limit",
        description: "An empty folder with this maximum size; deleted with the pod. Each container gets its own.",
        example: "\"64Mi\"",
    },
    takes: formatted(&format::SIZE),
};
pub(crate) static SHARED: Field<Arc<str>> = Field {
    key: Key {
        name: "shared",
        default: "none: one folder per container",
        becomes: "one emptyDir for containers with the same name",
        description: "Name by which containers of one pod share a scratch folder.",
        example: "\"spool\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static FOLDER: Field<Arc<str>> = Field {
    key: Key {
        name: "folder",
        default: "required: `from`, `scratch` or `folder`",
        becomes: "– (an error in a cluster)",
        description: "A folder inside the stack's folder, for development; only on a machine.",
        example: "\"./src\"",
    },
    takes: STRING,
};
pub(crate) static PART: Field<Arc<str>> = Field {
    key: Key {
        name: "part",
        default: "the whole volume",
        becomes: "subPath",
        description: "Path of a folder in the volume to mount instead of the whole volume.",
        example: "\"tables/2026\"",
    },
    takes: STRING,
};
pub(crate) static MODE: Field<u16> = Field {
    key: Key {
        name: "mode",
        default: "0644",
        becomes: "defaultMode",
        description: "Permission bits of the files of a config or secret.",
        example: "\"0440\"",
    },
    takes: formatted(&format::MODE),
};
pub(crate) static READ_ONLY: Field<bool> = Field {
    key: Key {
        name: "read-only",
        default: "false; always true for configs, secrets and `many-readers` volumes",
        becomes: "readOnly",
        description: "Set to true to mount it read-only.",
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
