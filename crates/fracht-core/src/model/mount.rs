//! What is mounted into a container.

use std::path::PathBuf;
use std::sync::Arc;

use super::{ConfigId, SecretId, VolumeId};
use crate::grammar::quantity::Quantity;
use crate::origin::Origin;
use crate::source::Span;

/// Something mounted at a path.
#[derive(Clone, Debug)]
pub struct Mount {
    /// The absolute path in the container.
    pub path: Arc<str>,
    /// Where the path is written.
    pub path_span: Span,
    /// What is mounted there.
    pub what: Mounted,
    /// Where that is written.
    pub origin: Origin,
    /// The folder of a volume, or the file of a folder, that is mounted in place of the whole.
    pub part: Option<Arc<str>>,
    /// The mode of the files (POSIX permission bits).
    pub mode: Option<u16>,
    /// Whether it can't be written to.
    pub read_only: bool,
}

/// What can be mounted.
#[derive(Clone, Debug)]
pub enum Mounted {
    /// A volume.
    Volume(VolumeId),
    /// A config: all keys as files, or one key as the file.
    Config(ConfigId, Option<Arc<str>>),
    /// A secret: all keys as files, or one key as the file.
    Secret(SecretId, Option<Arc<str>>),
    /// An empty folder that lasts as long as the pod.
    Scratch(Option<Quantity>),
    /// A folder of the machine, resolved. A cluster has none.
    Folder(PathBuf),
}
