//! The core of Fracht: reads a stack file, checks it and plans it.
//!
//! The input is the text of a stack file, which describes services, tasks, networks, volumes, ports, configs and
//! secrets. The output is data: a report of problems, a checked model, and plans of what follows from it. This crate
//! never prints, never reads arguments, the environment or the clock, and reads files only through [`files::Files`].
//!
//! ```
//! use std::path::Path;
//!
//! use fracht_core::check::Project;
//! use fracht_core::files::MemoryFiles;
//!
//! let stack = r#"
//!     [stack]
//!     name = "tidedesk"
//!
//!     [service.db]
//!     image = "registry.example/base/postgres:16.4"
//!     port.sql = 5432
//!     health = { tcp = "sql" }
//!     mount."/var/lib/postgresql/data" = "volume.tides"
//!
//!     [volume.tides]
//!     size = "20Gi"
//!
//!     [service.api]
//!     image = "registry.example/tidedesk/api:1.4.0"
//!     after.db = "ready"
//!     env.DB_ADDRESS = "{service.db/sql}"
//! "#;
//! let files = MemoryFiles::default().with("/s/fracht.toml", stack);
//! let mut project = Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml"))?;
//!
//! // A stack without targets has one: `cluster`.
//! let verdict = project.check("cluster").expect("the default target");
//! let messages: Vec<&str> =
//!     verdict.report.findings().iter().map(|finding| &*finding.diagnostic.message).collect();
//! assert_eq!(messages, [""; 0]);
//!
//! let order = &verdict.facts.order;
//! let model = &verdict.facts.model;
//! let names = |wave: &[_]| wave.iter().map(|id| &*model.workloads[*id].name).collect::<Vec<_>>();
//! assert_eq!(order.waves.iter().map(|wave| names(wave)).collect::<Vec<_>>(), [["db"], ["api"]]);
//! # Ok::<(), fracht_core::check::OpenError>(())
//! ```
//!
//! # Stages
//!
//! [`check::Project`] runs the stages in this order:
//!
//! 1. `include` and `syntax` parse the files into a [`tree`], in which every key and value keeps its place.
//! 2. The check of shapes compares the tree with the [`language`].
//! 3. [`layer`] merges patterns, the stack file and targets.
//! 4. `read` and `resolve` turn the merged tree into the [`model`], names into ids, and references into values.
//! 5. [`rules`] find the problems of the model.
//!
//! What follows from a model is in its [`plan::facts::Facts`], which rules, commands and back ends share. [`cover`] hides secrets in everything that is shown.

pub mod check;
pub mod cover;
pub mod diag;
pub mod digest;
pub mod escape;
pub mod files;
pub mod grammar;
mod graph;
mod include;
pub mod input;
pub mod language;
pub mod layer;
mod levels;
pub mod lock;
pub mod model;
pub mod ordered_map;
pub mod origin;
pub mod plan;
mod read;
mod resolve;
pub mod reveal;
pub mod rules;
pub mod source;
mod syntax;
pub mod trace;
pub mod tree;
