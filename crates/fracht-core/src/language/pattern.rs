//! `[pattern.NAME]`: the keys of services and of tasks.

use super::container::{
    ARGS, BEFORE_STOP_KEY, BUILD_KEY, CONFINE, CPU, ENV, IMAGE_KEY, MEMORY, MOUNT_KEY, PROGRAM, RUN_AS,
    USE_KEY, WORKDIR,
};
use super::health::HEALTH_KEY;
use super::port::PORT_KEY;
use super::service::{BESIDE, REPLICAS, ROLLOUT_KEY, STABLE_NAMES};
use super::shape::TableShape;
use super::task::{OVERLAP, RETRIES, SCHEDULE_KEY, TIMEOUT, ZONE_KEY};
use super::workload::{
    AFTER, DROP, LABEL, LIKE, NETWORK, NOTE, PLACE, PLATFORM_KEY, PULL, RIGHTS, ROLE, SPREAD_KEY, STOP_WITHIN,
};

/// `[pattern.NAME]`.
pub(crate) static PATTERN: TableShape = TableShape {
    what: "a pattern",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        LIKE,
        DROP,
        IMAGE_KEY,
        BUILD_KEY,
        PROGRAM,
        ARGS,
        WORKDIR,
        RUN_AS,
        CONFINE,
        USE_KEY,
        ENV,
        PORT_KEY,
        MOUNT_KEY,
        NETWORK,
        AFTER,
        HEALTH_KEY,
        REPLICAS,
        CPU,
        MEMORY,
        SPREAD_KEY,
        PLACE,
        PLATFORM_KEY,
        ROLLOUT_KEY,
        STABLE_NAMES,
        STOP_WITHIN,
        BEFORE_STOP_KEY,
        RIGHTS,
        ROLE,
        LABEL,
        NOTE,
        PULL,
        BESIDE,
        SCHEDULE_KEY,
        ZONE_KEY,
        OVERLAP,
        RETRIES,
        TIMEOUT,
    ],
};
