//! `[task.NAME]`.

use std::sync::Arc;
use std::time::Duration;

use super::container::{CONTAINER, IMAGE_OR_BUILD};
use super::field::{Field, formatted, integer, words};
use super::format;
use super::shape::{Group, IntegerBounds, Key, TableShape};
use super::workload::WORKLOAD;
use crate::diag::reading::BAD_VALUE;
use crate::grammar::schedule::Schedule;
use crate::model::Overlap;

pub(crate) static RETRIES: Field<u32> = Field {
    key: Key {
        name: "retries",
        default: "3",
        becomes: "backoffLimit",
        description: "Retries after a failure.",
        example: "1",
    },
    takes: integer(&IntegerBounds { least: 0, most: 100, rule: &BAD_VALUE }),
};

pub(crate) static TIMEOUT: Field<Duration> = Field {
    key: Key {
        name: "timeout",
        default: "none",
        becomes: "activeDeadlineSeconds of the Job; with start gates of its pods, with room for the wait",
        description: "Maximum run time, all retries included; with start gates per try, without the wait.",
        example: "\"10m\"",
    },
    takes: formatted(&format::TIME),
};

pub(crate) static SCHEDULE: Field<Schedule> = Field {
    key: Key {
        name: "schedule",
        default: "runs once per change",
        becomes: "CronJob instead of Job; suspended for \"on demand\"",
        description: "Schedule: minute, hour, day, month and weekday, or \"on demand\".",
        example: "\"15 3 * * *\"",
    },
    takes: formatted(&format::SCHEDULE),
};

pub(crate) static ZONE: Field<Arc<str>> = Field {
    key: Key {
        name: "zone",
        default: "cluster's time zone, usually UTC",
        becomes: "timeZone",
        description: "Time zone of the schedule.",
        example: "\"Europe/Berlin\"",
    },
    takes: formatted(&format::ZONE),
};

pub(crate) static OVERLAP: Field<Overlap> = Field {
    key: Key {
        name: "overlap",
        default: "skip",
        becomes: "concurrencyPolicy",
        description: "Behavior if the previous run is still going.",
        example: "\"replace\"",
    },
    takes: words(),
};

/// The keys of tasks alone.
pub(super) static TASK: Group = &[&SCHEDULE, &ZONE, &OVERLAP, &RETRIES, &TIMEOUT];

/// `[task.NAME]`.
pub(crate) static TASK_TABLE: TableShape =
    TableShape { what: "a task", short: None, one_of: IMAGE_OR_BUILD, groups: &[CONTAINER, WORKLOAD, TASK] };
