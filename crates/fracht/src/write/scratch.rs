//! Scratch files and folders: for their owner alone, under names that nobody has taken.

use std::hash::{BuildHasher as _, Hasher as _, RandomState};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use cap_std::fs::{Dir, DirBuilder, DirBuilderExt as _, OpenOptions, OpenOptionsExt as _};
use rustix::fs::RenameFlags;
use rustix::io::Errno;

/// What the names of scratch files and folders begin with.
pub(super) const PREFIX: &str = ".fracht-";

/// A name for something in a scratch place. It is not secret: what is made under it must not be there yet.
pub(super) fn name() -> String {
    let random = RandomState::new().build_hasher().finish();
    format!("{PREFIX}{random:016x}")
}

/// Whether a name is one of [`name`].
pub(super) fn is_name(name: &str) -> bool {
    name.strip_prefix(PREFIX)
        .is_some_and(|rest| rest.len() == 16 && rest.bytes().all(|b| b.is_ascii_hexdigit()))
}

/// Makes a scratch folder.
pub(super) fn folder(dir: &Dir, name: &str) -> io::Result<Dir> {
    let mut builder = DirBuilder::new();
    builder.mode(0o700);
    dir.create_dir_with(name, &builder)?;
    dir.open_dir(name)
}

/// Writes a file that is not there yet, for its owner alone, down to the disk.
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

/// Writes a file under a name that must not be there, whole or not at all, with the rights that new files have.
pub(super) fn new_file(dir: &Dir, to: &Path, content: &[u8]) -> io::Result<()> {
    let scratch = PathBuf::from(name());
    let file = file(dir, &scratch, content)?;
    let placed = usual_rights(&file).and_then(|()| place_new(dir, &scratch, dir, to));
    if placed.is_err() {
        let _ = dir.remove_file(&scratch);
    }
    placed
}

/// Gives a file the rights that new files have.
pub(super) fn usual_rights(file: &cap_std::fs::File) -> io::Result<()> {
    use rustix::fs::Mode;
    // The mask can only be read by setting it. Nothing else of this program makes files meanwhile.
    let mask = rustix::process::umask(Mode::empty());
    rustix::process::umask(mask);
    Ok(rustix::fs::fchmod(file, Mode::from_raw_mode(0o666) & !mask)?)
}

/// Gives a file another name that must not be there.
///
/// # Errors
/// `AlreadyExists` if it is.
pub(super) fn place_new(from: &Dir, old: &Path, to: &Dir, new: &Path) -> io::Result<()> {
    match rustix::fs::renameat_with(from, old, to, new, RenameFlags::NOREPLACE) {
        // A file system without that step.
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) => {}
        done => return Ok(done?),
    }
    match from.hard_link(old, to, new) {
        Ok(()) => from.remove_file(old),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Err(error),
        // One without links as well: as near as it comes.
        Err(_) if to.symlink_metadata(new).is_err() => from.rename(old, to, new),
        Err(_) => Err(io::ErrorKind::AlreadyExists.into()),
    }
}
