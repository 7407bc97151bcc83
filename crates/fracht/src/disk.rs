//! The files of the machine, as the core reads them.

use std::io;
use std::path::{Path, PathBuf};

use fracht_core::files::Files;

/// Reads from the disk.
pub(crate) struct Disk;

impl Files for Disk {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        // Reading a folder or a device fails late, or never ends.
        let kind = std::fs::metadata(path)?;
        if kind.is_dir() {
            return Err(io::ErrorKind::IsADirectory.into());
        }
        if !kind.is_file() {
            return Err(io::Error::other("it is not a regular file"));
        }
        std::fs::read(path)
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        // An empty path is the current folder.
        std::fs::canonicalize(if path.as_os_str().is_empty() { Path::new(".") } else { path })
    }
}
