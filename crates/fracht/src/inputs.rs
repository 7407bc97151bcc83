//! Collects the inputs of a stack from arguments, a file and the environment.

use std::path::Path;

use fracht_core::check::Project;
use fracht_core::diag::nearest;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;
use fracht_core::grammar::lines;
use fracht_core::input::{InputSource, InputValues, variable_name};

use crate::cli::StackChoice;
use crate::disk;
use crate::failure::Failure;

/// Collects the values. A name that is not an input of the stack is an error.
pub(crate) fn values(choice: &StackChoice, project: &Project<'_>) -> Result<InputValues, Failure> {
    let mut values = InputValues::default();
    for input in project.inputs() {
        // A value that is not UTF-8 cannot be part of a text.
        if let Ok(value) = std::env::var(variable_name(input)) {
            values.set(input, InputSource::Variable, &value);
        }
    }
    if let Some(path) = &choice.inputs {
        from_file(path, &mut values)?;
    }
    for argument in &choice.input {
        let Some((name, value)) = argument.split_once('=') else {
            return Err(Failure::new("`--input` must be NAME=VALUE", "for example `--input version=1.4.2`"));
        };
        values.set(name, InputSource::Argument, value);
    }
    let known: Vec<&str> = project.inputs().collect();
    // A file that could not be read, which is reported, may have it.
    if let Some(unknown) = values.named().find(|name| !known.contains(name)).filter(|_| project.is_whole()) {
        let help = if known.is_empty() {
            "this stack has no inputs; add one as `[input.NAME]`".to_owned()
        } else {
            match nearest(unknown, known.iter().copied()) {
                Some(near) => format!("did you mean `{near}`? this stack has: {}", known.join(", ")),
                None => format!("this stack has: {}", known.join(", ")),
            }
        };
        return Err(Failure::new(format!("input `{unknown}` not found"), help));
    }
    Ok(values)
}

fn from_file(path: &Path, values: &mut InputValues) -> Result<(), Failure> {
    let shown = escaped_path(path);
    let text = disk::argument(path).map_err(|error| {
        Failure::new(
            format!("cannot read `{shown}`: {}", reason(&error)),
            "`--inputs` must be a file of NAME=value lines",
        )
    })?;
    let (settings, broken) = lines::parse(&text);
    if let Some(line) = broken.first() {
        let number = text.get(..line.at.start).unwrap_or_default().matches('\n').count() + 1;
        return Err(Failure::new(
            format!("invalid line `{shown}:{number}`: {}", line.reason),
            "write NAME=value",
        ));
    }
    for setting in settings {
        values.set(&setting.key, InputSource::File, &setting.value);
    }
    Ok(())
}
