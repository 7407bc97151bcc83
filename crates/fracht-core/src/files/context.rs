//! The files of a build: the context that an engine gets, and their digest.

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use super::{Files, Ignored, MOST_BYTES, confine, reason};
use crate::digest::Digest;
use crate::grammar::invalid::Invalid;

/// The file in the folder that says what to ignore, unless `ignore` names another one.
const IGNORE_FILE: &str = ".frachtignore";
/// The recipe of a build that another tool makes.
pub(crate) const NO_RECIPE: &str = "none";

/// Why the files of a build cannot be read.
#[derive(Clone, Debug)]
pub struct Unreadable {
    /// The key that has to change.
    pub part: Part,
    /// Why.
    pub reason: Invalid,
    /// What to do.
    pub help: Cow<'static, str>,
}

/// A key of a build.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// `source`
    Source,
    /// `recipe`
    Recipe,
    /// `ignore`
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

pub(crate) fn no_recipe(recipe: &str) -> Unreadable {
    Unreadable::new(
        Part::Recipe,
        format!("no `{recipe}` in this folder"),
        "write the recipe there, or name the file that is one: `recipe = \"FILE\"`; \"none\" if another tool makes the image",
    )
}

/// The files of a build, and all that its image depends on.
pub struct BuildContext<'a> {
    /// Reads them.
    pub files: &'a dyn Files,
    /// The folder, as a resolved path.
    pub folder: &'a Path,
    /// The largest size of a file in bytes.
    pub largest: u64,
    /// The recipe; `None` for a build that another tool makes.
    pub recipe: Option<&'a str>,
    /// The file that says what to ignore; `None` for the usual one, which may be absent.
    pub ignore: Option<&'a str>,
}

/// A file of a build.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ContextFile {
    /// Its path in the folder.
    pub path: PathBuf,
    /// Whether it is executable.
    pub is_program: bool,
    /// Its path on the disk: a link leads to another file of the folder.
    pub real: PathBuf,
}

impl BuildContext<'_> {
    /// The files, sorted by their paths. The recipe always belongs to them, even if it is ignored.
    ///
    /// # Errors
    /// [`Unreadable`]
    pub fn list(&self) -> Result<Vec<ContextFile>, Unreadable> {
        let ignored = self.ignored(self.ignore)?;
        let mut found = Vec::new();
        self.walk(Path::new(""), &ignored, &mut found)?;
        if let Some(recipe) = self.recipe.map(PathBuf::from)
            && !found.iter().any(|(path, _)| *path == recipe)
        {
            found.push((recipe, false));
        }
        found.sort();
        let resolved = found.into_iter().map(|(path, is_program)| {
            let shown = path.display().to_string();
            let real = confine(self.files, self.folder, self.folder, &shown).map_err(|_| {
                if self.recipe == Some(&shown) {
                    no_recipe(&shown)
                } else {
                    Unreadable::file(format!("{shown} leads to nothing, or out of the folder"))
                }
            })?;
            Ok(ContextFile { path, is_program, real })
        });
        resolved.collect()
    }

    /// The content of one of its files.
    ///
    /// # Errors
    /// [`Unreadable`]
    pub fn read(&self, file: &ContextFile) -> Result<Vec<u8>, Unreadable> {
        let shown = file.path.display();
        self.files.read(&file.real, self.largest).map_err(|error| match error.kind() {
            std::io::ErrorKind::FileTooLarge => Unreadable::new(
                Part::Source,
                format!("{shown} has more than {} bytes, the limit of `largest`", self.largest),
                format!("raise `largest`, or add a line for the file to `{IGNORE_FILE}`"),
            ),
            _ => Unreadable::file(format!("{shown}: {}", reason(&error))),
        })
    }

    /// The first twelve hex digits of a SHA-256 over the name of the recipe, over names, modes and contents of the
    /// files, sorted by name, over the arguments, sorted by name, and over the digests of the builds that it takes from.
    ///
    /// # Errors
    /// [`Unreadable`]
    pub fn digest(&self, args: &[(&str, String)], bases: &[&str]) -> Result<String, Unreadable> {
        let mut digest = Digest::default();
        // Another recipe among the same files gives another image.
        digest.piece(self.recipe.unwrap_or(NO_RECIPE).as_bytes());
        for file in self.list()? {
            let bytes = self.read(&file)?;
            let mode: &[u8] = if file.is_program { b"program" } else { b"file" };
            for piece in [file.path.display().to_string().as_bytes(), mode, &bytes] {
                digest.piece(piece);
            }
        }
        for (name, value) in args {
            for piece in ["argument", name, value] {
                digest.piece(piece.as_bytes());
            }
        }
        for base in bases {
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
