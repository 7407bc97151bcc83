//! What was given for the inputs of a stack: arguments, a file, the environment.

use std::path::Path;

use fracht_core::check::Project;
use fracht_core::grammar::lines;
use fracht_core::input::{Given, InputSource, variable_name};

use crate::cli::Common;
use crate::disk;
use crate::failure::Failure;

/// Gathers what was given; a name that is no input of the stack is refused.
pub(crate) fn given(common: &Common, project: &Project<'_>) -> Result<Given, Failure> {
    let mut given = Given::default();
    for input in project.inputs() {
        // A value that is no text can't be part of one.
        if let Ok(value) = std::env::var(variable_name(input)) {
            given.give(input, InputSource::Variable, &value);
        }
    }
    if let Some(path) = &common.inputs {
        from_file(path, &mut given)?;
    }
    for argument in &common.input {
        let Some((name, value)) = argument.split_once('=') else {
            return Err(Failure::new("--input takes NAME=VALUE.", "For example: --input version=1.4.2"));
        };
        given.give(name, InputSource::Argument, value);
    }
    let known: Vec<&str> = project.inputs().collect();
    if let Some(unknown) = given.named().find(|name| !known.contains(name)) {
        let help = if known.is_empty() {
            "It has none: an input is a table [input.NAME].".to_owned()
        } else {
            format!("Its inputs are: {}.", known.join(", "))
        };
        return Err(Failure::new(format!("The stack has no input {unknown}."), help));
    }
    Ok(given)
}

fn from_file(path: &Path, given: &mut Given) -> Result<(), Failure> {
    let shown = crate::stack::shown(path);
    let text = disk::argument(path).map_err(|error| {
        Failure::new(
            format!("The file {shown} can't be read: {error}."),
            "--inputs takes a file of NAME=value lines.",
        )
    })?;
    let (settings, broken) = lines::parse(&text);
    if let Some(line) = broken.first() {
        let number = text.get(..line.at.start).unwrap_or_default().matches('\n').count() + 1;
        return Err(Failure::new(
            format!("{shown}:{number} can't be read: {}.", line.reason),
            "Write NAME=value.",
        ));
    }
    for setting in settings {
        given.give(&setting.key, InputSource::File, &setting.value);
    }
    Ok(())
}
