//! Finds the stack file, opens it and checks it for a target.

use std::mem::ManuallyDrop;
use std::path::PathBuf;

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::nearest;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use crate::cli::StackChoice;
use crate::disk::Disk;
use crate::failure::Failure;
use crate::inputs;

/// The usual name of a stack file.
const FILE_NAME: &str = "fracht.toml";

/// Finds the stack file and reads it.
///
/// It is never dropped: the process ends soon, and dropping a large stack takes time.
pub(crate) fn open(choice: &StackChoice) -> Result<ManuallyDrop<Project<'static>>, Failure> {
    let (path, shown) = paths(choice)?;
    let disk = Disk::beside(&path).map_err(|error| {
        let message = format!("cannot open the folder of `{}`: {}", escaped_path(&shown), reason(&error));
        Failure::new(message, "name the stack file with `--stack FILE`")
    })?;
    // It is used until the program ends.
    let disk: &'static Disk = Box::leak(Box::new(disk));
    let mut project = Project::open(disk, &path, &shown).map(ManuallyDrop::new).map_err(|error| {
        let message = format!("cannot use stack file `{}`: {error}", escaped_path(&shown));
        Failure::new(message, "`fracht demo` creates an example of a stack file")
    })?;
    let values = inputs::values(choice, &project)?;
    project.set_inputs(values);
    Ok(project)
}

/// The path of the stack file: absolute, and as it is shown.
pub(crate) fn paths(choice: &StackChoice) -> Result<(PathBuf, PathBuf), Failure> {
    let shown = find(choice)?;
    let path = std::path::absolute(&shown).map_err(|error| {
        Failure::new(format!("cannot determine the current folder: {error}"), "change to another folder")
    })?;
    Ok((path, shown))
}

/// The path of the stack file, as short as possible from the current folder.
fn find(choice: &StackChoice) -> Result<PathBuf, Failure> {
    if let Some(path) = &choice.stack {
        return if path.is_dir() {
            let file = path.join(FILE_NAME);
            if file.exists() {
                return Ok(file);
            }
            let message = format!("no `{FILE_NAME}` in folder `{}`", escaped_path(path));
            Err(Failure::new(message, "name the file itself with `--stack FILE`"))
        } else if path.exists() {
            Ok(path.clone())
        } else {
            let message = format!("`{}` not found", escaped_path(path));
            Err(Failure::new(message, "`--stack` must be a stack file, or the folder that contains it"))
        };
    }
    let here = std::env::current_dir().map_err(|error| {
        Failure::new(format!("cannot determine the current folder: {error}"), "change to another folder")
    })?;
    let mut up = PathBuf::new();
    for folder in here.ancestors() {
        if folder.join(FILE_NAME).is_file() {
            return Ok(up.join(FILE_NAME));
        }
        up.push("..");
    }
    Err(Failure::new(
        format!("no `{FILE_NAME}` in this folder or any folder above"),
        "create one with `fracht new`, name one with `--stack PATH`, or see an example with `fracht demo`",
    ))
}

/// The target of a command: the chosen one, or the only one.
pub(crate) fn target(project: &Project<'_>, choice: Option<&str>) -> Result<String, Failure> {
    let names: Vec<&str> = project.targets().names().collect();
    let known = names.join(", ");
    match (choice, names.as_slice()) {
        (Some(name), _) if names.contains(&name) => Ok(name.to_owned()),
        (Some(name), _) => {
            let message = format!("target `{name}` not found");
            let near = nearest(name, names.iter().copied());
            let question = near.map_or_else(String::new, |near| format!("did you mean `{near}`? "));
            Err(Failure::new(message, format!("{question}this stack has: {known}")))
        }
        (None, [only]) => Ok((*only).to_owned()),
        (None, _) => {
            Err(Failure::new("this stack has several targets", format!("choose one with `-t NAME`: {known}")))
        }
    }
}

/// Checks the stack for a target that [`target`] has found. Like the project, the verdict is never dropped.
pub(crate) fn verdict(project: &mut Project<'_>, target: &str) -> Result<ManuallyDrop<Verdict>, Failure> {
    project.check(target).map(ManuallyDrop::new).ok_or_else(|| {
        Failure::new(
            format!("target `{target}` not found"),
            "see `fracht check` for the targets of this stack",
        )
    })
}
