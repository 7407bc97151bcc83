//! The files of the machine, as the core reads them.
//!
//! What a stack names is opened beneath a handle of the stack's folder: a link that leads out, even one that is put there
//! between a look and the opening, leads nowhere. Only regular files are read; opening another one does not block.

use std::fs;
use std::io::{self, Read};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};

use cap_std::ambient_authority;
use cap_std::fs::{Dir, MetadataExt as _, OpenOptionsExt as _};
use fracht_core::files::{Files, Listed};
use rustix::fs::OFlags;

/// The most bytes of a file that a person names in an argument.
const MOST_OF_ARGUMENT: u64 = 512 << 20;

/// Reads what is beneath the folder of a stack.
pub(crate) struct Disk {
    /// The stack file itself, which is what a person has named.
    file: PathBuf,
    /// The folder as it was named, and where it really is.
    roots: [PathBuf; 2],
    folder: Dir,
}

impl Disk {
    /// The files beneath the folder of a stack file.
    ///
    /// # Errors
    /// What the system says of the folder.
    pub(crate) fn beside(file: &Path) -> io::Result<Self> {
        let folder = file.parent().unwrap_or(Path::new("/"));
        let roots = [folder.to_owned(), fs::canonicalize(folder)?];
        let folder = Dir::open_ambient_dir(folder, ambient_authority())?;
        Ok(Self { file: file.to_owned(), roots, folder })
    }

    /// A path from the folder on.
    fn beneath<'p>(&self, path: &'p Path) -> io::Result<&'p Path> {
        let below = self.roots.iter().find_map(|root| path.strip_prefix(root).ok());
        let below = below.ok_or(io::ErrorKind::PermissionDenied)?;
        Ok(if below.as_os_str().is_empty() { Path::new(".") } else { below })
    }
}

impl Files for Disk {
    fn read(&self, path: &Path, most: u64) -> io::Result<Vec<u8>> {
        if path == self.file {
            let file = fs::OpenOptions::new().read(true).custom_flags(no_wait()).open(path)?;
            let kind = file.metadata()?;
            return regular(file, kind.is_file(), kind.is_dir(), most);
        }
        let mut options = cap_std::fs::OpenOptions::new();
        let file = self.folder.open_with(self.beneath(path)?, options.read(true).custom_flags(no_wait()))?;
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
                    // Whether its owner may run it.
                    is_program: kind.is_file() && entry.metadata()?.mode() & 0o100 != 0,
                })
            })
            .collect()
    }
}

/// Opening a pipe does not wait for one who writes into it.
fn no_wait() -> i32 {
    i32::try_from(OFlags::NONBLOCK.bits()).unwrap_or(0)
}

/// The content of a file that is open, if it is a regular one.
fn regular(file: impl Read, is_file: bool, is_dir: bool, most: u64) -> io::Result<Vec<u8>> {
    if is_dir {
        return Err(io::ErrorKind::IsADirectory.into());
    }
    if !is_file {
        return Err(io::Error::other("is not a regular file"));
    }
    limited(file, most)
}

/// All that can be read, at most so many bytes.
fn limited(file: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    file.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most { Err(io::ErrorKind::FileTooLarge.into()) } else { Ok(bytes) }
}

/// The text of a file that a person names in an argument. It may be a pipe: shells give those for the output of a command.
///
/// # Errors
/// What the system says; `InvalidData` for what is not UTF-8.
pub(crate) fn argument(path: &Path) -> io::Result<String> {
    let bytes = limited(fs::File::open(path)?, MOST_OF_ARGUMENT)?;
    String::from_utf8(bytes).map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "is not UTF-8 text"))
}
