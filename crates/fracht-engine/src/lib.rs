//! Runs a checked stack of a machine target on a container engine.
//!
//! The way is always the same: from the model what there should be ([`desired`]), from the engine what there is
//! ([`actual`]), from both the steps ([`steps`]), which [`run`] takes. It knows no terminal and no arguments.

pub mod actual;
pub mod api;
pub mod build;
pub mod desired;
pub mod ending;
pub mod output;
pub mod parallel;
pub mod probe;
pub mod run;
pub mod stand_in;
pub mod steps;
pub mod transport;
