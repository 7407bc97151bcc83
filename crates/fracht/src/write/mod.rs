//! Writing to the disk: a file or a set of files is there whole, or not at all.
//!
//! What is written stands in a scratch file first, which is for its owner alone and has a name that nobody has
//! taken, and gets its own name in one step. [`new_files`] writes files that must not be there yet, [`folder`] the
//! files of a rendering among files of others.

mod change;
pub(crate) mod folder;
pub(crate) mod interrupt;
mod journal;
mod scratch;

use std::io;
use std::path::{Path, PathBuf};

use cap_std::ambient_authority;
use cap_std::fs::Dir;

/// Writes files that are not there yet below the folder `base`, all of them or none; missing folders are made.
///
/// # Errors
/// The path that can't be written, and what the system says; `AlreadyExists` for one that is there.
pub(crate) fn new_files(base: &Path, files: &[(&Path, &[u8])]) -> Result<(), (PathBuf, io::Error)> {
    let mut made = Made::default();
    let waiting = interrupt::hold();
    for (path, content) in files {
        let path = base.join(path);
        let written = made.file(&path, content).and_then(|()| waiting.check());
        if let Err(error) = written {
            made.take_back();
            return Err((path, error));
        }
    }
    Ok(())
}

/// What has been made, in order.
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

    /// Removes what was made, folders only if nothing else is in them. What can't be removed stays.
    fn take_back(self) {
        for file in self.files.iter().rev() {
            let _ = std::fs::remove_file(file);
        }
        for folder in self.folders.iter().rev() {
            let _ = std::fs::remove_dir(folder);
        }
    }
}
