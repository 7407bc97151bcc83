//! Asks image registries, by the OCI distribution specification 1.1: whether an image is there, its digest, platforms,
//! size and age, what it says of itself, and which tags there are.
//!
//! It asks only when it is called, and never changes anything. It knows no terminal, no environment and no files: logins
//! and addresses are passed to it.

mod challenge;
mod client;
pub mod login;
mod look;
mod manifest;
pub mod place;
mod versions;

pub use client::{Client, RegistryError};
pub use look::look;
