//! The language as data: every table, every key, what it takes, and what it means.
//!
//! The check of shapes, the list of allowed keys in messages and the reference read these.
//! A new key is one line here, in the file of its table, and one in the reader of that table.

mod build;
mod config;
mod container;
mod health;
mod input;
mod network;
mod outside;
mod patch;
mod pattern;
mod port;
mod secret;
mod service;
mod shape;
mod stack;
mod target;
mod task;
mod verify;
mod volume;
mod workload;

pub(crate) use pattern::PATTERN;
pub use shape::{Grammar, Key, Shape, TableShape};
pub use stack::ROOT;
pub(crate) use target::TARGET;
pub(crate) use verify::verify;

/// Every table of the language by its heading in the reference, in the order in which to read about them.
pub const TABLES: &[(&str, &TableShape)] = &[
    ("the stack file", &ROOT),
    ("stack", &stack::STACK),
    ("input.NAME", &input::INPUT),
    ("build.NAME", &build::BUILD),
    ("pattern.NAME", &PATTERN),
    ("service.NAME", &service::SERVICE),
    ("service.NAME.port.NAME", &port::PORT),
    ("service.NAME.health", &health::HEALTH),
    ("service.NAME.replicas", &service::GROWING),
    ("service.NAME.rollout", &service::ROLLOUT),
    ("service.NAME.beside.NAME", &service::HELPER),
    ("task.NAME", &task::TASK),
    ("mount", &container::MOUNT),
    ("use", &container::USE),
    ("before-stop", &container::BEFORE_STOP),
    ("spread", &workload::SPREAD),
    ("rights", &workload::RIGHT),
    ("volume.NAME", &volume::VOLUME),
    ("config.NAME", &config::CONFIG),
    ("config.NAME.key.NAME", &config::FILE),
    ("secret.NAME", &secret::SECRET),
    ("secret.NAME.key.NAME", &secret::KEY),
    ("network.NAME", &network::NETWORK),
    ("outside.NAME", &outside::OUTSIDE),
    ("target.NAME", &TARGET),
    ("target.NAME.web", &target::WEB),
    ("target.NAME.gate", &target::GATE),
    ("patch", &patch::PATCH),
    ("patch.ops", &patch::OPERATION),
];

#[cfg(test)]
mod tests;
