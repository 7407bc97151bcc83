//! The language as data: every table, every key, what it takes and what it means.
//!
//! A key is one [`Field`]. The check of shapes, the readers, layers, traces, the schema and the reference all read
//! it: a new key is one static in the file of its table, and one name in a [`Group`].

pub(crate) mod allow;
pub(crate) mod build;
pub(crate) mod config;
pub(crate) mod container;
mod field;
mod format;
pub(crate) mod health;
pub(crate) mod input;
mod instead;
pub(crate) mod mount;
pub(crate) mod network;
pub(crate) mod outside;
pub(crate) mod patch;
pub(crate) mod pattern;
pub(crate) mod port;
mod present;
mod recover;
pub(crate) mod root;
pub(crate) mod secret;
pub(crate) mod service;
mod shape;
pub(crate) mod stack;
pub(crate) mod store;
pub(crate) mod target;
pub(crate) mod task;
mod trade;
mod verify;
pub(crate) mod volume;
pub(crate) mod workload;

pub use field::{AnyValue, Field, Table, Takes, Template};
pub use format::{About, AnyFormat, Format};
pub(crate) use instead::likely;
pub(crate) use present::Sides;
pub(crate) use recover::recover;
pub use root::ROOT;
pub use shape::{AnyField, Group, IntegerBounds, Key, NOTHING, Shape, Short, TableShape, Words};
pub(crate) use verify::{fits, verify};

/// Every table of the language by its heading in the reference, in the order of the reference.
pub const TABLES: &[(&str, &TableShape)] = &[
    ("the stack file", &ROOT),
    ("stack", &stack::STACK_TABLE),
    ("input.NAME", &input::INPUT_TABLE),
    ("build.NAME", &build::BUILD_TABLE),
    ("pattern.NAME", &pattern::PATTERN_TABLE),
    ("service.NAME", &service::SERVICE_TABLE),
    ("service.NAME.port.NAME", &port::PORT_TABLE),
    ("service.NAME.health", &health::HEALTH_TABLE),
    ("service.NAME.replicas", &service::REPLICAS_TABLE),
    ("service.NAME.rollout", &service::ROLLOUT_TABLE),
    ("service.NAME.beside.NAME", &service::SIDECAR_TABLE),
    ("task.NAME", &task::TASK_TABLE),
    ("mount", &mount::MOUNT_TABLE),
    ("use", &container::USE_TABLE),
    ("before-stop", &container::BEFORE_STOP_TABLE),
    ("spread", &workload::SPREAD_TABLE),
    ("rights", &workload::RIGHT_TABLE),
    ("volume.NAME", &volume::VOLUME_TABLE),
    ("config.NAME", &config::CONFIG_TABLE),
    ("config.NAME.key.NAME", &config::FILE_TABLE),
    ("secret.NAME", &secret::SECRET_TABLE),
    ("secret.NAME.key.NAME", &secret::KEY_TABLE),
    ("network.NAME", &network::NETWORK_TABLE),
    ("outside.NAME", &outside::OUTSIDE_TABLE),
    ("store.NAME", &store::STORE_TABLE),
    ("target.NAME", &target::TARGET_TABLE),
    ("target.NAME.web", &target::WEB_TABLE),
    ("target.NAME.gate", &target::GATE_TABLE),
    ("patch", &patch::PATCH_TABLE),
    ("patch.ops", &patch::OPERATION_TABLE),
];

#[cfg(test)]
mod tests;
