//! `fracht start --watch`: starts again when something that the stack is made of changes.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use fracht_core::model::{Mounted, Workload};

use super::once;
use crate::cli::Start;
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::Ui;

/// The time between two looks at the files.
const PAUSE: Duration = Duration::from_millis(300);

/// The most files that are looked at.
const MOST_FILES: usize = 20_000;

/// The files, each with its size and the time of its last change.
type Files = BTreeMap<PathBuf, (u64, Option<SystemTime>)>;

pub(super) fn run(args: &Start, ui: &mut Ui) -> Result<Outcome, Failure> {
    let location = stack::locate(&args.machine.stack)?;
    let folder = location.path.parent().unwrap_or(Path::new(".")).to_owned();
    let mut mounted = BTreeSet::new();
    loop {
        let files = |mounted| files(&folder, mounted);
        // As long as the stack cannot be read, its mounts are those of before.
        mounted = folders(args).unwrap_or(mounted);
        let before = files(&mounted);
        match once(args, ui) {
            Ok(_) => {}
            Err(Failure::ReaderGone) => return Err(Failure::ReaderGone),
            // It may be one that the next change mends.
            Err(failure) => _ = ui.fail(&failure),
        }
        ui.flush()?;
        ui.progress("waiting for changes; end with Ctrl-C");
        let mut last = files(&mounted);
        while last == before {
            std::thread::sleep(PAUSE);
            last = files(&mounted);
        }
        // Editors write several files, or one in pieces.
        loop {
            std::thread::sleep(PAUSE);
            let now = files(&mounted);
            if now == last {
                break;
            }
            last = now;
        }
    }
}

/// The folders of this machine that containers mount, but those of builds: what programs write there is no change of the
/// stack. `None` if the stack cannot be read.
fn folders(args: &Start) -> Option<BTreeSet<PathBuf>> {
    let mut project = stack::open(&args.machine.stack).ok()?;
    let target = stack::machine_target(&project, args.machine.target.name()).ok()?;
    let verdict = stack::verdict(&mut project, &target).ok()?;
    let model = &verdict.facts.model;
    let mounts = model.workloads.iter().flat_map(Workload::containers).flat_map(|one| &one.mounts);
    let folders = mounts.filter_map(|mount| match &mount.what {
        Mounted::Folder(folder) => Some(folder.clone()),
        _ => None,
    });
    Some(
        folders.filter(|folder| !model.builds.iter().any(|build| build.source.starts_with(folder))).collect(),
    )
}

/// The files in the folder of the stack. Folders that begin with a dot, and those that are `mounted`, are left out.
fn files(folder: &Path, mounted: &BTreeSet<PathBuf>) -> Files {
    let mut found = Files::new();
    // Mounts are resolved paths.
    let mut open = vec![fs::canonicalize(folder).unwrap_or_else(|_| folder.to_owned())];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let Ok(kind) = entry.file_type() else { continue };
            if kind.is_dir() {
                if !entry.file_name().to_string_lossy().starts_with('.') && !mounted.contains(&path) {
                    open.push(path);
                }
            } else if let Ok(data) = fs::metadata(&path) {
                found.insert(path, (data.len(), data.modified().ok()));
            }
            if found.len() >= MOST_FILES {
                return found;
            }
        }
    }
    found
}
