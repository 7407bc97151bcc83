//! Reads `[build.NAME]`: an image that is built from a folder.

use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::FILE_UNREADABLE;
use crate::digest::Digest;
use crate::files::{Files, Ignored, MOST_BYTES, confine, reason};
use crate::grammar::image::{self, Image};
use crate::grammar::invalid::Invalid;
use crate::language::build::{BUILD_TABLE, IGNORE, LARGEST, RECIPE, SOURCE, TAG};
use crate::model::Build;
use crate::origin::Sourced;
use crate::tree::Entry;

/// The tag that is replaced by a digest of the content.
const CONTENT: &str = "content";
/// The file in the folder that says what to ignore, unless `ignore` names another one.
const IGNORE_FILE: &str = ".frachtignore";

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Build {
    let fields = Fields::of(entry, &BUILD_TABLE, reader);
    let owner = format!("build.{name}");
    fields.require(reader, &owner, &SOURCE);
    let source = fields.get(reader, &SOURCE);
    let recipe = fields.get(reader, &RECIPE).unwrap_or_else(|| Sourced::defaulted(RECIPE.key.default.into()));
    let ignore = fields.get(reader, &IGNORE);
    let largest = fields.or_default(reader, &LARGEST).value.size;
    let tag = fields.text(reader, &TAG);
    let folder = source.as_ref().and_then(|source| reader.path(source));
    let written = tag.clone();
    let tag = match (tag.map(|tag| tag.plain()), &folder, &source) {
        (Some(tag), folder, _) if tag != CONTENT => {
            let has_recipe = |folder: &PathBuf| confine(reader.files, folder, folder, &recipe.value).is_ok();
            let is_known = !fields.has_invalid(reader, &[&RECIPE]);
            if let Some(source) =
                source.as_ref().filter(|_| is_known && folder.as_ref().is_some_and(|it| !has_recipe(it)))
            {
                let Unreadable { reason, help, .. } = no_recipe(&recipe.value);
                reader.sink.push(
                    Diagnostic::new(&FILE_UNREADABLE, format!("`{owner}` has no recipe"))
                        .at(recipe.span().or(source.span()), reason)
                        .help(help),
                );
            }
            Some(tag)
        }
        (None, ..) if fields.has_invalid(reader, &[&TAG, &RECIPE, &IGNORE, &LARGEST]) => None,
        (_, Some(folder), Some(source)) => {
            let content = BuildContent { files: reader.files, folder, largest };
            match content.digest(ignore.as_ref().map(|ignore| &*ignore.value), &recipe.value) {
                Ok(digest) => Some(format!("content-{digest}")),
                Err(Unreadable { part, reason, help }) => {
                    let place = match part {
                        Part::Source => source.span(),
                        Part::Recipe => recipe.span().or(source.span()),
                        Part::Ignore => ignore.as_ref().map_or(source.span(), Sourced::span),
                    };
                    reader.sink.push(
                        Diagnostic::new(&FILE_UNREADABLE, format!("cannot read the content of `{owner}`"))
                            .at(place, reason)
                            .help(help),
                    );
                    None
                }
            }
        }
        _ => None,
    };
    let registry = reader.symbols.facts.registry.clone();
    let repository = registry.map_or_else(|| name.to_string(), |registry| format!("{registry}/{name}"));
    Build {
        name: Arc::clone(name),
        span: fields.span,
        source: folder.unwrap_or_default(),
        recipe,
        image: tag.and_then(|tag| image(reader, &format!("{repository}:{tag}"))),
        // A build without a folder is probably a misspelt name of another one.
        tag: written.filter(|_| source.is_some()),
        has_registry: reader.symbols.facts.registry.is_some(),
    }
}

/// The image of a build; `None` if its registry could not be read, which has been reported.
fn image(reader: &mut Reader<'_>, text: &str) -> Option<Image> {
    let image = image::parse(text).ok();
    if image.is_none() {
        reader.taint();
    }
    image
}

/// Why the files of a build cannot be read.
struct Unreadable {
    part: Part,
    reason: Invalid,
    help: Cow<'static, str>,
}

/// The key of a build that has to change.
enum Part {
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

fn no_recipe(recipe: &str) -> Unreadable {
    Unreadable::new(
        Part::Recipe,
        format!("no `{recipe}` in this folder"),
        "write the recipe there, or name the file that is one: `recipe = \"FILE\"`",
    )
}

/// The files of a build.
struct BuildContent<'a> {
    files: &'a dyn Files,
    folder: &'a Path,
    /// The largest size of a file in bytes.
    largest: u64,
}

impl BuildContent<'_> {
    /// The first twelve hex digits of a SHA-256 over the name of the recipe, and names, modes and contents of the
    /// files, sorted by name. The recipe always belongs to them, even if it is ignored.
    fn digest(&self, ignore: Option<&str>, recipe: &str) -> Result<String, Unreadable> {
        let ignored = self.ignored(ignore)?;
        let mut found = Vec::new();
        self.walk(Path::new(""), &ignored, &mut found)?;
        let recipe_path = PathBuf::from(recipe);
        if !found.iter().any(|(path, _)| *path == recipe_path) {
            found.push((recipe_path, false));
        }
        found.sort();
        let mut digest = Digest::default();
        // Another recipe among the same files gives another image.
        digest.piece(recipe.as_bytes());
        for (path, is_program) in found {
            let shown = path.display().to_string();
            let real = confine(self.files, self.folder, self.folder, &shown).map_err(|_| {
                if shown == recipe {
                    no_recipe(recipe)
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
