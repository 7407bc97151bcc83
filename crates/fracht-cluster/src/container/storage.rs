//! The volumes of a pod, and the mounts of its containers.

use std::collections::HashSet;

use fracht_core::digest::short;
use fracht_core::model::{Access, Container, Model, Mount, Mounted, Scratch, Workload};

use crate::api::{
    ConfigMapVolumeSource, EmptyDirVolumeSource, PersistentVolumeClaimVolumeSource, SecretVolumeSource, Str,
    Volume, VolumeMount,
};
use crate::name::{LABEL, claim_name, config_name, secret_name, shortened, template_name};

/// The volumes of a pod, each once, in the order of the stack.
pub(crate) fn volumes(model: &Model, workload: &Workload) -> Vec<Volume> {
    let mut names = HashSet::new();
    let mounts = containers(workload)
        .flat_map(|(sidecar, container)| container.mounts.iter().map(move |mount| (sidecar, mount)));
    let volumes = mounts.filter_map(|(sidecar, mount)| volume(model, sidecar, mount));
    volumes.filter(|volume| names.insert(volume.name.to_string())).collect()
}

/// The containers of a workload, each with its name if it is a sidecar's.
fn containers(workload: &Workload) -> impl Iterator<Item = (Option<&str>, &Container)> {
    let sidecars = workload.sidecars.iter().map(|sidecar| (Some(&*sidecar.name), &sidecar.container));
    std::iter::once((None, &workload.main)).chain(sidecars)
}

/// The mounts of a container, in the order of the stack. `sidecar` is its name if it is a sidecar's.
pub(crate) fn mounts(model: &Model, sidecar: Option<&str>, container: &Container) -> Vec<VolumeMount> {
    let mount = |mount: &Mount| VolumeMount {
        name: volume_name(model, sidecar, mount).into(),
        mount_path: (&mount.path).into(),
        sub_path: sub_path(mount),
        read_only: model.is_read_only(mount).then_some(true),
    };
    container.mounts.iter().map(mount).collect()
}

/// The part that is mounted; `None` for the whole.
fn sub_path(mount: &Mount) -> Option<Str> {
    let part = match &mount.what {
        Mounted::Config(_, key) | Mounted::Secret(_, key) => key,
        _ => &mount.part,
    };
    part.as_ref().map(Str::from)
}

/// The name of a mount's volume in the pod. It does not depend on other mounts. Names are unique: they start with the
/// kind, and a mode comes before the name, which starts with a letter.
fn volume_name(model: &Model, sidecar: Option<&str>, mount: &Mount) -> String {
    // A config with two modes becomes two volumes.
    let mode = mount.mode.map_or_else(String::new, |mode| format!("-{mode:04o}"));
    let name = match &mount.what {
        // The name of the volume is that of the claim template.
        Mounted::Volume(id) => return template_name(&model.volumes[*id]),
        Mounted::Config(id, _) => format!("config{mode}-{}", model.configs[*id].name),
        Mounted::Secret(id, _) => format!("secret{mode}-{}", model.secrets[*id].name),
        Mounted::Scratch(Scratch { shared: Some(name), .. }) => format!("shared-{name}"),
        Mounted::Scratch(_) | Mounted::Folder(_) => scratch_name(sidecar, &mount.path),
    };
    shortened(&name, LABEL)
}

/// A name from the path. After two dashes it has a digest if the words alone are not unique: `/a/b` and `/a-b` differ,
/// and so do equal paths of two containers.
fn scratch_name(sidecar: Option<&str>, path: &str) -> String {
    let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let words: String = path.chars().map(word).collect();
    let plain = path.strip_prefix('/').is_some_and(|rest| {
        rest.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '/')
            && rest.split('/').all(|part| !part.is_empty())
    });
    let words = words.trim_matches('-');
    match sidecar {
        None if plain => format!("scratch-{words}"),
        None => format!("scratch-{words}--{}", short(path.as_bytes())),
        Some(sidecar) => {
            format!("scratch-{sidecar}-{words}--{}", short(format!("{sidecar}\0{path}").as_bytes()))
        }
    }
}

/// The volume of a mount; `None` if a claim template creates it.
fn volume(model: &Model, sidecar: Option<&str>, mount: &Mount) -> Option<Volume> {
    let mut volume = Volume { name: volume_name(model, sidecar, mount).into(), ..Volume::default() };
    let mode = mount.mode.map(i32::from);
    match &mount.what {
        Mounted::Volume(id) if model.volumes[*id].each.value => return None,
        Mounted::Volume(id) => {
            let definition = &model.volumes[*id];
            // Drivers accept a volume for many readers only if it is read-only here.
            let read_only = (definition.access.value == Access::ManyReaders).then_some(true);
            let claim_name = claim_name(model, definition).into();
            volume.persistent_volume_claim =
                Some(PersistentVolumeClaimVolumeSource { claim_name, read_only });
        }
        Mounted::Config(id, _) => {
            let name = config_name(model, &model.configs[*id]).into();
            volume.config_map = Some(ConfigMapVolumeSource { name, default_mode: mode });
        }
        Mounted::Secret(id, _) => {
            let secret_name = secret_name(model, &model.secrets[*id]).into();
            volume.secret = Some(SecretVolumeSource { secret_name, default_mode: mode });
        }
        Mounted::Scratch(scratch) => {
            let size_limit = scratch.size.as_ref().map(|size| (&size.text).into());
            volume.empty_dir = Some(EmptyDirVolumeSource { size_limit });
        }
        // A checked stack for a cluster has no folders of this machine.
        Mounted::Folder(_) => return None,
    }
    Some(volume)
}
