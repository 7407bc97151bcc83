//! What can be completed from the stack at hand. A completion never says what is wrong: it has no words then.

use std::ffi::OsStr;
use std::mem::ManuallyDrop;

use clap_complete::CompletionCandidate;
use fracht_core::check::Project;
use fracht_core::cover::is_unsafe;
use fracht_core::rules;

use crate::cli::StackChoice;
use crate::stack;

fn project() -> Option<ManuallyDrop<Project<'static>>> {
    stack::open(&StackChoice::default()).ok()
}

/// The candidates that begin with what is there.
fn beginning(
    current: &OsStr,
    words: impl IntoIterator<Item = (String, Option<String>)>,
) -> Vec<CompletionCandidate> {
    let Some(current) = current.to_str() else { return Vec::new() };
    // A name that would act on the terminal can't be chosen.
    let words = words.into_iter().filter(|(word, _)| word.starts_with(current) && !word.contains(is_unsafe));
    words.map(|(word, help)| CompletionCandidate::new(word).help(help.map(Into::into))).collect()
}

/// The targets of the stack.
pub(crate) fn targets(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.targets().names());
    beginning(current, names.map(|name| (name.to_owned(), None)))
}

/// The inputs of the stack, each with a `=` behind it.
pub(crate) fn inputs(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.inputs());
    beginning(current, names.map(|name| (format!("{name}="), None)))
}

/// The tables of the stack: services, tasks and so on.
pub(crate) fn paths(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.tables());
    beginning(current, names.map(|name| (name, None)))
}

/// The rules.
pub(crate) fn rules(current: &OsStr) -> Vec<CompletionCandidate> {
    beginning(current, rules::all().map(|rule| (rule.name.to_owned(), Some(rule.summary.to_owned()))))
}
