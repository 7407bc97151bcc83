//! Tests of the core through its public interface: stack files in, verdicts and plans out.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::too_many_lines,
    reason = "a test that panics has failed, which is what it is for"
)]

mod damage;
mod images;
mod keys;
mod layers;
mod limits;
mod looked;
mod one_message;
mod order;
mod pins;
mod ports;
mod reading;
mod references;
mod style;
mod traces;
mod values;
mod vocabulary;

use std::path::Path;

use fracht_core::check::{Project, Verdict};
use fracht_core::files::MemoryFiles;

/// The verdict on a stack file for one of its targets; `None` if it has no such target.
fn maybe_verdict(stack: &str, target: &str) -> Option<Verdict> {
    let files = MemoryFiles::default().with("/s/fracht.toml", stack);
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap_or_else(|error| panic!("{error}\n{stack}"));
    project.check(target)
}

/// The verdict on a stack file for one of its targets.
fn verdict(stack: &str, target: &str) -> Verdict {
    maybe_verdict(stack, target).unwrap_or_else(|| panic!("no target {target}"))
}

/// The verdict, which must have no errors.
fn good(stack: &str, target: &str) -> Verdict {
    let verdict = verdict(stack, target);
    assert!(verdict.checked().is_some(), "{:#?}\n{stack}", verdict.report.findings());
    verdict
}

/// The names of the rules that a stack fails, in the order of the file.
fn failed(stack: &str, target: &str) -> Vec<&'static str> {
    verdict(stack, target).report.findings().iter().map(|finding| finding.diagnostic.rule.name).collect()
}
