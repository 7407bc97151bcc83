//! Changes the files of a folder, all or none. The [`journal`] tells how far the changes are.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;

use cap_std::fs::{Dir, MetadataExt as _};
use fracht_cluster::File;
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;

use super::folder::{FileChange, FileChanges, Folder, LIST, LIST_HEAD};
use super::journal::{self, Journal, State, Step};
use super::scratch;
use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use crate::failure::Failure;
use crate::ui::Ui;

impl Folder<'_> {
    /// Applies the changes, all or none.
    pub(super) fn change(
        &self,
        changes: &FileChanges,
        files: &[File],
        names: &BTreeSet<&str>,
        has_list: bool,
    ) -> Result<(), Failure> {
        let step = |change: FileChange| match change {
            FileChange::Added => Some(Step::Add),
            FileChange::Changed => Some(Step::Replace),
            FileChange::Removed => Some(Step::Remove),
            FileChange::Same => None,
        };
        let mut steps: Vec<(Step, String)> =
            changes.files.iter().filter_map(|(name, change)| Some((step(*change)?, name.clone()))).collect();
        // Adding comes first, so that a new file of others is found before anything is changed.
        steps.sort_by_key(|(step, _)| *step != Step::Add);
        if !has_list || steps.iter().any(|(step, _)| *step != Step::Replace) {
            let there = self.dir.symlink_metadata(LIST).is_ok();
            steps.push((if there { Step::Replace } else { Step::Add }, LIST.to_owned()));
        }
        let journal = Journal { state: State::Preparing, scratch: scratch::name(), steps };
        let text = journal.text(State::Preparing);
        scratch::file(&self.dir, Path::new(journal::NAME), text.as_bytes())
            .map_err(|error| self.cannot("write to", &error))?;
        if let Err(error) = self.prepare(&journal, files, names) {
            self.clear(&journal.scratch);
            let _ = self.dir.remove_file(journal::NAME);
            return Err(self.cannot("write to", &error));
        }
        if let Err((name, error)) = self.apply(&journal) {
            return Err(self.undo_after(&journal, &name, &error));
        }
        self.finish(&journal).map_err(|error| {
            let shown = escaped_path(self.path);
            Failure::new(
                format!(
                    "the new files in `{shown}` are in place, and its journal cannot be removed: {error}"
                ),
                "run it again when the folder can be written to",
            )
        })
    }

    /// Writes the new files into the scratch folder.
    fn prepare(&self, journal: &Journal, files: &[File], names: &BTreeSet<&str>) -> io::Result<()> {
        let scratch = scratch::folder(&self.dir, &journal.scratch)?;
        let new = scratch::folder(&scratch, "new")?;
        scratch::folder(&scratch, "old")?;
        for state in [State::Applying, State::Returning, State::Applied] {
            scratch::file(&scratch, Path::new(state.word()), journal.text(state).as_bytes())?;
        }
        let texts: BTreeMap<&str, &File> = files.iter().map(|file| (file.name.as_str(), file)).collect();
        let mut list = LIST_HEAD.to_owned();
        for name in names {
            list.push_str(name);
            list.push('\n');
        }
        for (step, name) in &journal.steps {
            self.hold.check()?;
            let (content, secret) = match texts.get(name.as_str()) {
                _ if *step == Step::Remove => continue,
                Some(file) => (file.text.as_bytes(), file.secret),
                None => (list.as_bytes(), false),
            };
            let file = scratch::file(&new, Path::new(name), content)?;
            match self.dir.symlink_metadata(name).ok().filter(|_| *step == Step::Replace) {
                Some(old) => keep_mode_and_owner(&file, &old, secret)?,
                None if secret => {}
                None => scratch::set_default_mode(&file)?,
            }
        }
        sync(&new)?;
        sync(&scratch)?;
        self.hold.check()?;
        self.set_state(journal, State::Applying)
    }

    /// Replaces the journal by one with another state, which is written into the scratch folder first.
    fn set_state(&self, journal: &Journal, state: State) -> io::Result<()> {
        let scratch = self.dir.open_dir(&journal.scratch)?;
        scratch.rename(state.word(), &self.dir, journal::NAME)?;
        sync(&self.dir)
    }

    /// Moves the new files into place and the old ones out. Steps that are done already are skipped.
    ///
    /// # Errors
    /// The file at which it failed.
    fn apply(&self, journal: &Journal) -> Result<(), (String, io::Error)> {
        let at = |name: &str| {
            let name = name.to_owned();
            move |error| (name, error)
        };
        let scratch = self.dir.open_dir(&journal.scratch).map_err(at(&journal.scratch))?;
        let new = scratch.open_dir("new").map_err(at("new"))?;
        let old = scratch.open_dir("old").map_err(at("old"))?;
        for (step, name) in &journal.steps {
            let path = Path::new(name);
            let waits = new.symlink_metadata(path).is_ok();
            let done = match step {
                Step::Add if waits => match scratch::place_new(&new, path, &self.dir, path) {
                    // A killed run had just placed it.
                    Err(error)
                        if error.kind() == io::ErrorKind::AlreadyExists && self.is_same(&new, path) =>
                    {
                        new.remove_file(path)
                    }
                    done => done,
                },
                Step::Replace if waits => {
                    keep(&self.dir, path, &old).and_then(|()| new.rename(path, &self.dir, path))
                }
                Step::Remove if old.symlink_metadata(path).is_err() => {
                    match self.dir.rename(path, &old, path) {
                        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
                        done => done,
                    }
                }
                _ => Ok(()),
            };
            done.map_err(at(name))?;
        }
        sync(&self.dir).map_err(at("."))
    }

    /// Whether a file of the folder has the content of a new one.
    fn is_same(&self, new: &Dir, path: &Path) -> bool {
        let is_file = self.dir.symlink_metadata(path).is_ok_and(|found| found.is_file());
        is_file && matches!((self.dir.read(path), new.read(path)), (Ok(one), Ok(other)) if one == other)
    }

    /// Restores every file after a failure at `name`.
    fn undo_after(&self, journal: &Journal, name: &str, error: &io::Error) -> Failure {
        let returned = self.set_state(journal, State::Returning).and_then(|()| self.undo(journal));
        if let Err(error) = returned {
            let shown = escaped_path(self.path);
            return Failure::new(
                format!("cannot undo the changes in `{shown}`: {}", reason(&error)),
                "run it again when the folder can be written to: it undoes the changes",
            );
        }
        if error.kind() == io::ErrorKind::AlreadyExists {
            return self.not_ours(name);
        }
        let path = escaped_path(&self.path.join(name));
        match self.cannot("replace", error) {
            Failure::Error { help, .. } => {
                Failure::Error { message: format!("cannot replace `{path}`: {}", reason(error)), help }
            }
            other @ Failure::ReaderGone => other,
        }
    }

    /// Undoes what [`Self::apply`] has done, even in part, and removes the journal.
    fn undo(&self, journal: &Journal) -> io::Result<()> {
        let scratch = self.dir.open_dir(&journal.scratch)?;
        let (new, old) = (scratch.open_dir("new")?, scratch.open_dir("old")?);
        for (step, name) in journal.steps.iter().rev() {
            let path = Path::new(name);
            match step {
                Step::Add if new.symlink_metadata(path).is_err() => {
                    match scratch::place_new(&self.dir, path, &new, path) {
                        Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                        _ => {}
                    }
                }
                // The kept file is a copy: the original was not replaced yet.
                Step::Replace if new.symlink_metadata(path).is_ok() => {}
                Step::Replace | Step::Remove if old.symlink_metadata(path).is_ok() => {
                    old.rename(path, &self.dir, path)?;
                }
                _ => {}
            }
        }
        sync(&self.dir)?;
        self.clear(&journal.scratch);
        self.dir.remove_file(journal::NAME)?;
        sync(&self.dir)
    }

    /// Removes the scratch folder and the journal.
    fn finish(&self, journal: &Journal) -> io::Result<()> {
        self.set_state(journal, State::Applied)?;
        self.clear(&journal.scratch);
        self.dir.remove_file(journal::NAME)?;
        sync(&self.dir)
    }

    /// Removes the scratch folder, as far as possible.
    fn clear(&self, scratch: &str) {
        if scratch::is_name(scratch) {
            let _ = self.dir.remove_dir_all(scratch);
        }
    }

    /// Finishes or undoes the work of a killed run.
    pub(super) fn recover(&self, ui: &mut Ui) -> Result<(), Failure> {
        let text = match self.dir.symlink_metadata(journal::NAME) {
            Err(_) => return Ok(()),
            Ok(found) if found.is_file() => self.dir.read_to_string(journal::NAME).unwrap_or_default(),
            Ok(_) => return Err(self.not_ours(journal::NAME)),
        };
        let list = self.list().map_err(|error| self.cannot("read", &error))?;
        let journal = Journal::parse(&text).map(|mut journal| {
            // A journal may be forged, so steps on files of others are ignored.
            journal.steps.retain(|(step, name)| *step == Step::Add || name == LIST || list.contains(name));
            journal
        });
        let cannot = |error: &io::Error| {
            let shown = escaped_path(self.path);
            let message = format!(
                "cannot finish or undo the changes of an earlier run in `{shown}`: {}",
                reason(error)
            );
            let help = match (error.kind(), &journal) {
                // Someone removed files of the scratch folder.
                (io::ErrorKind::NotFound, Some(journal)) => {
                    let path = |name| escaped_path(&self.path.join(name));
                    let (journal, scratch) = (path(journal::NAME), path(&journal.scratch));
                    format!("remove `{journal}` and `{scratch}`, then render all objects again")
                }
                _ => "run it again when the folder can be written to".to_owned(),
            };
            Failure::new(message, help)
        };
        let done = match &journal {
            Some(journal) if journal.state == State::Applying && self.dir.exists(&journal.scratch) => {
                match self.apply(journal) {
                    Ok(()) => self.finish(journal),
                    Err((name, error)) if error.kind() == io::ErrorKind::AlreadyExists => {
                        return Err(self.not_ours(&name));
                    }
                    Err((_, error)) => Err(error),
                }
            }
            Some(journal) if journal.state == State::Returning && self.dir.exists(&journal.scratch) => {
                self.undo(journal)
            }
            other => {
                if let Some(journal) = other {
                    self.clear(&journal.scratch);
                }
                self.dir.remove_file(journal::NAME)
            }
        };
        done.map_err(|error| cannot(&error))?;
        let what = match journal.map(|journal| journal.state) {
            Some(State::Applying | State::Applied) => "finished",
            _ => "undid",
        };
        let shown = escaped_path(self.path);
        ui.note(&format!("{what} the changes of an earlier run in `{shown}`"));
        Ok(())
    }
}

/// Keeps a copy of a file before it is replaced.
fn keep(dir: &Dir, path: &Path, old: &Dir) -> io::Result<()> {
    if old.symlink_metadata(path).is_ok() {
        return Ok(());
    }
    match dir.hard_link(path, old, path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        // A file system without links, or one that refuses links to files of others.
        Err(_) => dir.copy(path, old, path).map(drop),
        done => done,
    }
}

/// Gives a file the mode of the one that it replaces, and its owner and group if that is permitted. A file with
/// secrets is readable by its owner only.
fn keep_mode_and_owner(
    file: &cap_std::fs::File,
    old: &cap_std::fs::Metadata,
    secret: bool,
) -> io::Result<()> {
    let now = file.metadata()?;
    if now.uid() != old.uid() || now.gid() != old.gid() {
        let owner = rustix::fs::Uid::from_raw(old.uid());
        let group = rustix::fs::Gid::from_raw(old.gid());
        if rustix::fs::fchown(file, Some(owner), Some(group)).is_err() {
            let _ = rustix::fs::fchown(file, None, Some(group));
        }
    }
    if !secret {
        rustix::fs::fchmod(file, Mode::from_raw_mode(old.mode() & 0o777))?;
    }
    Ok(())
}

/// Syncs a folder to the disk.
fn sync(dir: &Dir) -> io::Result<()> {
    // The handle may only allow opening files, so the folder is opened again.
    let folder = rustix::fs::openat(dir, ".", OFlags::RDONLY | OFlags::DIRECTORY, Mode::empty())?;
    match rustix::fs::fsync(&folder) {
        // The file system does not need it.
        Err(Errno::INVAL) => Ok(()),
        done => Ok(done?),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that panics has failed, which is what it is for")]
mod tests {
    use super::*;
    use crate::write::folder::open;
    use crate::write::interrupt;

    /// A change that fails in the middle is undone: every file has its old content again.
    #[test]
    fn a_rollback_restores_the_old_files_and_keeps_others() {
        let temporary = tempfile::TempDir::new().unwrap();
        let path = temporary.path();
        let folder = || {
            let (dir, lock) = open(path).unwrap_or_else(|_| unreachable!("the folder was just made"));
            Folder { dir, lock, path, hold: interrupt::hold() }
        };
        let scratch = scratch::name();
        let steps = ["add", "gone", "replaced", "waits"];
        let journal = Journal {
            state: State::Returning,
            scratch: scratch.clone(),
            steps: steps
                .map(|name| {
                    let step = match name {
                        "add" => Step::Add,
                        "gone" => Step::Remove,
                        _ => Step::Replace,
                    };
                    (step, name.to_owned())
                })
                .to_vec(),
        };
        let put = |name: String, text: &str| {
            let file = path.join(name);
            std::fs::create_dir_all(file.parent().unwrap()).unwrap();
            std::fs::write(file, text).unwrap();
        };
        // One was added, one removed, one replaced; the last one waits.
        put("add".into(), "new");
        put("replaced".into(), "new");
        put("waits".into(), "old");
        put(format!("{scratch}/old/gone"), "old");
        put(format!("{scratch}/old/replaced"), "old");
        put(format!("{scratch}/old/waits"), "a copy");
        put(format!("{scratch}/new/waits"), "new");
        put(journal::NAME.into(), "");
        folder().undo(&journal).unwrap();
        let names: BTreeSet<_> =
            std::fs::read_dir(path).unwrap().map(|entry| entry.unwrap().file_name()).collect();
        assert_eq!(names, ["gone", "replaced", "waits"].map(Into::into).into());
        for name in ["gone", "replaced", "waits"] {
            assert_eq!(std::fs::read_to_string(path.join(name)).unwrap(), "old");
        }
    }
}
