//! The files of a stack, behind a small trait: this crate never accesses the disk itself.

pub mod context;
pub(crate) mod glob;
mod ignored;

use std::collections::BTreeMap;
use std::fmt;
use std::io;
use std::path::{Component, Path, PathBuf};

pub use ignored::Ignored;

use crate::diag::Diagnostic;
use crate::diag::reading::PATH_OUTSIDE;
use crate::escape::escaped_path;
use crate::source::Span;

/// Reads files. Paths are absolute, or relative to a folder that the implementation chooses.
pub trait Files: Sync {
    /// The content of a file of at most `most` bytes.
    ///
    /// # Errors
    /// The error of the operating system; `FileTooLarge` for a file of more bytes.
    fn read(&self, path: &Path, most: u64) -> io::Result<Vec<u8>>;

    /// The size of a file in bytes. Its content is not read.
    ///
    /// # Errors
    /// The error of the operating system.
    fn size(&self, path: &Path) -> io::Result<u64>;

    /// The path with every symbolic link and `..` resolved.
    ///
    /// # Errors
    /// The error of the operating system, such as `NotFound`.
    fn canonical(&self, path: &Path) -> io::Result<PathBuf>;

    /// The entries of a folder, in any order. A link to a folder counts as a file.
    ///
    /// # Errors
    /// The error of the operating system, such as `NotFound`.
    fn list(&self, path: &Path) -> io::Result<Vec<Listed>>;
}

/// The most bytes of a stack file, and of a file that a stack names.
pub const MOST_BYTES: u64 = 64 << 20;

/// An entry of a folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// Its name.
    pub name: String,
    /// Whether it is a folder.
    pub is_folder: bool,
    /// Whether it is executable.
    pub is_program: bool,
}

/// Why a path in a stack file cannot be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PathProblem {
    /// The path is absolute.
    Absolute,
    /// The path leads out of the stack's folder, by `..` or by a symbolic link.
    Outside,
    /// The operating system refuses, with its reason.
    Unreadable(String),
}

impl fmt::Display for PathProblem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Absolute => "must be relative",
            Self::Outside => "leaves the stack's folder",
            Self::Unreadable(reason) => reason,
        })
    }
}

impl std::error::Error for PathProblem {}

/// Resolves `written`, a path in a file in folder `from`, and refuses paths out of the folder `root`.
///
/// # Errors
/// [`PathProblem`] for an absolute path, a path that leads out, and a path that cannot be read.
pub fn confine(files: &dyn Files, root: &Path, from: &Path, written: &str) -> Result<PathBuf, PathProblem> {
    let written = Path::new(written);
    if written.has_root() || written.is_absolute() {
        return Err(PathProblem::Absolute);
    }
    let plain = normal(&from.join(written));
    if !plain.starts_with(normal(root)) {
        return Err(PathProblem::Outside);
    }
    let unreadable = |error: io::Error| PathProblem::Unreadable(reason(&error));
    let real_root = files.canonical(root).map_err(unreadable)?;
    let real = files.canonical(&from.join(written)).map_err(unreadable)?;
    if real.starts_with(&real_root) { Ok(real) } else { Err(PathProblem::Outside) }
}

/// The folder some levels above another one, as short as possible.
pub(crate) fn upwards(folder: &Path, levels: usize) -> PathBuf {
    let mut folder = folder.to_owned();
    for _ in 0..levels {
        match folder.components().next_back() {
            Some(Component::Normal(_)) => _ = folder.pop(),
            Some(Component::CurDir) | None => folder = "..".into(),
            _ => folder.push(".."),
        }
    }
    folder
}

/// The folder above `root` that has the file to which `written` leads from the folder `from`, if it is outside of
/// `root`: how many levels above it is. `None` for the root of the file system, and if a link leads outside.
pub(crate) fn levels_above(root: &Path, from: &Path, written: &str) -> Option<usize> {
    let (root, file) = (normal(root), normal(&from.join(written)));
    let shared = root.components().zip(file.components()).take_while(|(one, other)| one == other).count();
    let levels = root.components().count() - shared;
    let is_whole_disk = root.components().take(shared).all(|part| part == Component::RootDir);
    (levels > 0 && !is_whole_disk).then_some(levels)
}

/// The problem of a path that leads out of the folder of the stack, which is shown as `shown`.
pub(crate) fn outside(
    (root, shown): (&Path, &Path),
    from: &Path,
    written: &str,
    span: Option<Span>,
) -> Diagnostic {
    let problem = Diagnostic::new(&PATH_OUTSIDE, format!("`{written}` is outside the stack's folder"))
        .at(span, "leaves the folder");
    match levels_above(root, from, written) {
        Some(levels) => {
            let folder = escaped_path(&upwards(shown, levels));
            let folder = if folder.is_empty() { ".".to_owned() } else { folder };
            problem
                .help("move the file into the stack's folder")
                .help(format!("or allow the folder that has it: `--root {folder}`"))
        }
        None => problem.help("move the file into the stack's folder; links that leave it are not followed"),
    }
}

/// The reason of an error in plain words, the same on every operating system.
pub fn reason(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::NotFound => "file not found".into(),
        io::ErrorKind::PermissionDenied => "permission denied".into(),
        io::ErrorKind::IsADirectory => "is a folder".into(),
        io::ErrorKind::FileTooLarge => "is too large".into(),
        io::ErrorKind::StorageFull => "no space left on the disk".into(),
        io::ErrorKind::QuotaExceeded => "the quota is used up".into(),
        io::ErrorKind::ReadOnlyFilesystem => "the file system is read-only".into(),
        io::ErrorKind::Interrupted => "interrupted".into(),
        _ => error.to_string(),
    }
}

/// The path without `.` and `..`, computed from the text alone.
fn normal(path: &Path) -> PathBuf {
    path.components().fold(PathBuf::new(), |mut out, part| {
        match part {
            Component::CurDir => {}
            Component::ParentDir => {
                if !out.pop() {
                    out.push("..");
                }
            }
            other => out.push(other),
        }
        out
    })
}

/// Files in memory, for tests and for tools without a disk.
#[derive(Debug, Default, Clone)]
pub struct MemoryFiles {
    files: BTreeMap<PathBuf, Vec<u8>>,
}

impl MemoryFiles {
    /// Adds a file.
    #[must_use]
    pub fn with(mut self, path: impl Into<PathBuf>, content: impl Into<Vec<u8>>) -> Self {
        self.files.insert(path.into(), content.into());
        self
    }
}

impl Files for MemoryFiles {
    fn read(&self, path: &Path, most: u64) -> io::Result<Vec<u8>> {
        let bytes = self.files.get(&normal(path)).ok_or(io::ErrorKind::NotFound)?;
        if bytes.len() as u64 > most { Err(io::ErrorKind::FileTooLarge.into()) } else { Ok(bytes.clone()) }
    }

    fn size(&self, path: &Path) -> io::Result<u64> {
        self.files
            .get(&normal(path))
            .map(|bytes| bytes.len() as u64)
            .ok_or_else(|| io::ErrorKind::NotFound.into())
    }

    fn canonical(&self, path: &Path) -> io::Result<PathBuf> {
        let path = normal(path);
        let known = self.files.keys().any(|file| file.starts_with(&path));
        if known { Ok(path) } else { Err(io::ErrorKind::NotFound.into()) }
    }

    fn list(&self, path: &Path) -> io::Result<Vec<Listed>> {
        let path = normal(path);
        let mut listed: Vec<Listed> = Vec::new();
        for file in self.files.keys() {
            let Ok(below) = file.strip_prefix(&path) else { continue };
            let mut parts = below.components();
            let Some(first) = parts.next() else { continue };
            let name = first.as_os_str().to_string_lossy().into_owned();
            if listed.last().is_none_or(|last| last.name != name) {
                let is_folder = parts.next().is_some();
                listed.push(Listed { name, is_folder, is_program: false });
            }
        }
        if listed.is_empty() { Err(io::ErrorKind::NotFound.into()) } else { Ok(listed) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_resolved_within_the_folder_of_the_stack() {
        let files = MemoryFiles::default().with("/s/conf/a", "x").with("/other/b", "y");
        let go = |written| confine(&files, Path::new("/s"), Path::new("/s/conf"), written);
        assert_eq!(go("a"), Ok("/s/conf/a".into()));
        assert_eq!(go("./../conf/a"), Ok("/s/conf/a".into()));
        assert_eq!(go("../../other/b"), Err(PathProblem::Outside));
        assert_eq!(go("/s/conf/a"), Err(PathProblem::Absolute));
        let missing = PathProblem::Unreadable("file not found".into());
        assert_eq!(go("c"), Err(missing));
    }
}
