//! Reads files from the disk.
//!
//! Files that a stack names are opened relative to a handle of the stack's folder, so that a link out of the folder
//! is refused, even one that is created between a check and the opening. Only regular files are read; opening any
//! other file does not block.

use std::fs;
use std::io::{self, Read};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};

use cap_std::ambient_authority;
use cap_std::fs::{Dir, MetadataExt as _, OpenOptionsExt as _};
use fracht_core::files::{Files, Listed};
use rustix::fs::OFlags;

/// The most bytes of a file that an argument names.
const MOST_OF_ARGUMENT: u64 = 512 << 20;

/// Reads files in the folder of a stack.
pub(crate) struct Disk {
    /// The stack file itself, which may be a link.
    file: PathBuf,
    /// The folder as named, and its resolved path.
    roots: [PathBuf; 2],
    folder: Dir,
}

impl Disk {
    /// The files in a folder that contains a stack file.
    ///
    /// # Errors
    /// The folder cannot be opened.
    pub(crate) fn within(folder: &Path, file: &Path) -> io::Result<Self> {
        let roots = [folder.to_owned(), fs::canonicalize(folder)?];
        let folder = Dir::open_ambient_dir(folder, ambient_authority())?;
        Ok(Self { file: file.to_owned(), roots, folder })
    }

    /// The path relative to the folder.
    fn beneath<'p>(&self, path: &'p Path) -> io::Result<&'p Path> {
        let below = self.roots.iter().find_map(|root| path.strip_prefix(root).ok());
        let below = below.ok_or(io::ErrorKind::PermissionDenied)?;
        Ok(if below.as_os_str().is_empty() { Path::new(".") } else { below })
    }
}

impl Files for Disk {
    fn read(&self, path: &Path, most: u64) -> io::Result<Vec<u8>> {
        if path == self.file {
            let file = fs::OpenOptions::new().read(true).custom_flags(nonblocking()).open(path)?;
            let kind = file.metadata()?;
            return regular(file, kind.is_file(), kind.is_dir(), most);
        }
        let mut options = cap_std::fs::OpenOptions::new();
        let file =
            self.folder.open_with(self.beneath(path)?, options.read(true).custom_flags(nonblocking()))?;
        let kind = file.metadata()?;
        regular(file, kind.is_file(), kind.is_dir(), most)
    }

    fn size(&self, path: &Path) -> io::Result<u64> {
        self.folder.metadata(self.beneath(path)?).map(|file| file.len())
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        // An empty path is the current folder.
        fs::canonicalize(if path.as_os_str().is_empty() { Path::new(".") } else { path })
    }

    fn list(&self, path: &Path) -> io::Result<Vec<Listed>> {
        self.folder
            .read_dir(self.beneath(path)?)?
            .map(|entry| {
                let entry = entry?;
                let kind = entry.file_type()?;
                Ok(Listed {
                    name: entry.file_name().to_string_lossy().into_owned(),
                    is_folder: kind.is_dir(),
                    // Executable by its owner.
                    is_program: kind.is_file() && entry.metadata()?.mode() & 0o100 != 0,
                })
            })
            .collect()
    }
}

/// The flag with which opening a pipe does not wait for a writer.
fn nonblocking() -> i32 {
    i32::try_from(OFlags::NONBLOCK.bits()).unwrap_or(0)
}

/// The content of an open file, which must be a regular file.
fn regular(file: impl Read, is_file: bool, is_dir: bool, most: u64) -> io::Result<Vec<u8>> {
    if is_dir {
        return Err(io::ErrorKind::IsADirectory.into());
    }
    if !is_file {
        return Err(io::Error::other("is not a regular file"));
    }
    limited(file, most)
}

/// The whole content, at most `most` bytes.
fn limited(file: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    file.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most { Err(io::ErrorKind::FileTooLarge.into()) } else { Ok(bytes) }
}

/// The text of a file that an argument names. It may be a pipe, since shells pass the output of commands as pipes.
///
/// # Errors
/// The error of the operating system; `InvalidData` for a file that is not UTF-8.
pub(crate) fn argument(path: &Path) -> io::Result<String> {
    let bytes = limited(fs::File::open(path)?, MOST_OF_ARGUMENT)?;
    String::from_utf8(bytes).map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "is not UTF-8 text"))
}
