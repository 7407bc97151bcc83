//! The volumes of a pod, and where its containers mount them.

use std::collections::BTreeSet;

use fracht_core::digest::short;
use fracht_core::model::{Container, Mount, Mounted, Workload};
use k8s_openapi::api::core::v1::{
    ConfigMapVolumeSource, EmptyDirVolumeSource, PersistentVolumeClaimVolumeSource, SecretVolumeSource,
    Volume, VolumeMount,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;

/// The volumes of a pod, each once, in the order of the stack.
pub(crate) fn volumes(rendering: &Rendering<'_>, workload: &Workload) -> Vec<Volume> {
    let mut names = BTreeSet::new();
    let mounts = workload.containers().flat_map(|container| &container.mounts);
    let volumes = mounts.filter_map(|mount| volume(rendering, mount));
    volumes.filter(|volume| names.insert(volume.name.clone())).collect()
}

/// The mounts of a container, in the order of the stack.
pub(crate) fn mounts(rendering: &Rendering<'_>, container: &Container) -> Vec<VolumeMount> {
    let mount = |mount: &Mount| VolumeMount {
        name: volume_name(rendering, mount),
        mount_path: mount.path.to_string(),
        sub_path: sub_path(mount),
        read_only: mount.read_only.then_some(true),
        ..VolumeMount::default()
    };
    container.mounts.iter().map(mount).collect()
}

/// What is mounted in place of the whole.
fn sub_path(mount: &Mount) -> Option<String> {
    match &mount.what {
        Mounted::Config(_, key) | Mounted::Secret(_, key) => key.as_ref().map(ToString::to_string),
        _ => mount.part.as_ref().map(ToString::to_string),
    }
}

/// The name of a mount's volume in the pod. It says what it is, and stays when other mounts come and go.
fn volume_name(rendering: &Rendering<'_>, mount: &Mount) -> String {
    let model = rendering.model();
    // One config with two modes is two volumes.
    let mode = mount.mode.map_or_else(String::new, |mode| format!("-{mode:04o}"));
    let name = match &mount.what {
        // A claim template's name is that of the volume.
        Mounted::Volume(id) if model.volumes[*id].each.value => model.volumes[*id].name.to_string(),
        Mounted::Volume(id) => format!("volume-{}", model.volumes[*id].name),
        Mounted::Config(id, _) => format!("config-{}{mode}", model.configs[*id].name),
        Mounted::Secret(id, _) => format!("secret-{}{mode}", model.secrets[*id].name),
        Mounted::Scratch(_) | Mounted::Folder(_) => scratch_name(&mount.path),
    };
    fitted(&name, LABEL)
}

/// A name made of the path. Paths that differ in more than letters have a digest: `/a/b` and `/a-b` are two.
fn scratch_name(path: &str) -> String {
    let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let words: String = path.chars().map(word).collect();
    let plain = path.strip_prefix('/').is_some_and(|rest| {
        rest.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '/')
            && rest.split('/').all(|part| !part.is_empty())
    });
    let name = format!("scratch-{}", words.trim_matches('-'));
    if plain { name } else { format!("{name}-{}", short(path.as_bytes())) }
}

/// The volume of a mount; none where a claim template makes it.
fn volume(rendering: &Rendering<'_>, mount: &Mount) -> Option<Volume> {
    let model = rendering.model();
    let mut volume = Volume { name: volume_name(rendering, mount), ..Volume::default() };
    let mode = mount.mode.map(i32::from);
    match &mount.what {
        Mounted::Volume(id) if model.volumes[*id].each.value => return None,
        Mounted::Volume(id) => {
            let claim_name = model.volumes[*id].claim_name().to_string();
            volume.persistent_volume_claim =
                Some(PersistentVolumeClaimVolumeSource { claim_name, read_only: None });
        }
        Mounted::Config(id, _) => {
            volume.config_map = Some(ConfigMapVolumeSource {
                name: model.configs[*id].object_name().to_string(),
                default_mode: mode,
                ..ConfigMapVolumeSource::default()
            });
        }
        Mounted::Secret(id, _) => {
            volume.secret = Some(SecretVolumeSource {
                secret_name: Some(model.secrets[*id].object_name().to_string()),
                default_mode: mode,
                ..SecretVolumeSource::default()
            });
        }
        Mounted::Scratch(size) => {
            volume.empty_dir = Some(EmptyDirVolumeSource {
                size_limit: size.as_ref().map(|size| Quantity(size.text.clone())),
                medium: None,
            });
        }
        // A cluster has no folder of this machine; a checked stack has none for a cluster.
        Mounted::Folder(_) => return None,
    }
    Some(volume)
}
