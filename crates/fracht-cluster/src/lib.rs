//! Renders a checked stack into Kubernetes objects, and compares sets of objects.
//!
//! The input is a [`Checked`](fracht_core::check::Checked) model, which has no errors. [`Rendering`] lists the objects
//! in the order in which to apply them and checks them together. Objects are built and written one after the other, so
//! that a large stack needs little memory. [`diff`] compares two sets of objects.
//!
//! ```
//! use std::path::Path;
//!
//! use fracht_cluster::{Comments, Format, Rendering};
//! use fracht_core::check::Project;
//! use fracht_core::files::MemoryFiles;
//!
//! let stack = "[stack]\nname = \"tidedesk\"\n[service.api]\nimage = \"registry.example/tidedesk/api:1.4.0\"\n";
//! let files = MemoryFiles::default().with("/s/fracht.toml", stack);
//! let mut project = Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml"))?;
//! let verdict = project.check("cluster").expect("the default target");
//!
//! let rendering = Rendering::new(verdict.checked().expect("a stack without errors"));
//! assert!(rendering.problems().is_empty());
//! let kinds: Vec<&str> = rendering.planned().iter().map(|object| rendering.identity(*object).0).collect();
//! assert_eq!(kinds, ["Namespace", "NetworkPolicy", "Deployment"]);
//!
//! let mut yaml = Vec::new();
//! rendering.write(Format::Yaml, Comments::None, &mut yaml)?;
//! assert!(yaml.starts_with(b"apiVersion: v1\nkind: Namespace\n"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Each kind of object has a file of its own with a function from the model to the typed object.

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
mod port;
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

pub use name::{open_service_name, secret_name, side_name};
pub use object::{Object, text_at, through_its_kind};
pub use plan::{ObjectOrigin, PlannedObject};
pub use read::{ReadError, objects as read_objects};
pub use rendering::{Rendering, SecretValues};
pub use write::{Comments, File, Format};

/// The list, or `None` if it is empty, so that the field is left out.
fn filled<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}
