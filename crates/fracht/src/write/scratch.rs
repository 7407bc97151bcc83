//! Scratch files and folders: readable by their owner only, with free names.

use std::hash::{BuildHasher as _, Hasher as _, RandomState};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use cap_std::fs::{Dir, DirBuilder, DirBuilderExt as _, OpenOptions, OpenOptionsExt as _};
use rustix::fs::RenameFlags;
use rustix::io::Errno;

/// The prefix of the names of scratch files and folders.
pub(super) const PREFIX: &str = ".fracht-";

/// A random name. It need not be secret, since creating it fails if it exists.
pub(super) fn name() -> String {
    let random = RandomState::new().build_hasher().finish();
    format!("{PREFIX}{random:016x}")
}

/// Whether a name has the form of [`name`].
pub(super) fn is_name(name: &str) -> bool {
    name.strip_prefix(PREFIX)
        .is_some_and(|rest| rest.len() == 16 && rest.bytes().all(|b| b.is_ascii_hexdigit()))
}

/// Creates a scratch folder.
pub(super) fn folder(dir: &Dir, name: &str) -> io::Result<Dir> {
    let mut builder = DirBuilder::new();
    builder.mode(0o700);
    dir.create_dir_with(name, &builder)?;
    dir.open_dir(name)
}

/// Writes and syncs a new file that is readable by its owner only.
pub(super) fn file(dir: &Dir, name: &Path, content: &[u8]) -> io::Result<cap_std::fs::File> {
    let mut file = dir.open_with(name, OpenOptions::new().write(true).create_new(true).mode(0o600))?;
    let written = file.write_all(content).and_then(|()| file.sync_all());
    match written {
        Ok(()) => Ok(file),
        Err(error) => {
            let _ = dir.remove_file(name);
            Err(error)
        }
    }
}

/// Writes a file that must not exist yet, completely or not at all, with the usual mode of new files.
pub(super) fn new_file(dir: &Dir, to: &Path, content: &[u8]) -> io::Result<()> {
    let scratch = PathBuf::from(name());
    let file = file(dir, &scratch, content)?;
    let placed = set_default_mode(&file).and_then(|()| place_new(dir, &scratch, dir, to));
    if placed.is_err() {
        let _ = dir.remove_file(&scratch);
    }
    placed
}

/// Gives a file the usual mode of new files.
pub(super) fn set_default_mode(file: &cap_std::fs::File) -> io::Result<()> {
    use rustix::fs::Mode;
    // The mask can only be read by setting it. No other thread creates files at the same time.
    let mask = rustix::process::umask(Mode::empty());
    rustix::process::umask(mask);
    Ok(rustix::fs::fchmod(file, Mode::from_raw_mode(0o666) & !mask)?)
}

/// Renames a file to a name that must not exist yet.
///
/// # Errors
/// `AlreadyExists` if it exists.
pub(super) fn place_new(from: &Dir, old: &Path, to: &Dir, new: &Path) -> io::Result<()> {
    match rustix::fs::renameat_with(from, old, to, new, RenameFlags::NOREPLACE) {
        // The file system does not support it.
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) => {}
        done => return Ok(done?),
    }
    match from.hard_link(old, to, new) {
        Ok(()) => from.remove_file(old),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Err(error),
        // It has no links either: this is as close as possible.
        Err(_) if to.symlink_metadata(new).is_err() => from.rename(old, to, new),
        Err(_) => Err(io::ErrorKind::AlreadyExists.into()),
    }
}
