//! `[pattern.NAME]`: the keys of services and of tasks.

use super::service::{
    AFTER, ARGS, BUILD_KEY, CPU, DROP, ENV, HEALTH_KEY, IMAGE_KEY, LIKE, MEMORY, MOUNT_KEY, NETWORK,
    PORT_KEY, PROGRAM, REPLICAS, RUN_AS, WORKDIR,
};
use super::shape::TableShape;
use super::task::{RETRIES, TIMEOUT};

/// `[pattern.NAME]`.
pub(crate) static PATTERN: TableShape = TableShape {
    what: "a pattern",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        LIKE, DROP, IMAGE_KEY, BUILD_KEY, PROGRAM, ARGS, WORKDIR, RUN_AS, ENV, PORT_KEY, MOUNT_KEY, NETWORK,
        AFTER, HEALTH_KEY, REPLICAS, CPU, MEMORY, RETRIES, TIMEOUT,
    ],
};
