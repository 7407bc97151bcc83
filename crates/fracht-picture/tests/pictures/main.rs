//! Tests of pictures as data, over made-up stacks, and of what is written of them.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a test that panics has failed, which is what it is for"
)]

mod forms;
mod geometry;
mod made_up;

use fracht_core::check::Verdict;
use fracht_picture::{By, Choice, Diagram};
use fracht_testkit::{files, verdict};

/// The verdict on a stack file.
fn checked(stack: &str, target: &str) -> Verdict {
    verdict(&files(stack), target)
}

/// The diagram of a stack file.
fn diagram(stack: &str, target: &str, by: By) -> Diagram {
    let choice = Choice { configs: true, secrets: true, by, ..Choice::default() };
    Diagram::of(&checked(stack, target).facts, &choice)
}
