//! Files that are not part of a build, by the lines of an ignore file.
//!
//! Each line is a pattern; a later line overrides an earlier one, and `!` in front takes files back. A pattern with a
//! slash at its start or inside is relative to the folder, any other matches a name in any folder, and a slash at its
//! end restricts it to folders. Lines that start with `#` are comments.

use std::path::Path;

use crate::grammar::glob::Glob;
use crate::grammar::invalid::Invalid;

/// What a build ignores.
#[derive(Debug, Default)]
pub struct Ignored {
    lines: Vec<Line>,
}

#[derive(Debug)]
struct Line {
    glob: Glob,
    only_folders: bool,
    takes_back: bool,
}

impl Ignored {
    /// Reads the lines of an ignore file.
    ///
    /// # Errors
    /// Why a line is invalid, with its number.
    pub fn parse(text: &str) -> Result<Self, Invalid> {
        let mut lines = Vec::new();
        for (number, line) in text.lines().enumerate() {
            let invalid = |reason: Invalid| format!("line {}: {reason}", number + 1);
            lines.extend(Line::parse(line).map_err(invalid)?);
        }
        Ok(Self { lines })
    }

    /// Whether the file or folder at a path, relative to the folder of the build, is ignored. Folders above it must be
    /// asked for themselves.
    pub fn contains(&self, path: &Path, is_folder: bool) -> bool {
        let path = path.to_string_lossy();
        let fits = |line: &&Line| (is_folder || !line.only_folders) && line.glob.matches(&path);
        self.lines.iter().rev().find(fits).is_some_and(|line| !line.takes_back)
    }
}

impl Line {
    /// Reads one line; `None` for an empty one and for a comment.
    fn parse(line: &str) -> Result<Option<Self>, Invalid> {
        // Spaces at the end count only behind a backslash.
        let trimmed = line.trim_end();
        let line = match line.get(trimmed.len()..) {
            Some(rest) if trimmed.ends_with('\\') && rest.starts_with(' ') => format!("{trimmed} "),
            _ => trimmed.to_owned(),
        };
        if line.is_empty() || line.starts_with('#') {
            return Ok(None);
        }
        let (takes_back, pattern) = match line.strip_prefix('!') {
            Some(pattern) => (true, pattern),
            None => (false, line.as_str()),
        };
        let (only_folders, pattern) = match pattern.strip_suffix('/') {
            Some(pattern) => (true, pattern),
            None => (false, pattern),
        };
        let relative = pattern.contains('/');
        let pattern = pattern.strip_prefix('/').unwrap_or(pattern);
        if pattern.is_empty() {
            return Ok(None);
        }
        let glob = if relative { Glob::parse(pattern) } else { Glob::parse(&format!("**/{pattern}")) };
        Ok(Some(Self { glob: glob?, only_folders, takes_back }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_ignore_files_and_take_them_back() {
        let ignored = Ignored::parse(
            "# comment\n\n/target/\n*.log\n!keep.log\ndocs/*.md\n\\#odd\nx\\ \n  \n/*.tmp\n**/deep/**\n",
        )
        .unwrap();
        for (path, is_folder, is_ignored) in [
            ("target", true, true),
            ("target", false, false),
            ("sub/target", true, false),
            ("a.log", false, true),
            ("sub/a.log", false, true),
            ("sub/keep.log", false, false),
            ("docs/a.md", false, true),
            ("docs/sub/a.md", false, false),
            ("x/docs/a.md", false, false),
            ("#odd", false, true),
            ("x ", false, true),
            ("x", false, false),
            ("a.tmp", false, true),
            ("sub/a.tmp", false, false),
            ("deep", true, false),
            ("y/deep/z", false, true),
            ("src/main.rs", false, false),
        ] {
            assert_eq!(ignored.contains(Path::new(path), is_folder), is_ignored, "{path}");
        }
        assert!(Ignored::parse("a\n[\n").unwrap_err().to_string().contains("line 2"));
    }
}
