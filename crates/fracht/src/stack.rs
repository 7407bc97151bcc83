//! Finds the stack file, opens it and checks it for a target.

use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::{listing, nearest};
use fracht_core::escape::{escaped, escaped_path};
use fracht_core::files::reason;
use fracht_core::lock;
use fracht_core::model::{Model, TargetKind, WorkloadId};

use crate::cli::{PlanChoice, StackChoice};
use crate::disk::Disk;
use crate::failure::Failure;
use crate::inputs;
use crate::ui::Ui;

/// The usual name of a stack file.
const FILE_NAME: &str = "fracht.toml";

/// Finds the stack file and reads it.
///
/// It is never dropped: the process ends soon, and dropping a large stack takes time.
pub(crate) fn open(choice: &StackChoice) -> Result<ManuallyDrop<Project<'static>>, Failure> {
    let Location { path, shown, root } = locate(choice)?;
    let disk = Disk::within(&root, &path).map_err(|error| {
        let message = format!("cannot open the folder of `{}`: {}", escaped_path(&shown), reason(&error));
        Failure::new(message, "name the stack file with `--stack FILE`")
    })?;
    // It is used until the program ends.
    let disk: &'static Disk = Box::leak(Box::new(disk));
    let project = Project::open_within(disk, &root, &path, &shown).map(ManuallyDrop::new);
    let mut project = project.map_err(|error| {
        let message = format!("cannot use stack file `{}`: {error}", escaped_path(&shown));
        Failure::new(message, "`fracht demo` creates an example of a stack file")
    })?;
    let values = inputs::values(choice, &project)?;
    project.set_inputs(values);
    Ok(project)
}

/// Where a stack is.
pub(crate) struct Location {
    /// The absolute path of the stack file.
    pub(crate) path: PathBuf,
    /// The path as it is shown.
    pub(crate) shown: PathBuf,
    /// The folder whose files the stack may use: its own, or one above it that the person allows.
    pub(crate) root: PathBuf,
}

/// The variable that allows a folder above the stack.
const ROOT_VARIABLE: &str = "FRACHT_ROOT";

/// Where the chosen stack is.
pub(crate) fn locate(choice: &StackChoice) -> Result<Location, Failure> {
    let absolute = |path: &Path| {
        std::path::absolute(path).map_err(|error| {
            let message = format!("cannot determine the current folder: {error}");
            Failure::new(message, "change to another folder")
        })
    };
    let shown = find(choice)?;
    let path = absolute(&shown)?;
    let folder = path.parent().unwrap_or(Path::new("/"));
    let allowed = choice.root.clone().or_else(|| std::env::var_os(ROOT_VARIABLE).map(PathBuf::from));
    let Some(allowed) = allowed.filter(|root| !root.as_os_str().is_empty()) else {
        let root = folder.to_owned();
        return Ok(Location { path, shown, root });
    };
    let named = format!("`{}`", escaped_path(&allowed));
    let real = |path: &Path| {
        std::fs::canonicalize(path).map_err(|error| {
            let message = format!("cannot open the folder {named}: {}", reason(&error));
            Failure::new(message, "`--root` must be a folder above the stack file")
        })
    };
    // Without links and `..`, so that one is a part of the other.
    let (root, folder) = (real(&allowed)?, real(folder)?);
    if !root.is_dir() || !folder.starts_with(&root) {
        let message = format!("the stack file `{}` is not in {named}", escaped_path(&shown));
        return Err(Failure::new(message, "`--root` must be a folder above the stack file"));
    }
    let file = path.file_name().unwrap_or_default();
    Ok(Location { path: folder.join(file), shown, root })
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

/// The help for something that is not found in a stack that is not whole.
pub(crate) const FILE_MISSING: &str =
    "run `fracht check`: a file of `include`, which may have it, cannot be read";

/// The target of a command: the chosen one, or the only one.
pub(crate) fn target(project: &Project<'_>, choice: Option<&str>) -> Result<String, Failure> {
    let names: Vec<&str> = project.targets().names().collect();
    let known = names.join(", ");
    match (choice, names.as_slice()) {
        (Some(name), _) if names.contains(&name) => Ok(name.to_owned()),
        (Some(name), _) => {
            let message = format!("target `{name}` not found");
            if !project.is_whole() {
                return Err(Failure::new(message, FILE_MISSING));
            }
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

/// The stack and its verdict for the target of a command. Its errors are shown.
pub(crate) fn planned(
    choice: &PlanChoice,
    ui: &mut Ui,
) -> Result<(ManuallyDrop<Project<'static>>, ManuallyDrop<Verdict>), Failure> {
    let (project, verdict) = unseen(choice)?;
    ui.errors(&verdict.report, project.sources());
    Ok((project, verdict))
}

/// The same, without showing the errors.
pub(crate) fn unseen(
    choice: &PlanChoice,
) -> Result<(ManuallyDrop<Project<'static>>, ManuallyDrop<Verdict>), Failure> {
    let mut project = open(&choice.stack)?;
    let target = target(&project, choice.target.name())?;
    let verdict = verdict(&mut project, &target)?;
    Ok((project, verdict))
}

/// The target of a command that looks at this machine: the chosen one, or the only one on a machine.
pub(crate) fn machine_target(project: &Project<'_>, choice: Option<&str>) -> Result<String, Failure> {
    let is_machine = |name: &&str| project.targets().kind(name) == Some(TargetKind::Machine);
    let machines: Vec<&str> = project.targets().names().filter(is_machine).collect();
    match (choice, machines.as_slice()) {
        (None, [only]) => Ok((*only).to_owned()),
        _ => target(project, choice),
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

/// The service or task of a name that an argument gives.
pub(crate) fn workload(model: &Model, name: &str) -> Result<WorkloadId, Failure> {
    let found = model.workloads.entries().find(|(_, one)| *one.name == *name || one.reference() == name);
    found.map(|(id, _)| id).ok_or_else(|| {
        let names = model.workloads.iter().map(|one| &*one.name);
        let near = nearest(name, names.clone());
        let known = || format!("this stack has: {}", listing(names));
        Failure::new(
            format!("service or task `{}` not found", escaped(name)),
            near.map_or_else(known, |near| format!("did you mean `{near}`?")),
        )
    })
}

/// The lock of the chosen stack: its path, and that path as it is shown.
pub(crate) fn lock_path(choice: &StackChoice) -> Result<(PathBuf, String), Failure> {
    let location = locate(choice)?;
    let paths = lock::path_of(&location.path).zip(lock::path_of(&location.shown));
    paths
        .map(|(path, shown)| (path, escaped_path(&shown)))
        .ok_or_else(|| Failure::new("a stack file with the ending `.lock` has no lock", "rename it"))
}
