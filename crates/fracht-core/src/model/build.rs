//! Images made from a folder, each used by any number of services and tasks.

use std::path::PathBuf;
use std::sync::Arc;

use crate::grammar::image::Image;
use crate::origin::At;
use crate::source::Span;

/// An image made from a folder.
#[derive(Clone, Debug)]
pub struct Build {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The folder, resolved.
    pub source: PathBuf,
    /// The recipe, by its path in the folder.
    pub recipe: At<Arc<str>>,
    /// The image: the target's registry, the build's name, its tag.
    pub image: Image,
    /// Whether the target says to which registry it is pushed.
    pub has_registry: bool,
}
