//! What Fracht's own code does is what large libraries do.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a test that panics has failed, which is what it is for"
)]

mod objects;
mod patterns;
mod yaml;
