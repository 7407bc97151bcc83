//! From a checked stack to Kubernetes objects, and from those to YAML or JSON.
//!
//! One file for each kind of object. [`Rendering`] lists what is to be made, in the order to apply it;
//! objects are built and written one after the other, so that a large stack needs little memory.

mod autoscaler;
mod beyond;
mod claim;
mod config_map;
mod container;
mod deployment;
pub mod diff;
mod disruption;
mod env;
mod expansion;
mod field_order;
mod gate;
mod http_route;
mod job;
mod labels;
mod name;
mod namespace;
mod network_policy;
mod object;
mod outside;
mod passed;
mod patch;
mod plan;
mod pod;
mod probe;
mod read;
mod rendering;
mod rights;
mod secret;
mod security;
mod service;
mod stateful_set;
mod storage;
mod strict;
mod token;
mod web;
mod write;

pub use name::{outer_name, secret_name, side_name};
pub use object::{Object, text_at, through_its_kind};
pub use plan::{Origin, PlannedObject};
pub use read::{ReadError, objects as read_objects};
pub use rendering::{Rendering, SecretValues};
pub use write::{Comments, File, Format};

/// The list, unless it is empty: what is empty is left out of objects.
fn filled<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}
