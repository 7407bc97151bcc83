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

impl Mount {
    /// Whether those who are not its owner can use it by their group only: a volume to write to, or the files of a
    /// config or secret, which belong to root, with a mode that does not let others read.
    pub fn needs_group(&self) -> bool {
        matches!(self.what, Mounted::Volume(_)) || self.mode.is_some_and(|mode| mode & 0o004 == 0)
    }
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
    Scratch(Scratch),
    /// A folder of the machine, resolved. A cluster has none.
    Folder(PathBuf),
}

/// An empty folder that lasts as long as the pod.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    /// At most so large.
    pub size: Option<Quantity>,
    /// The name under which containers of the pod share it; `None`: it is the container's own.
    pub shared: Option<Arc<str>>,
}
