//! Images that are built from a folder. Any number of services and tasks can use one.

use std::path::PathBuf;
use std::sync::Arc;

use super::{BuildId, Text};
use crate::files::Files;
use crate::files::context::BuildContext;
use crate::grammar::image::Image;
use crate::origin::Sourced;
use crate::source::Span;

/// An image that is built from a folder.
#[derive(Clone, Debug)]
pub struct Build {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The folder, as a resolved path.
    pub source: PathBuf,
    /// The folder as it is written.
    pub folder: Arc<str>,
    /// The file in the folder that says what to ignore; `None` for the usual one.
    pub ignore: Option<Arc<str>>,
    /// The largest size of a file in bytes.
    pub largest: u64,
    /// The path of the recipe in the folder; `None` if another tool makes the image.
    pub recipe: Option<Sourced<Arc<str>>>,
    /// The arguments of the recipe, in the order of the file.
    pub args: Vec<(Arc<str>, Text)>,
    /// The builds that it takes from: those to which its arguments refer.
    pub takes: Box<[BuildId]>,
    /// The image: registry of the target, name of the build, tag; `None` if the tag could not be read.
    pub image: Option<Image>,
    /// The tag as written; `None` for a digest of the content.
    pub tag: Option<Text>,
    /// Whether the target has a registry, so that the image can be pushed.
    pub has_registry: bool,
}

impl Build {
    /// Its files. They are read by `files`.
    pub fn context<'a>(&'a self, files: &'a dyn Files) -> BuildContext<'a> {
        BuildContext {
            files,
            folder: &self.source,
            largest: self.largest,
            recipe: self.recipe.as_ref().map(|recipe| &*recipe.value),
            ignore: self.ignore.as_deref(),
        }
    }
}
