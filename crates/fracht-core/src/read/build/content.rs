//! The files of a build, and their digest.

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use crate::digest::Digest;
use crate::files::{Files, Ignored, MOST_BYTES, confine, reason};
use crate::grammar::invalid::Invalid;

/// The file in the folder that says what to ignore, unless `ignore` names another one.
const IGNORE_FILE: &str = ".frachtignore";
/// The recipe of a build that another tool makes.
pub(super) const NO_RECIPE: &str = "none";

/// Why the files of a build cannot be read.
pub(super) struct Unreadable {
    pub(super) part: Part,
    pub(super) reason: Invalid,
    pub(super) help: Cow<'static, str>,
}

/// The key of a build that has to change.
pub(super) enum Part {
    Source,
    Recipe,
    Ignore,
}

impl Unreadable {
    fn new(part: Part, reason: impl Into<Invalid>, help: impl Into<Cow<'static, str>>) -> Self {
        Self { part, reason: reason.into(), help: help.into() }
    }

    fn file(reason: impl Into<Invalid>) -> Self {
        Self::new(Part::Source, reason, format!("fix the file, or add a line for it to `{IGNORE_FILE}`"))
    }
}

pub(super) fn no_recipe(recipe: &str) -> Unreadable {
    Unreadable::new(
        Part::Recipe,
        format!("no `{recipe}` in this folder"),
        "write the recipe there, or name the file that is one: `recipe = \"FILE\"`; \"none\" if another tool makes the image",
    )
}

/// The files of a build.
pub(super) struct BuildContent<'a> {
    pub(super) files: &'a dyn Files,
    pub(super) folder: &'a Path,
    /// The largest size of a file in bytes.
    pub(super) largest: u64,
    /// The recipe; `None` for a build that another tool makes.
    pub(super) recipe: Option<&'a str>,
    /// The arguments, by name.
    pub(super) args: &'a [(&'a str, String)],
    /// The digests of the builds that it takes from.
    pub(super) bases: &'a [&'a str],
}

impl BuildContent<'_> {
    /// The first twelve hex digits of a SHA-256 over the name of the recipe, over names, modes and contents of the
    /// files, sorted by name, over the arguments and over the builds that it takes from. The recipe always belongs to
    /// the files, even if it is ignored.
    pub(super) fn digest(&self, ignore: Option<&str>) -> Result<String, Unreadable> {
        let ignored = self.ignored(ignore)?;
        let mut found = Vec::new();
        self.walk(Path::new(""), &ignored, &mut found)?;
        if let Some(recipe) = self.recipe.map(PathBuf::from)
            && !found.iter().any(|(path, _)| *path == recipe)
        {
            found.push((recipe, false));
        }
        found.sort();
        let mut digest = Digest::default();
        // Another recipe among the same files gives another image.
        digest.piece(self.recipe.unwrap_or(NO_RECIPE).as_bytes());
        for (path, is_program) in found {
            let shown = path.display().to_string();
            let real = confine(self.files, self.folder, self.folder, &shown).map_err(|_| {
                if self.recipe == Some(&shown) {
                    no_recipe(&shown)
                } else {
                    Unreadable::file(format!("{shown} leads to nothing, or out of the folder"))
                }
            })?;
            let bytes = self.files.read(&real, self.largest).map_err(|error| match error.kind() {
                std::io::ErrorKind::FileTooLarge => Unreadable::new(
                    Part::Source,
                    format!("{shown} has more than {} bytes, the limit of `largest`", self.largest),
                    format!("raise `largest`, or add a line for the file to `{IGNORE_FILE}`"),
                ),
                _ => Unreadable::file(format!("{shown}: {}", reason(&error))),
            })?;
            let mode: &[u8] = if is_program { b"program" } else { b"file" };
            for piece in [shown.as_bytes(), mode, &bytes] {
                digest.piece(piece);
            }
        }
        for (name, value) in self.args {
            for piece in ["argument", name, value] {
                digest.piece(piece.as_bytes());
            }
        }
        for base in self.bases {
            digest.piece(b"takes from");
            digest.piece(base.as_bytes());
        }
        Ok(digest.hex(12))
    }

    fn ignored(&self, named: Option<&str>) -> Result<Ignored, Unreadable> {
        let name = named.unwrap_or(IGNORE_FILE);
        match confine(self.files, self.folder, self.folder, name)
            .map(|path| self.files.read(&path, MOST_BYTES))
        {
            Ok(Ok(bytes)) => {
                let lines = Ignored::parse(&String::from_utf8_lossy(&bytes));
                lines.map_err(|error| {
                    Unreadable::new(Part::Ignore, format!("{name}: {error}"), "fix this line of the file")
                })
            }
            _ if named.is_some() => Err(Unreadable::new(
                Part::Ignore,
                format!("no `{name}` in the folder"),
                "write the file, or remove `ignore`",
            )),
            _ => Ok(Ignored::default()),
        }
    }

    fn walk(&self, at: &Path, ignored: &Ignored, found: &mut Vec<(PathBuf, bool)>) -> Result<(), Unreadable> {
        let folder = self.folder.join(at);
        let listed = self
            .files
            .list(&folder)
            .map_err(|error| Unreadable::file(format!("{}: {}", at.display(), reason(&error))))?;
        for entry in listed {
            let path = at.join(&entry.name);
            if ignored.contains(&path, entry.is_folder) || entry.name == ".git" {
                continue;
            }
            if entry.is_folder {
                self.walk(&path, ignored, found)?;
            } else {
                found.push((path, entry.is_program));
            }
        }
        Ok(())
    }
}
