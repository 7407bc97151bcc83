//! Images that are built from a folder. Any number of services and tasks can use one.

use std::path::PathBuf;
use std::sync::Arc;

use super::{BuildId, Text};
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
