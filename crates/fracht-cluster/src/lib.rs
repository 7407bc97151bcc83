//! From a checked stack to Kubernetes objects, and from those to YAML or JSON.
//!
//! One file for each kind of object. [`Rendering`] lists what is to be made, in the order to apply it;
//! objects are built and written one after the other, so that a large stack needs little memory.

mod claim;
mod config_map;
mod deployment;
mod env;
mod gate;
mod job;
mod labels;
mod name;
mod namespace;
mod object;
mod pod;
mod probe;
mod rendering;
mod rights;
mod secret;
mod service;
mod storage;
mod write;

pub use object::Object;
pub use rendering::{Options, Piece, Rendering, SecretValues};
pub use write::{File, Format};
