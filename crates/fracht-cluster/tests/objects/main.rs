//! Tests on the objects of whole stacks.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::too_many_lines,
    reason = "a test that panics has failed, which is what it is for"
)]

mod api_server;
mod broken;
mod changes;
mod cluster;
mod consistency;
mod details;
mod differences;
mod difficult;
mod examples;
mod features;
mod gates;
mod kubelet;
mod meaning;
mod policies;
mod problems;
mod refused;
mod restricted;
mod round_trip;
mod scheduler;
mod server;
mod sets;
mod yaml;

use fracht_testkit::files;
use fracht_testkit::rendered::{Generated, generated, object, objects, of_stack, text as rendered};
use fracht_testkit::stacks::{NAMES, demo};
