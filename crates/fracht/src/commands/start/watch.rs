//! `fracht start --watch`: starts again when something that the stack is made of changes.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

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
    loop {
        let before = files(&folder);
        match once(args, ui) {
            Ok(_) => {}
            Err(Failure::ReaderGone) => return Err(Failure::ReaderGone),
            // It may be one that the next change mends.
            Err(failure) => _ = ui.fail(&failure),
        }
        ui.flush()?;
        ui.progress("waiting for changes; end with Ctrl-C");
        let mut last = files(&folder);
        while last == before {
            std::thread::sleep(PAUSE);
            last = files(&folder);
        }
        // Editors write several files, or one in pieces.
        loop {
            std::thread::sleep(PAUSE);
            let now = files(&folder);
            if now == last {
                break;
            }
            last = now;
        }
    }
}

/// The files in the folder of the stack. Folders that begin with a dot are left out.
fn files(folder: &Path) -> Files {
    let mut found = Files::new();
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let Ok(kind) = entry.file_type() else { continue };
            if kind.is_dir() {
                if !entry.file_name().to_string_lossy().starts_with('.') {
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
