//! The built program, run on files in a temporary folder.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::too_many_lines,
    reason = "a test that panics has failed, which is what it is for"
)]

mod architecture;
mod beside;
mod canary;
mod check;
mod demo;
mod diff;
mod docs;
mod draw;
mod examples;
mod files;
mod fix;
mod folder;
mod gates;
mod growth;
mod help;
mod hostile;
mod images;
mod inputs;
mod json_schema;
mod live;
mod lock;
mod machine;
mod new;
mod plans;
mod reach;
mod real_engine;
mod render;
mod root;
mod sandbox;
mod sarif;
mod schema;
mod show;
mod trace;
