//! Reads `[build.NAME]`: an image that is built from a folder.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::FILE_UNREADABLE;
use crate::digest::Digest;
use crate::files::{Files, Ignored, MOST_BYTES, confine, reason};
use crate::grammar::image;
use crate::grammar::invalid::Invalid;
use crate::language::build::{BUILD_TABLE, IGNORE, LARGEST, RECIPE, SOURCE, TAG};
use crate::model::Build;
use crate::origin::Sourced;
use crate::tree::Entry;

/// The tag that is replaced by a digest of the content.
const CONTENT: &str = "content";

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
    let tag = match (tag.map(|tag| tag.plain()), &folder, &source) {
        (Some(tag), ..) if tag != CONTENT => Some(tag),
        (None, ..) if fields.has_invalid(reader, &[&TAG, &RECIPE, &IGNORE, &LARGEST]) => None,
        (_, Some(folder), Some(source)) => {
            let content = BuildContent { files: reader.files, folder, largest };
            match content.digest(ignore.as_ref().map(|ignore| &*ignore.value), &recipe.value) {
                Ok(digest) => Some(format!("content-{digest}")),
                Err(problem) => {
                    reader.sink.push(
                        Diagnostic::new(&FILE_UNREADABLE, format!("cannot read the content of `{owner}`"))
                            .at(source.span(), problem)
                            .help("fix the file, or add it to the ignore file"),
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
        image: tag.and_then(|tag| image::parse(&format!("{repository}:{tag}")).ok()),
        has_registry: reader.symbols.facts.registry.is_some(),
    }
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
    fn digest(&self, ignore: Option<&str>, recipe: &str) -> Result<String, Invalid> {
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
            let real = confine(self.files, self.folder, self.folder, &shown)
                .map_err(|_| format!("{shown} not found, or outside the folder"))?;
            let bytes = self.files.read(&real, self.largest).map_err(|error| match error.kind() {
                std::io::ErrorKind::FileTooLarge => {
                    format!("{shown} has more than {} bytes, the limit of `largest`", self.largest)
                }
                _ => format!("{shown}: {}", reason(&error)),
            })?;
            let mode: &[u8] = if is_program { b"program" } else { b"file" };
            for piece in [shown.as_bytes(), mode, &bytes] {
                digest.piece(piece);
            }
        }
        Ok(digest.hex(12))
    }

    fn ignored(&self, named: Option<&str>) -> Result<Ignored, Invalid> {
        let name = named.unwrap_or(".frachtignore");
        match confine(self.files, self.folder, self.folder, name)
            .map(|path| self.files.read(&path, MOST_BYTES))
        {
            Ok(Ok(bytes)) => {
                let lines = Ignored::parse(&String::from_utf8_lossy(&bytes));
                Ok(lines.map_err(|error| format!("{name}: {error}"))?)
            }
            _ if named.is_some() => Err(format!("{name} not found").into()),
            _ => Ok(Ignored::default()),
        }
    }

    fn walk(&self, at: &Path, ignored: &Ignored, found: &mut Vec<(PathBuf, bool)>) -> Result<(), Invalid> {
        let folder = self.folder.join(at);
        let listed =
            self.files.list(&folder).map_err(|error| format!("{}: {}", at.display(), reason(&error)))?;
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
