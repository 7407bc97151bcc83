//! `[pattern.NAME]`: the keys of services and of tasks.

use super::container::{CONTAINER, IMAGE_OR_BUILD};
use super::port::LISTENING;
use super::service::SERVICE;
use super::shape::TableShape;
use super::task::TASK;
use super::workload::WORKLOAD;

/// `[pattern.NAME]`.
pub(crate) static PATTERN_TABLE: TableShape = TableShape {
    what: "a pattern",
    short: None,
    one_of: IMAGE_OR_BUILD,
    groups: &[CONTAINER, LISTENING, WORKLOAD, SERVICE, TASK],
};
