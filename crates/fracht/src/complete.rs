//! Completes the names of a stack: its targets, inputs and tables. A stack that cannot be read completes nothing; a
//! message would disturb the line that is being typed.

use std::ffi::OsStr;
use std::mem::ManuallyDrop;

use clap::{Command, CommandFactory as _};
use clap_complete::{ArgValueCompleter, CompletionCandidate};
use fracht_core::check::Project;
use fracht_core::escape::is_unsafe;
use fracht_core::rules;

use crate::cli::{Cli, StackChoice};
use crate::stack;

/// The candidates that begin with the text typed so far.
type Completer = fn(&OsStr) -> Vec<CompletionCandidate>;

/// The completer of each argument that has one, in every command, by the argument's name in `cli`.
const COMPLETERS: [(&str, Completer); 7] = [
    ("against", targets),
    ("behind", workloads),
    ("input", inputs),
    ("path", tables),
    ("rule", rules),
    ("target", targets),
    ("workload", workloads),
];

/// The command line, with completers.
pub(crate) fn command() -> Command {
    Cli::command().mut_subcommands(|command| {
        let (renders, creates) = (command.get_name() == "render", command.get_name() == "new");
        command.mut_args(|argument| {
            let name = match argument.get_id().as_str() {
                // Of objects, there is no list of names.
                "only" if !renders => "workload",
                "names" => "workload",
                // A new stack has none yet.
                "name" if !creates => "workload",
                name => name,
            };
            match COMPLETERS.iter().find(|(known, _)| *known == name) {
                Some((_, completer)) => argument.add(ArgValueCompleter::new(*completer)),
                None => argument,
            }
        })
    })
}

fn project() -> Option<ManuallyDrop<Project<'static>>> {
    stack::open(&StackChoice::default()).ok()
}

/// The words that begin with `current`, each with its help.
fn starting_with(
    current: &OsStr,
    words: impl IntoIterator<Item = (String, Option<String>)>,
) -> Vec<CompletionCandidate> {
    let Some(current) = current.to_str() else { return Vec::new() };
    // A name with characters that act on the terminal is left out.
    let words = words.into_iter().filter(|(word, _)| word.starts_with(current) && !word.contains(is_unsafe));
    words.map(|(word, help)| CompletionCandidate::new(word).help(help.map(Into::into))).collect()
}

/// The targets of the stack.
fn targets(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.targets().names());
    starting_with(current, names.map(|name| (name.to_owned(), None)))
}

/// The inputs of the stack, each with a `=` after it.
fn inputs(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.inputs());
    starting_with(current, names.map(|name| (format!("{name}="), None)))
}

/// The tables of the stack: services, tasks and so on.
fn tables(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let names = project.iter().flat_map(|project| project.tables());
    starting_with(current, names.map(|name| (name, None)))
}

/// The services and tasks of the stack.
fn workloads(current: &OsStr) -> Vec<CompletionCandidate> {
    let project = project();
    let tables = project.iter().flat_map(|project| project.tables());
    let names = tables.filter_map(|table| {
        let name = table.strip_prefix("service.").or_else(|| table.strip_prefix("task."))?;
        Some((name.to_owned(), None))
    });
    starting_with(current, names)
}

/// The rules.
fn rules(current: &OsStr) -> Vec<CompletionCandidate> {
    starting_with(current, rules::all().map(|rule| (rule.name.to_owned(), Some(rule.summary.to_owned()))))
}
