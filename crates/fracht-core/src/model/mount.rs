//! Mounts of a container.

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
    /// The part that is mounted: a folder in the volume, or a file in the folder; `None` for the whole.
    pub part: Option<Arc<str>>,
    /// The mode of the files (POSIX permission bits).
    pub mode: Option<u16>,
    /// Whether it is read-only.
    pub read_only: bool,
}

impl Mount {
    /// Whether a container that is not its owner can use it only through its group: a writable volume, or files of a
    /// config or secret, which belong to root, with a mode that does not let others read.
    pub fn needs_group(&self) -> bool {
        matches!(self.what, Mounted::Volume(_)) || self.mode.is_some_and(|mode| mode & 0o004 == 0)
    }
}

/// The source of a mount.
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
    /// A folder of the machine, as a resolved path. Not possible in a cluster.
    Folder(PathBuf),
}

/// An empty folder that lasts as long as the pod.
#[derive(Clone, Debug, Default)]
pub struct Scratch {
    /// The largest size.
    pub size: Option<Quantity>,
    /// The name under which the containers of a pod share it; `None` if one container uses it alone.
    pub shared: Option<Arc<str>>,
}
