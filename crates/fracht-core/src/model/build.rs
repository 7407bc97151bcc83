//! Images made from a folder, each used by any number of services and tasks.

use std::path::PathBuf;
use std::sync::Arc;

use crate::grammar::image::Image;
use crate::origin::Sourced;
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
    pub recipe: Sourced<Arc<str>>,
    /// The image: the target's registry, the build's name, its tag; `None` if its tag could not be read.
    pub image: Option<Image>,
    /// Whether the target has a registry to push it to.
    pub has_registry: bool,
}
