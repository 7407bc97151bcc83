//! The files of the machine, as the core reads them.

use std::io;
use std::path::{Path, PathBuf};

use fracht_core::files::{Files, Listed};

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

    fn size(&self, path: &Path) -> io::Result<u64> {
        std::fs::metadata(path).map(|file| file.len())
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        // An empty path is the current folder.
        std::fs::canonicalize(if path.as_os_str().is_empty() { Path::new(".") } else { path })
    }

    fn list(&self, path: &Path) -> io::Result<Vec<Listed>> {
        std::fs::read_dir(path)?
            .map(|entry| {
                let entry = entry?;
                let kind = entry.file_type()?;
                Ok(Listed {
                    name: entry.file_name().to_string_lossy().into_owned(),
                    is_folder: kind.is_dir(),
                    is_program: kind.is_file() && is_program(&entry.metadata()?),
                })
            })
            .collect()
    }
}

/// Whether its owner may run a file.
#[cfg(unix)]
fn is_program(file: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::PermissionsExt as _;
    file.permissions().mode() & 0o100 != 0
}

#[cfg(not(unix))]
fn is_program(_: &std::fs::Metadata) -> bool {
    false
}
