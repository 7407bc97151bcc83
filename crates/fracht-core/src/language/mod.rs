//! The language as data: every table, every key, what it takes, and what it means.
//!
//! The check of shapes, the list of allowed keys in messages and the reference read these.
//! A new key is one line here, in the file of its table, and one in the reader of that table.

mod build;
mod config;
mod input;
mod network;
mod pattern;
mod secret;
mod service;
mod shape;
mod stack;
mod target;
mod task;
mod verify;
mod volume;

pub(crate) use pattern::PATTERN;
pub use shape::{Grammar, Key, Shape, TableShape};
pub use stack::ROOT;
pub(crate) use target::TARGET;
pub(crate) use verify::verify;

/// Every table of the language by its heading in the reference, in the order in which to read about them.
pub const TABLES: &[(&str, &TableShape)] = &[
    ("stack", &stack::STACK),
    ("input.NAME", &input::INPUT),
    ("build.NAME", &build::BUILD),
    ("pattern.NAME", &PATTERN),
    ("service.NAME", &service::SERVICE),
    ("service.NAME.port.NAME", &service::PORT),
    ("service.NAME.health", &service::HEALTH),
    ("task.NAME", &task::TASK),
    ("mount", &service::MOUNT),
    ("volume.NAME", &volume::VOLUME),
    ("config.NAME", &config::CONFIG),
    ("config.NAME.key.NAME", &config::FILE),
    ("secret.NAME", &secret::SECRET),
    ("secret.NAME.key.NAME", &secret::KEY),
    ("network.NAME", &network::NETWORK),
    ("target.NAME", &TARGET),
];

#[cfg(test)]
mod tests;
