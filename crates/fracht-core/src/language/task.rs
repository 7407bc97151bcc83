//! `[task.NAME]`.

use super::service::{
    AFTER, ARGS, CPU, ENV, IMAGE_KEY, MEMORY, MOUNT_KEY, NETWORK, PROGRAM, RUN_AS, WORKDIR,
};
use super::shape::{DURATION, Key, Shape, TableShape};

/// `[task.NAME]`.
pub(super) static TASK: TableShape = TableShape {
    what: "a task",
    keys: &[
        IMAGE_KEY,
        PROGRAM,
        ARGS,
        WORKDIR,
        RUN_AS,
        ENV,
        MOUNT_KEY,
        NETWORK,
        AFTER,
        CPU,
        MEMORY,
        Key {
            name: "retries",
            shape: Shape::Number(0, 100),
            default: "3",
            says: "How often it is tried again after a failure.",
            example: "1",
        },
        Key {
            name: "timeout",
            shape: Shape::Small(&DURATION),
            default: "none",
            says: "How long it may take, all tries together.",
            example: "\"10m\"",
        },
    ],
};
