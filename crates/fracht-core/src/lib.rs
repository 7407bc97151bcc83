//! Fracht's core: the text of a stack file in; diagnostics, a checked model and plans out.
//!
//! It never prints, never reads arguments or the environment, never ends the process, and reads files
//! only through [`files::Files`]. The stages, in order:
//!
//! 1. `include` and `syntax`: text to a tree in which every value keeps its place
//! 2. [`language`]: the check of shapes, over the whole file at once
//! 3. [`layer`]: patterns, the stack file and targets laid together
//! 4. `read` and `resolve`: the merged tree to the [`model`], names to ids, references to what they mean
//! 5. [`rules`]: what a reader of the model would object to
//! 6. [`plan`]: order and ports
//!
//! [`check::Project`] runs them. [`cover`] says what of all this may be shown.

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
pub mod model;
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
