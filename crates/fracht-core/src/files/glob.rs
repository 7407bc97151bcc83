//! Files by pattern: `services/*.toml`, `conf/**/*.csv`.

use std::io;
use std::path::{Path, PathBuf};

use globset::{GlobBuilder, GlobMatcher};

use super::Files;

/// The files below the folder `from` whose path from there fits `pattern`, sorted. `*` stays in one folder,
/// `**` goes through any number. Hidden files fit only a pattern that begins with a dot there.
///
/// # Errors
/// What is wrong with the pattern, or what the system says of a folder.
pub(crate) fn matching(files: &dyn Files, from: &Path, pattern: &str) -> Result<Vec<String>, String> {
    let glob = GlobBuilder::new(pattern).literal_separator(true).build();
    let glob = glob.map_err(|error| error.kind().to_string())?.compile_matcher();
    let fixed: PathBuf = Path::new(pattern)
        .components()
        .take_while(|part| !part.as_os_str().to_string_lossy().contains(['*', '?', '[', '{']))
        .collect();
    // A pattern without wildcards is the path of a file.
    let start = if fixed == Path::new(pattern) { fixed.parent().unwrap_or(Path::new("")) } else { &fixed };
    let mut found = Vec::new();
    let deep = pattern.contains("**");
    walk(files, from, start, deep, &glob, &mut found).map_err(|error| super::reason(&error))?;
    found.sort();
    Ok(found)
}

fn walk(
    files: &dyn Files,
    from: &Path,
    at: &Path,
    deep: bool,
    glob: &GlobMatcher,
    found: &mut Vec<String>,
) -> io::Result<()> {
    // Links to folders are not followed by the listing: a walk ends.
    for entry in files.list(&from.join(at))? {
        let path = at.join(&entry.name);
        let fits_further = deep || glob.glob().glob().split('/').count() > path.components().count();
        if entry.is_folder && !entry.name.starts_with('.') && fits_further {
            walk(files, from, &path, deep, glob, found)?;
        } else if !entry.is_folder && !entry.name.starts_with('.') && glob.is_match(&path) {
            found.push(path.display().to_string());
        }
    }
    Ok(())
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
