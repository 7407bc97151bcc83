//! Renders a checked stack into Kubernetes objects, and compares sets of objects.
//!
//! The input is a [`Checked`](fracht_core::check::Checked) model, which has no errors. [`Rendering`] lists the objects
//! in the order in which to apply them and checks them together. Objects are built and written one after the other, so
//! that a large stack needs little memory. [`compare`] compares two sets of objects.
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
//! let rendering = Rendering::plan(verdict.checked().expect("a stack without errors")).expect("objects that fit");
//! let kinds: Vec<&str> = rendering.planned().iter().map(|object| object.kind()).collect();
//! assert_eq!(kinds, ["Namespace", "NetworkPolicy", "Deployment"]);
//!
//! let mut yaml = Vec::new();
//! rendering.write(Format::Yaml, Comments::None, &mut yaml)?;
//! assert!(yaml.starts_with(b"apiVersion: v1\nkind: Namespace\n"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Each kind of object has a file of its own in `kinds`, with a function from the facts of a stack to the object. The
//! types of objects are in `api`.

mod api;
mod brought;
pub mod compare;
mod config_digest;
mod container;
mod facts;
mod gate;
mod group;
mod kinds;
mod labels;
mod name;
mod object;
mod plan;
mod pod;
mod port;
mod read;
mod rendering;
mod schema;
mod write;
mod yaml_value;

pub use kinds::SecretValues;
pub use name::{open_service_name, secret_name, side_name};
pub use object::text_at;
pub use plan::{ObjectOrigin, PlannedObject};
pub use read::{ReadError, objects as read_objects};
pub use rendering::{Rendering, problems, problems_beside};
pub use schema::misfits_in_words as misfits;
pub use write::{Comments, File, Format};
