//! Files of configs and secrets, and the archive by which they are put into a container.
//!
//! They belong to root and cannot be changed by others. Where a user can read them only through a group, they have the
//! group that a cluster would give them.

use std::fmt;

use fracht_core::model::{Mount, Mounted};

use super::values::Inside;

/// A file to put into a container.
#[derive(Clone, PartialEq, Eq)]
pub struct File {
    /// The absolute path.
    pub path: String,
    /// The mode (POSIX permission bits).
    pub mode: u32,
    /// The group.
    pub gid: u32,
    /// The content.
    pub bytes: Vec<u8>,
}

impl fmt::Debug for File {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        // It may be a secret.
        write!(f, "File({}, {:o}, {} bytes)", self.path, self.mode, self.bytes.len())
    }
}

/// The mode of files without one: readable for all, as in a cluster.
const MODE: u32 = 0o644;

/// The files of a mount; none if it is no config and no secret.
pub(super) fn of_mount(inside: &Inside<'_>, mount: &Mount) -> Vec<File> {
    let model = inside.model;
    let mut mode = mount.mode.map_or(MODE, u32::from);
    let group = inside.workload.mount_group();
    if group.is_some() {
        // What the owner may read, the group may read (fsGroup of a pod).
        mode |= (mode & 0o500) >> 3;
    }
    let gid = group.unwrap_or(0);
    let base = mount.path.trim_end_matches('/');
    let file = |key: &str, is_one: bool, bytes: Vec<u8>| {
        let path = if is_one { base.to_owned() } else { format!("{base}/{key}") };
        File { path, mode, gid, bytes }
    };
    match &mount.what {
        Mounted::Config(id, one) => {
            let keys = model.configs[*id].keys.iter();
            keys.filter(|key| one.as_ref().is_none_or(|one| *one == key.name))
                .map(|key| file(&key.name, one.is_some(), inside.content(&key.content)))
                .collect()
        }
        Mounted::Secret(id, one) => {
            let keys = model.secrets[*id].keys.iter();
            keys.filter(|key| one.as_ref().is_none_or(|one| *one == key.name))
                .map(|key| {
                    file(&key.name, one.is_some(), inside.secrets.value(*id, &key.name).unwrap_or_default())
                })
                .collect()
        }
        _ => Vec::new(),
    }
}

/// The tar archive of files, below the root.
pub(crate) fn archive(files: &[File]) -> std::io::Result<Vec<u8>> {
    let mut builder = tar::Builder::new(Vec::new());
    for file in files {
        let mut header = tar::Header::new_gnu();
        header.set_size(file.bytes.len() as u64);
        header.set_mode(file.mode);
        header.set_uid(0);
        header.set_gid(file.gid.into());
        header.set_mtime(0);
        builder.append_data(&mut header, file.path.trim_start_matches('/'), &*file.bytes)?;
    }
    builder.into_inner()
}
