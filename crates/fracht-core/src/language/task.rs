//! `[task.NAME]`.

use super::container::{
    ARGS, BEFORE_STOP_KEY, BUILD_KEY, CONFINE, CPU, ENV, IMAGE_KEY, MEMORY, MOUNT_KEY, PROGRAM, RUN_AS,
    USE_KEY, WORKDIR,
};
use super::shape::{Key, SCHEDULE, Shape, TIME, TableShape, ZONE};
use super::workload::{
    AFTER, DROP, LABEL, LIKE, NETWORK, NOTE, PLACE, PLATFORM_KEY, PULL, RIGHTS, ROLE, STOP_WITHIN,
};

pub(super) const RETRIES: Key = Key {
    name: "retries",
    shape: Shape::Number(0, 100),
    default: "3",
    becomes: "backoffLimit",
    says: "How often it is tried again after a failure.",
    example: "1",
};

pub(super) const TIMEOUT: Key = Key {
    name: "timeout",
    shape: Shape::Small(&TIME),
    default: "none",
    becomes: "activeDeadlineSeconds of the Job; of its pods, with room for the wait, where it has start gates",
    says: "How long it may take, all tries together; with start gates each try, the wait not counted.",
    example: "\"10m\"",
};

pub(super) const SCHEDULE_KEY: Key = Key {
    name: "schedule",
    shape: Shape::Small(&SCHEDULE),
    default: "once for each change of it",
    becomes: "a CronJob in place of the Job; suspended for \"on demand\"",
    says: "When it runs: minute, hour, day, month and weekday, or \"on demand\".",
    example: "\"15 3 * * *\"",
};

pub(super) const ZONE_KEY: Key = Key {
    name: "zone",
    shape: Shape::Small(&ZONE),
    default: "that of the cluster, mostly UTC",
    becomes: "timeZone",
    says: "The time zone of the schedule.",
    example: "\"Europe/Berlin\"",
};

pub(super) const OVERLAP: Key = Key {
    name: "overlap",
    shape: Shape::Word(&["skip", "allow", "replace"]),
    default: "skip",
    becomes: "concurrencyPolicy",
    says: "What happens if it is time and the last run is not over.",
    example: "\"replace\"",
};

/// `[task.NAME]`.
pub(super) static TASK: TableShape = TableShape {
    what: "a task",
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
        MOUNT_KEY,
        NETWORK,
        AFTER,
        CPU,
        MEMORY,
        SCHEDULE_KEY,
        ZONE_KEY,
        OVERLAP,
        RETRIES,
        TIMEOUT,
        PLACE,
        PLATFORM_KEY,
        STOP_WITHIN,
        BEFORE_STOP_KEY,
        RIGHTS,
        ROLE,
        LABEL,
        NOTE,
        PULL,
    ],
};
