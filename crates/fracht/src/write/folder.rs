//! Writes rendered files into a folder that may also contain other files.
//!
//! Only files in the list of the folder are replaced or removed. The folder itself stays, with its owner, its mode and
//! all other files. Only one run writes at a time. The next run finishes or undoes the work of a killed one (see the
//! [`journal`]).

use std::collections::{BTreeMap, BTreeSet};
use std::fs::TryLockError;
use std::io;
use std::path::Path;
use std::thread;
use std::time::Duration;

use cap_std::ambient_authority;
use cap_std::fs::{Dir, MetadataExt as _};
use fracht_cluster::File;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use super::interrupt::{self, Hold};
use super::journal::{self, is_plain_name};
use super::scratch;
use crate::failure::Failure;
use crate::ui::Ui;

/// The name of the list of rendered files in the folder.
pub(super) const LIST: &str = ".fracht-files";
/// The first line of the list.
pub(super) const LIST_HEAD: &str =
    "# Written by fracht render: the files of this folder that it may replace.\n";
/// How often a run checks whether another one has finished.
const PAUSE: Duration = Duration::from_millis(20);

/// What happened to a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FileChange {
    Added,
    Changed,
    Same,
    Removed,
}

impl FileChange {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Changed => "changed",
            Self::Same => "same",
            Self::Removed => "removed",
        }
    }
}

/// What happened to each file, by name.
pub(crate) struct FileChanges {
    pub(crate) files: BTreeMap<String, FileChange>,
    /// The earlier content of the files that are changed or removed.
    pub(crate) earlier: Vec<String>,
}

impl FileChanges {
    /// `2 added, 12 same`.
    pub(crate) fn summary(&self) -> String {
        let all = [FileChange::Added, FileChange::Changed, FileChange::Removed, FileChange::Same];
        let counts = all.into_iter().filter_map(|change| {
            let count = self.files.values().filter(|other| **other == change).count();
            (count > 0).then(|| format!("{count} {}", change.word()))
        });
        counts.collect::<Vec<_>>().join(", ")
    }
}

/// Makes `files` the rendered files of folder `path`. Other files do not change; with `part`, neither do rendered files
/// that are not among `files`.
pub(crate) fn write(path: &Path, files: &[File], part: bool, ui: &mut Ui) -> Result<FileChanges, Failure> {
    let hold = interrupt::hold();
    let (dir, lock) = open(path)?;
    let folder = Folder { dir, lock, path, hold };
    folder.lock(ui)?;
    folder.recover(ui)?;
    let list = folder.list().map_err(|error| folder.cannot("read", &error))?;
    let changes = folder.compare(&list, files, part)?;
    let mut names: BTreeSet<&str> = files.iter().map(|file| file.name.as_str()).collect();
    if part {
        names.extend(list.iter().map(String::as_str));
    }
    let same_list = names.iter().copied().eq(list.iter().map(String::as_str));
    if !same_list || changes.files.values().any(|change| *change != FileChange::Same) {
        folder.change(&changes, files, &names, same_list && !list.is_empty())?;
    }
    Ok(changes)
}

/// Waits until no run writes into a folder. Returns whether it is complete.
pub(crate) fn is_finished(path: &Path) -> bool {
    if let Ok(dir) = std::fs::File::open(path) {
        // Without a lock, the folder is read as it is.
        let _ = dir.lock_shared();
    }
    path.join(journal::NAME).symlink_metadata().is_err()
}

/// Opens a folder, and creates it if it does not exist.
pub(super) fn open(path: &Path) -> Result<(Dir, std::fs::File), Failure> {
    let shown = escaped_path(path);
    let failure = |what: &str, error: &io::Error| {
        let help = "choose another folder with `--out`";
        Failure::new(format!("cannot {what} the folder `{shown}`: {}", reason(error)), help)
    };
    match std::fs::metadata(path) {
        Ok(found) if !found.is_dir() => {
            return Err(Failure::new(format!("`{shown}` is not a folder"), "`--out` takes a folder"));
        }
        Ok(_) => {}
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            std::fs::create_dir_all(path).map_err(|error| failure("create", &error))?;
        }
        Err(error) => return Err(failure("open", &error)),
    }
    let opened = std::fs::File::open(path)
        .and_then(|lock| Ok((Dir::open_ambient_dir(path, ambient_authority())?, lock)));
    opened.map_err(|error| failure("open", &error))
}

/// A folder to write into.
pub(super) struct Folder<'a> {
    pub(super) dir: Dir,
    /// The folder again, for locking: the handle above only allows opening files.
    pub(super) lock: std::fs::File,
    pub(super) path: &'a Path,
    pub(super) hold: Hold,
}

impl Folder<'_> {
    /// The failure that leaves the folder unchanged.
    pub(super) fn cannot(&self, what: &str, error: &io::Error) -> Failure {
        let shown = escaped_path(self.path);
        let mut help = vec![format!("nothing was changed in `{shown}`")];
        help.push(match error.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
                "free some space, or choose another folder with `--out`".to_owned()
            }
            io::ErrorKind::ReadOnlyFilesystem => {
                "choose a folder that can be written to with `--out`".to_owned()
            }
            io::ErrorKind::PermissionDenied => {
                "change the owner or the mode of its files, or choose another folder with `--out`".to_owned()
            }
            _ => "choose another folder with `--out`".to_owned(),
        });
        Failure::Error { message: format!("cannot {what} `{shown}`: {}", reason(error)), help }
    }

    /// Waits until no other run writes into the folder, and locks it until it is closed.
    fn lock(&self, ui: &mut Ui) -> Result<(), Failure> {
        let mut has_noted = false;
        loop {
            match self.lock.try_lock() {
                Err(TryLockError::WouldBlock) => {}
                // The file system has no locks.
                Ok(()) | Err(TryLockError::Error(_)) => return Ok(()),
            }
            if !has_noted {
                let shown = escaped_path(self.path);
                ui.note(&format!("waiting for another run that writes into `{shown}`"));
                has_noted = true;
            }
            self.hold.check().map_err(|error| self.cannot("write to", &error))?;
            thread::sleep(PAUSE);
        }
    }

    /// The names in the list of the folder. Names that lead out of the folder are ignored.
    pub(super) fn list(&self) -> io::Result<BTreeSet<String>> {
        let list = match self.dir.read_to_string(LIST) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(BTreeSet::new()),
            list => list?,
        };
        let names = list.lines().filter(|name| !name.starts_with('#') && is_plain_name(name));
        let own = |name: &&str| !name.starts_with(scratch::PREFIX);
        Ok(names.filter(own).map(str::to_owned).collect())
    }

    /// What happens to each file. Another file with the name of a rendered one is an error.
    fn compare(&self, list: &BTreeSet<String>, files: &[File], part: bool) -> Result<FileChanges, Failure> {
        let (mut changes, mut earlier) = (BTreeMap::new(), Vec::new());
        for file in files {
            self.hold.check().map_err(|error| self.cannot("write to", &error))?;
            let is_ours = list.contains(&file.name);
            let change = match self.dir.symlink_metadata(&file.name) {
                Err(_) => FileChange::Added,
                Ok(found) if is_ours && found.is_file() => match self.dir.read(&file.name) {
                    Ok(now) if now == file.text.as_bytes() && Self::is_closed(file, &found) => {
                        FileChange::Same
                    }
                    now => {
                        earlier.extend(now.ok().and_then(|now| String::from_utf8(now).ok()));
                        FileChange::Changed
                    }
                },
                Ok(_) => return Err(self.not_ours(&file.name)),
            };
            changes.insert(file.name.clone(), change);
        }
        for name in
            list.iter().filter(|name| !part && !changes.contains_key(*name)).cloned().collect::<Vec<_>>()
        {
            if self.dir.symlink_metadata(&name).is_ok_and(|found| found.is_file()) {
                earlier.extend(self.dir.read_to_string(&name).ok());
                changes.insert(name, FileChange::Removed);
            }
        }
        Ok(FileChanges { files: changes, earlier })
    }

    /// Whether a file with secrets is readable by its owner only.
    fn is_closed(file: &File, found: &cap_std::fs::Metadata) -> bool {
        !file.secret || found.mode().trailing_zeros() >= 6
    }

    pub(super) fn not_ours(&self, name: &str) -> Failure {
        let path = escaped_path(&self.path.join(name));
        Failure::new(
            format!("`{path}` already exists and was not created by fracht"),
            "nothing was changed; move the file, or choose another folder with `--out`",
        )
    }
}
