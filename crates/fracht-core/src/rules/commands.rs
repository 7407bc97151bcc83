//! The rule on command lines that are not split into words.

use super::Rule;
use super::written::{Owner, commands};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Container, Model};
use crate::source::Span;

pub(super) static COMMAND_IN_ONE_WORD: Rule = Rule {
    name: "command-in-one-word",
    severity: Severity::Warning,
    summary: "A command line is written as one word",
    why: "No shell splits it: the whole text is taken as the name of a program, which does not exist.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nprogram = [\"serve --level info\"]\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nprogram = [\"serve\", \"--level\", \"info\"]\n",
    ..Rule::BASE
};

/// The first words of the commands of a container, with their places.
fn programs(container: &Container) -> impl Iterator<Item = (String, Option<Span>)> {
    let program = container.program.iter().filter_map(|words| words.first());
    let program = program.map(|word| (word.plain_text().into_owned(), word.origin.span()));
    let commands = commands(container).filter_map(|command| command.first());
    program.chain(commands.map(|word| (word.value.to_string(), word.span())))
}

/// Whether a program is a command line. A path may have blanks of its own: `/opt/Tide Desk/serve`.
fn is_line(program: &str) -> bool {
    let trimmed = program.trim();
    let Some((first, rest)) = trimmed.split_once(char::is_whitespace) else { return false };
    !(first.contains('/') && rest.contains('/') && !rest.trim_start().starts_with(['-', '/']))
}

pub(super) fn command_in_one_word(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model) {
        for (program, place) in programs(container).filter(|(program, _)| is_line(program)) {
            let Some(place) = place else { continue };
            let message = format!("a command of `{}` is written as one word", owner.reference());
            let problem =
                Diagnostic::new(&COMMAND_IN_ONE_WORD, message).at(place, "no program has this name");
            let needs_shell = program.contains(|c: char| "|&;<>$`*\"'()\\{}\n".contains(c));
            let problem = if needs_shell {
                problem.help("let a shell read it: `[\"sh\", \"-c\", \"COMMAND\"]`")
            } else {
                let words: Vec<String> =
                    program.split_whitespace().map(|word| format!("\"{word}\"")).collect();
                problem.fix(place, words.join(", "), "write each word as an item of the list")
            };
            sink.push(owner.owns(problem));
        }
    }
}
