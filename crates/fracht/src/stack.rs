//! Finds the stack file, opens it and looks at it under a target.

use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use fracht_core::check::{Project, Verdict};
use fracht_core::cover::escaped;

use crate::cli::{Common, TargetChoice};
use crate::disk::Disk;
use crate::failure::Failure;
use crate::inputs;

/// The name of a stack file.
const FILE_NAME: &str = "fracht.toml";

/// Finds the stack file and reads it.
///
/// It is never taken apart again: the process ends soon after, and taking apart a large stack takes time.
pub(crate) fn open(common: &Common) -> Result<ManuallyDrop<Project<'static>>, Failure> {
    let shown = find(common)?;
    let path = std::path::absolute(&shown).map_err(|error| {
        Failure::new(format!("The current folder can't be told: {error}."), "Change to another folder.")
    })?;
    let disk = Disk::beside(&path).map_err(|error| {
        let message = format!("The folder of {} can't be opened: {error}.", self::shown(&shown));
        Failure::new(message, "Name the stack file with --stack FILE.")
    })?;
    // It is needed to the end of the program.
    let disk: &'static Disk = Box::leak(Box::new(disk));
    let mut project = Project::open(disk, &path, &shown).map(ManuallyDrop::new).map_err(|error| {
        let message = format!("The stack file {} is of no use: {error}.", self::shown(&shown));
        Failure::new(message, "`fracht demo` writes an example of a stack file.")
    })?;
    let given = inputs::given(common, &project)?;
    project.give(given);
    Ok(project)
}

/// The path of the stack file, as short as it can be said from here.
fn find(common: &Common) -> Result<PathBuf, Failure> {
    if let Some(path) = &common.stack {
        return if path.is_dir() {
            let file = path.join(FILE_NAME);
            if file.exists() {
                return Ok(file);
            }
            let message = format!("The folder {} has no {FILE_NAME}.", shown(path));
            Err(Failure::new(message, "Name the file itself with --stack FILE."))
        } else if path.exists() {
            Ok(path.clone())
        } else {
            let message = format!("There is no {}.", shown(path));
            Err(Failure::new(message, "--stack takes a stack file, or the folder that it is in."))
        };
    }
    let here = std::env::current_dir().map_err(|error| {
        Failure::new(format!("The current folder can't be told: {error}."), "Change to another folder.")
    })?;
    let mut up = PathBuf::new();
    for folder in here.ancestors() {
        if folder.join(FILE_NAME).is_file() {
            return Ok(up.join(FILE_NAME));
        }
        up.push("..");
    }
    Err(Failure::new(
        format!("There is no {FILE_NAME} in this folder or one above it."),
        "Name one with --stack PATH, or see an example with `fracht demo`.",
    ))
}

/// The name of the target that a command is about.
pub(crate) fn target(project: &Project<'_>, choice: &TargetChoice) -> Result<String, Failure> {
    let names: Vec<&str> = project.targets().names().collect();
    let known = names.join(", ");
    match (&choice.target, names.as_slice()) {
        (Some(name), _) if names.contains(&name.as_str()) => Ok(name.clone()),
        (Some(name), _) => {
            let message = format!("The stack has no target {name}.");
            Err(Failure::new(message, format!("Its targets are: {known}.")))
        }
        (None, [only]) => Ok((*only).to_owned()),
        (None, _) => {
            Err(Failure::new("The stack has several targets.", format!("Choose one with -t NAME: {known}.")))
        }
    }
}

/// Reads and checks the stack under a target that [`target`] has named. Like the project, what comes of it
/// is never taken apart.
pub(crate) fn verdict(project: &mut Project<'_>, target: &str) -> Result<ManuallyDrop<Verdict>, Failure> {
    project.check(target).map(ManuallyDrop::new).ok_or_else(|| {
        Failure::new(format!("The stack has no target {target}."), "See the stack file for its targets.")
    })
}

/// A path in a message: what would act on a terminal is written out.
pub(crate) fn shown(path: &Path) -> String {
    escaped(&path.display().to_string()).into_owned()
}
