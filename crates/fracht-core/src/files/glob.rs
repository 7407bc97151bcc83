//! Files by pattern: `services/*.toml`, `conf/**/*.csv`.

use std::error::Error;
use std::fmt;
use std::io;
use std::path::{Component, Path, PathBuf};

use super::Files;
use crate::diag::Diagnostic;
use crate::diag::reading::FILE_UNREADABLE;
use crate::grammar::glob::Glob;
use crate::source::Span;

/// The most files that a pattern may match. More are probably a mistake.
pub(crate) const MOST_FILES: usize = 10_000;

/// Why a pattern cannot be used.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unmatched {
    /// It is invalid, or a folder that it names cannot be read.
    None,
    /// It matches more than [`MOST_FILES`].
    TooMany,
}

impl fmt::Display for Unmatched {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::None => f.write_str("no file matches"),
            Self::TooMany => write!(f, "more than {MOST_FILES} files match"),
        }
    }
}

impl Error for Unmatched {}

impl Unmatched {
    /// The problem, at the place of the pattern.
    pub(crate) fn problem(self, pattern: &str, span: Option<Span>) -> Diagnostic {
        match self {
            Self::None => Diagnostic::new(&FILE_UNREADABLE, format!("no file matches `{pattern}`"))
                .at(span, "no such file")
                .help("correct the path: it is relative to the file that contains it; `*` matches any name"),
            Self::TooMany => {
                Diagnostic::new(&FILE_UNREADABLE, format!("`{pattern}` matches more than {MOST_FILES} files"))
                    .at(span, "too many files")
                    .help("name a folder, or use a narrower pattern")
            }
        }
    }
}

/// The files below the folder `from` whose path from there matches `pattern`, sorted. `*` stays in one folder,
/// `**` goes through any number. Hidden files match only if that part of the pattern begins with a dot.
///
/// # Errors
/// The pattern is invalid, a folder cannot be read, or more than [`MOST_FILES`] files match.
pub(crate) fn matching(files: &dyn Files, from: &Path, pattern: &str) -> Result<Vec<String>, Unmatched> {
    // The path of one file: whether it can be read shows when it is read.
    if !pattern.contains(['*', '?', '[', '{']) {
        // A path that leaves the folder is refused as such.
        let leaves = Path::new(pattern)
            .components()
            .any(|part| !matches!(part, Component::Normal(_) | Component::CurDir));
        let there = leaves || files.canonical(&from.join(pattern)).is_ok();
        return Ok(if there { vec![pattern.to_owned()] } else { Vec::new() });
    }
    let glob = Glob::parse(pattern).map_err(|_| Unmatched::None)?;
    let fixed: PathBuf = Path::new(pattern)
        .components()
        .take_while(|part| !part.as_os_str().to_string_lossy().contains(['*', '?', '[', '{']))
        .collect();
    let mut found = Vec::new();
    let walk = Walk { files, from, glob };
    walk.folder(&fixed, &mut found).map_err(|_| Unmatched::None)?;
    if found.len() > MOST_FILES {
        return Err(Unmatched::TooMany);
    }
    found.sort();
    Ok(found)
}

/// The state of a search.
struct Walk<'a> {
    files: &'a dyn Files,
    from: &'a Path,
    glob: Glob,
}

impl Walk<'_> {
    /// Adds the matching files in the folder `at`. Links to folders are not followed, so that the search ends.
    fn folder(&self, at: &Path, found: &mut Vec<String>) -> io::Result<()> {
        for entry in self.files.list(&self.from.join(at))? {
            let path = at.join(&entry.name);
            let goes_on = self.glob.depth().is_none_or(|depth| depth > path.components().count());
            if entry.is_folder && !entry.name.starts_with('.') && goes_on {
                self.folder(&path, found)?;
            } else if !entry.is_folder
                && !entry.name.starts_with('.')
                && self.glob.matches(&path.to_string_lossy())
            {
                found.push(path.display().to_string());
            }
            if found.len() > MOST_FILES {
                return Ok(());
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files::MemoryFiles;

    #[test]
    fn patterns_find_files_in_order() {
        let names = ["b.toml", "a.toml", "a.txt", "sub/c.toml", "sub/deep/d.toml", ".hidden.toml"];
        let files =
            names.iter().fold(MemoryFiles::default(), |files, name| files.with(format!("/s/x/{name}"), ""));
        let find = |pattern| matching(&files, Path::new("/s"), pattern).unwrap();
        assert_eq!(find("x/*.toml"), ["x/a.toml", "x/b.toml"]);
        assert_eq!(find("x/**/*.toml"), ["x/a.toml", "x/b.toml", "x/sub/c.toml", "x/sub/deep/d.toml"]);
        assert_eq!(find("x/*/c.toml"), ["x/sub/c.toml"]);
        assert_eq!(find("x/a.txt"), ["x/a.txt"]);
        assert_eq!(find("x/none*"), [""; 0]);
        assert!(matching(&files, Path::new("/s"), "none/*").is_err());
        assert!(matching(&files, Path::new("/s"), "x/[").is_err());
    }
}
