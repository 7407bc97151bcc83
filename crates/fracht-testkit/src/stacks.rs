//! The demo, and the stacks under `stacks`.

use std::path::{Path, PathBuf};

use fracht_core::files::MemoryFiles;
use fracht_core::model::TargetKind;

use crate::{STACK_FILE, open};

/// The demo stack as files.
pub fn demo() -> MemoryFiles {
    let read = |name: &str| {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../fracht/src/demo").join(name);
        std::fs::read(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()))
    };
    ["fracht.toml", "conf/model.env", "conf/stations.csv", "forecast/Containerfile"]
        .iter()
        .fold(MemoryFiles::default(), |files, name| files.with(format!("/s/{name}"), read(name)))
}

/// The same files with all those of a folder, at a path.
fn add(folder: &Path, at: &str, mut files: MemoryFiles) -> MemoryFiles {
    for entry in std::fs::read_dir(folder).unwrap() {
        let (path, name) = entry.map(|entry| (entry.path(), entry.file_name())).unwrap();
        let below = format!("{at}/{}", name.to_str().unwrap());
        files = if path.is_dir() {
            add(&path, &below, files)
        } else {
            files.with(below, std::fs::read(path).unwrap())
        };
    }
    files
}

/// The folder `examples` of the repository.
pub fn examples_folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples")
}

/// The names of the examples.
pub fn examples() -> Vec<String> {
    let folders = std::fs::read_dir(examples_folder()).unwrap().map(|entry| entry.unwrap());
    let folders = folders.filter(|entry| entry.path().is_dir());
    let mut names: Vec<String> = folders.map(|entry| entry.file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

/// The files of an example.
pub fn example(name: &str) -> MemoryFiles {
    add(&examples_folder().join(name), "/s", MemoryFiles::default())
}

/// The folder `stacks`, with one of its stacks as the stack file.
pub fn folder(name: &str) -> MemoryFiles {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("stacks");
    let text = std::fs::read(folder.join(format!("{name}.toml"))).unwrap();
    add(&folder, "/s", MemoryFiles::default()).with(STACK_FILE, text)
}

/// The names of the stacks under `stacks`.
pub const NAMES: [&str; 3] = ["closed", "everything", "gateway"];

/// The targets of a stack that are clusters.
pub fn clusters(files: &MemoryFiles) -> Vec<String> {
    let mut project = open(files);
    let targets: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let on_cluster = |target: &String| {
        project
            .check(target)
            .is_some_and(|verdict| verdict.facts.model.target.on.value == TargetKind::Cluster)
    };
    targets.into_iter().filter(on_cluster).collect()
}
