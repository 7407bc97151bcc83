//! `[task.NAME]`.

use super::service::{
    AFTER, ARGS, BUILD_KEY, CPU, DROP, ENV, IMAGE_KEY, LIKE, MEMORY, MOUNT_KEY, NETWORK, PROGRAM, RUN_AS,
    WORKDIR,
};
use super::shape::{DURATION, Key, Shape, TableShape};

pub(super) const RETRIES: Key = Key {
    name: "retries",
    shape: Shape::Number(0, 100),
    default: "3",
    says: "How often it is tried again after a failure.",
    example: "1",
};

pub(super) const TIMEOUT: Key = Key {
    name: "timeout",
    shape: Shape::Small(&DURATION),
    default: "none",
    says: "How long it may take, all tries together.",
    example: "\"10m\"",
};

/// `[task.NAME]`.
pub(super) static TASK: TableShape = TableShape {
    what: "a task",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        LIKE, DROP, IMAGE_KEY, BUILD_KEY, PROGRAM, ARGS, WORKDIR, RUN_AS, ENV, MOUNT_KEY, NETWORK, AFTER,
        CPU, MEMORY, RETRIES, TIMEOUT,
    ],
};
