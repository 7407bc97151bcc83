//! A folder of rendered files that is swapped in as a whole.
//!
//! The new set is built in a folder beside the old one and takes its place in one step of the file system;
//! a run that is killed leaves either the old set or the new one, and perhaps a folder with the ending
//! `.fracht-new` that the next run clears away. A list in the folder says which files are ours: only those
//! are ever removed or replaced.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use fracht_cluster::File;

use crate::failure::Failure;

/// The list of the files that are ours, in the folder.
const LIST: &str = ".fracht-files";
/// What the list begins with.
const LIST_HEAD: &str = "# Written by fracht render: the files of this folder that it may replace.\n";
/// The ending of the folder that is built beside.
const BESIDE: &str = ".fracht-new";

/// What became of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Change {
    Added,
    Changed,
    Same,
    Removed,
}

impl Change {
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Changed => "changed",
            Self::Same => "same",
            Self::Removed => "removed",
        }
    }
}

/// What became of each file, by name.
pub(super) struct Changes {
    pub(super) files: BTreeMap<String, Change>,
    /// What stood in the files that are changed or removed.
    pub(super) earlier: Vec<String>,
}

impl Changes {
    /// `2 added, 12 same`.
    pub(super) fn summary(&self) -> String {
        let all = [Change::Added, Change::Changed, Change::Removed, Change::Same];
        let counts = all.into_iter().filter_map(|change| {
            let count = self.files.values().filter(|other| **other == change).count();
            (count > 0).then(|| format!("{count} {}", change.word()))
        });
        counts.collect::<Vec<_>>().join(", ")
    }
}

/// Makes `files` the rendered files of folder `dir`. Files of others stay as they are.
pub(super) fn swap_in(dir: &Path, files: &[File]) -> Result<Changes, Failure> {
    let dir = settled(dir)?;
    let cant = |what: &str, error: &io::Error| {
        let message = format!("The folder {} can't be {what}: {error}.", dir.display());
        Failure::new(message, "Nothing was changed. Choose another folder with --out, or its rights.")
    };
    let old = old_files(&dir).map_err(|error| cant("read", &error))?;
    let changes = compare(&dir, &old, files)?;
    let beside = beside(&dir);
    clear(&beside).map_err(|error| cant("prepared", &error))?;
    let built = build(&dir, &beside, &old, files).and_then(|()| exchange(&beside, &dir));
    // What is beside now is the old set, or a new one that failed: either way it is not needed.
    let cleared = clear(&beside);
    built.map_err(|error| cant("written", &error))?;
    cleared.map_err(|error| {
        let message = format!("The old files in {} can't be removed: {error}.", beside.display());
        Failure::new(message, "The new set is in place. Remove that folder by hand.")
    })?;
    Ok(changes)
}

/// The folder behind any links, with a parent that is there.
fn settled(dir: &Path) -> Result<PathBuf, Failure> {
    let fail = |message: String, help: &str| Err(Failure::new(message, help));
    let shown = dir.display();
    match fs::metadata(dir) {
        Ok(found) if !found.is_dir() => {
            return fail(format!("{shown} is not a folder."), "--out takes a folder.");
        }
        Ok(_) => {}
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            if let Err(error) = fs::create_dir_all(dir) {
                return fail(
                    format!("The folder {shown} can't be made: {error}."),
                    "Choose another folder with --out.",
                );
            }
        }
        Err(error) => {
            return fail(
                format!("{shown} can't be looked at: {error}."),
                "Choose another folder with --out.",
            );
        }
    }
    let real = fs::canonicalize(dir).map_err(|error| {
        Failure::new(format!("{shown} can't be looked at: {error}."), "Choose another folder with --out.")
    })?;
    if real.file_name().is_none() {
        return fail(format!("{shown} is the root of the file system."), "Choose a folder below it.");
    }
    Ok(real)
}

/// The folder that is built beside another one.
fn beside(dir: &Path) -> PathBuf {
    let mut name = std::ffi::OsString::from(".");
    name.push(dir.file_name().unwrap_or_default());
    name.push(BESIDE);
    dir.with_file_name(name)
}

/// The names of our files in the folder, by its list. A name that leads elsewhere is not ours.
fn old_files(dir: &Path) -> io::Result<BTreeSet<String>> {
    let list = match fs::read_to_string(dir.join(LIST)) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(BTreeSet::new()),
        list => list?,
    };
    let names = list.lines().filter(|name| !name.starts_with('#') && !name.contains(['/', '\\']));
    Ok(names.filter(|name| !name.is_empty() && *name != "..").map(str::to_owned).collect())
}

/// What becomes of each file; a file of somebody else's under a name that we need is a failure.
fn compare(dir: &Path, old: &BTreeSet<String>, files: &[File]) -> Result<Changes, Failure> {
    let (mut changes, mut earlier) = (BTreeMap::new(), Vec::new());
    for file in files {
        let path = dir.join(&file.name);
        let change = if old.contains(&file.name) {
            match fs::read_to_string(&path) {
                Ok(now) if now == file.text => Change::Same,
                now => {
                    earlier.extend(now.ok());
                    Change::Changed
                }
            }
        } else if path.symlink_metadata().is_ok() {
            let message = format!("{} is there already, and was not written by fracht.", path.display());
            return Err(Failure::new(
                message,
                "Nothing was changed. Move the file, or choose another folder.",
            ));
        } else {
            Change::Added
        };
        changes.insert(file.name.clone(), change);
    }
    for name in old {
        if !changes.contains_key(name) && dir.join(name).symlink_metadata().is_ok() {
            earlier.extend(fs::read_to_string(dir.join(name)).ok());
            changes.insert(name.clone(), Change::Removed);
        }
    }
    Ok(Changes { files: changes, earlier })
}

/// Builds the new set: our files, and those of others carried over.
fn build(dir: &Path, beside: &Path, old: &BTreeSet<String>, files: &[File]) -> io::Result<()> {
    fs::create_dir(beside)?;
    fs::set_permissions(beside, fs::metadata(dir)?.permissions())?;
    for entry in fs::read_dir(dir)? {
        let entry = entry?;
        let name = entry.file_name();
        let ours = name.to_str().is_some_and(|name| name == LIST || old.contains(name));
        if !ours {
            carry(&entry.path(), &beside.join(&name))?;
        }
    }
    let mut list = LIST_HEAD.to_owned();
    for file in files {
        list.push_str(&file.name);
        list.push('\n');
        write_new(&beside.join(&file.name), file.text.as_bytes(), file.secret)?;
    }
    write_new(&beside.join(LIST), list.as_bytes(), false)?;
    fs::File::open(beside)?.sync_all()
}

/// Another name for the same file; folders are gone through, links copied.
fn carry(from: &Path, to: &Path) -> io::Result<()> {
    let kind = fs::symlink_metadata(from)?;
    if kind.is_dir() {
        fs::create_dir(to)?;
        for entry in fs::read_dir(from)? {
            let entry = entry?;
            carry(&entry.path(), &to.join(entry.file_name()))?;
        }
        return fs::set_permissions(to, kind.permissions());
    }
    fs::hard_link(from, to)
}

/// Writes a file that is not there yet. One that holds a secret is never readable to others.
fn write_new(path: &Path, content: &[u8], secret: bool) -> io::Result<()> {
    let mut options = fs::OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    if secret {
        use std::os::unix::fs::OpenOptionsExt as _;
        options.mode(0o600);
    }
    let mut file = options.open(path)?;
    file.write_all(content)?;
    file.sync_all()
}

/// Two folders change places, in one step where the system has one.
#[cfg(any(target_os = "linux", target_os = "macos"))]
fn exchange(new: &Path, old: &Path) -> io::Result<()> {
    use rustix::fs::{CWD, RenameFlags, renameat_with};
    match renameat_with(CWD, new, CWD, old, RenameFlags::EXCHANGE) {
        // A file system without that step: as near as it comes.
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => exchange_in_steps(new, old),
        done => Ok(done?),
    }
}

#[cfg(not(any(target_os = "linux", target_os = "macos")))]
fn exchange(new: &Path, old: &Path) -> io::Result<()> {
    exchange_in_steps(new, old)
}

/// Two folders change places by way of a third name.
fn exchange_in_steps(new: &Path, old: &Path) -> io::Result<()> {
    let aside = new.with_extension("fracht-old");
    clear(&aside)?;
    fs::rename(old, &aside)?;
    if let Err(error) = fs::rename(new, old) {
        fs::rename(&aside, old)?;
        return Err(error);
    }
    fs::rename(&aside, new)
}

/// Removes a folder of ours, if it is there.
fn clear(dir: &Path) -> io::Result<()> {
    match fs::remove_dir_all(dir) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        done => done,
    }
}
