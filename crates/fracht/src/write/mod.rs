//! Writes files to the disk: each file, or set of files, completely or not at all.
//!
//! Content is first written into a scratch file, which has a free name and is readable by its owner only, and is then
//! renamed in one step. [`new_files`] writes files that must not exist yet, [`folder`] writes rendered files into a
//! folder that may contain other files.

mod change;
pub(crate) mod folder;
pub(crate) mod interrupt;
mod journal;
mod scratch;

use std::io;
use std::path::{Path, PathBuf};

use cap_std::ambient_authority;
use cap_std::fs::Dir;
use fracht_core::files::reason;
use fracht_core::lock::Lock;

use crate::failure::Failure;

/// Writes files that do not exist yet below the folder `base`, all or none. Missing folders are created.
///
/// # Errors
/// The path that cannot be written, with the error of the operating system; `AlreadyExists` for an existing one.
pub(crate) fn new_files(base: &Path, files: &[(&Path, &[u8])]) -> Result<(), (PathBuf, io::Error)> {
    let mut made = Made::default();
    let waiting = interrupt::hold();
    for (path, content) in files {
        let path = base.join(path);
        let written = made.file(&path, content).and_then(|()| waiting.check());
        if let Err(error) = written {
            made.undo();
            return Err((path, error));
        }
    }
    Ok(())
}

/// Replaces an existing file in one step. It keeps its mode; a link keeps leading to it.
///
/// # Errors
/// The error of the operating system. The file is unchanged then.
pub(crate) fn replace(path: &Path, content: &[u8]) -> io::Result<()> {
    let path = std::fs::canonicalize(path)?;
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else {
        return Err(io::ErrorKind::InvalidInput.into());
    };
    let dir = Dir::open_ambient_dir(folder, ambient_authority())?;
    let waiting = interrupt::hold();
    let mode = dir.metadata(name)?.permissions();
    let scratch = PathBuf::from(scratch::name());
    let file = scratch::file(&dir, &scratch, content)?;
    let placed = file
        .set_permissions(mode)
        .and_then(|()| waiting.check())
        .and_then(|()| dir.rename(&scratch, &dir, name));
    if placed.is_err() {
        let _ = dir.remove_file(&scratch);
    }
    placed
}

/// Waits until no other run changes what a folder keeps, and keeps others waiting until it is dropped. A file system
/// without locks has none.
pub(crate) fn alone(folder: &Path) -> Option<std::fs::File> {
    let folder = std::fs::File::open(folder).ok()?;
    folder.lock().ok().map(|()| folder)
}

/// Writes a file that may exist, in one step. Missing folders are created.
///
/// # Errors
/// The error of the operating system. An existing file is unchanged then.
pub(crate) fn file(path: &Path, content: &[u8]) -> io::Result<()> {
    if path.exists() {
        return replace(path, content);
    }
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let name = Path::new(path.file_name().ok_or(io::ErrorKind::InvalidInput)?);
    new_files(folder, &[(name, content)]).map_err(|(_, error)| error)
}

/// Writes the lock of a stack, in one step.
pub(crate) fn lock(path: &Path, shown: &str, lock: &Lock) -> Result<(), Failure> {
    file(path, lock.text().as_bytes()).map_err(|error| {
        Failure::new(
            format!("cannot write `{shown}`: {}", reason(&error)),
            "nothing was changed; the folder of the stack must be writable",
        )
    })
}

/// The created folders and files, in order.
#[derive(Default)]
struct Made {
    files: Vec<PathBuf>,
    folders: Vec<PathBuf>,
}

impl Made {
    fn file(&mut self, path: &Path, content: &[u8]) -> io::Result<()> {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        self.folder(folder)?;
        let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
        let dir = Dir::open_ambient_dir(folder, ambient_authority())?;
        scratch::new_file(&dir, Path::new(name), content)?;
        self.files.push(path.to_owned());
        Ok(())
    }

    fn folder(&mut self, folder: &Path) -> io::Result<()> {
        if folder.is_dir() {
            return Ok(());
        }
        if let Some(parent) = folder.parent().filter(|parent| !parent.as_os_str().is_empty()) {
            self.folder(parent)?;
        }
        std::fs::create_dir(folder)?;
        self.folders.push(folder.to_owned());
        Ok(())
    }

    /// Removes the created files, and folders if they are empty. Errors are ignored.
    fn undo(self) {
        for file in self.files.iter().rev() {
            let _ = std::fs::remove_file(file);
        }
        for folder in self.folders.iter().rev() {
            let _ = std::fs::remove_dir(folder);
        }
    }
}
