//! What the tests of several crates share: stacks as files, written and random ones, and their objects.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::missing_panics_doc,
    reason = "a test that panics has failed, which is what it is for"
)]

#[cfg(feature = "objects")]
pub mod as_json;
pub mod generator;
pub mod random_stack;
#[cfg(feature = "registry")]
pub mod registry;
#[cfg(feature = "objects")]
pub mod rendered;
pub mod sets;
pub mod stacks;

use fracht_core::check::{Project, Verdict};
use fracht_core::files::MemoryFiles;

/// The path of the stack file in all files of tests.
pub const STACK_FILE: &str = "/s/fracht.toml";

/// A stack file as files.
pub fn files(stack: &str) -> MemoryFiles {
    MemoryFiles::default().with(STACK_FILE, stack)
}

/// Opens the stack file of some files.
pub fn open(files: &MemoryFiles) -> Project<'_> {
    let path = std::path::Path::new(STACK_FILE);
    Project::open(files, path, path).unwrap_or_else(|error| panic!("{error}"))
}

/// The verdict on a stack for one of its targets.
pub fn verdict(files: &MemoryFiles, target: &str) -> Verdict {
    open(files).check(target).unwrap_or_else(|| panic!("no target {target}"))
}
