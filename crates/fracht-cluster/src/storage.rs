//! The volumes of a pod, and where its containers mount them.

use std::collections::BTreeSet;

use fracht_core::digest::short;
use fracht_core::model::{Access, Container, Model, Mount, Mounted, Scratch, Workload};
use k8s_openapi::api::core::v1::{
    ConfigMapVolumeSource, EmptyDirVolumeSource, PersistentVolumeClaimVolumeSource, SecretVolumeSource,
    Volume, VolumeMount,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::claim;
use crate::name::{LABEL, claim_name, config_name, secret_name, shortened};

/// The volumes of a pod, each once, in the order of the stack.
pub(crate) fn volumes(model: &Model, workload: &Workload) -> Vec<Volume> {
    let mut names = BTreeSet::new();
    let mounts = containers(workload)
        .flat_map(|(helper, container)| container.mounts.iter().map(move |mount| (helper, mount)));
    let volumes = mounts.filter_map(|(helper, mount)| volume(model, helper, mount));
    volumes.filter(|volume| names.insert(volume.name.clone())).collect()
}

/// The containers of a workload, each with its name if it is a helper's.
fn containers(workload: &Workload) -> impl Iterator<Item = (Option<&str>, &Container)> {
    let helpers = workload.helpers.iter().map(|helper| (Some(&*helper.name), &helper.container));
    std::iter::once((None, &workload.main)).chain(helpers)
}

/// The mounts of a container, in the order of the stack. `helper` is its name if it is a helper's.
pub(crate) fn mounts(model: &Model, helper: Option<&str>, container: &Container) -> Vec<VolumeMount> {
    let mount = |mount: &Mount| VolumeMount {
        name: volume_name(model, helper, mount),
        mount_path: mount.path.to_string(),
        sub_path: sub_path(mount),
        read_only: model.is_read_only(mount).then_some(true),
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

/// The name of a mount's volume in the pod. It says what it is, and stays when other mounts come and go. No two volumes
/// have one name: it begins with the kind, and a mode stands before the name, which begins with a letter.
fn volume_name(model: &Model, helper: Option<&str>, mount: &Mount) -> String {
    // One config with two modes is two volumes.
    let mode = mount.mode.map_or_else(String::new, |mode| format!("-{mode:04o}"));
    let name = match &mount.what {
        // A claim template's name is that of the volume.
        Mounted::Volume(id) => return claim::template_name(&model.volumes[*id]),
        Mounted::Config(id, _) => format!("config{mode}-{}", model.configs[*id].name),
        Mounted::Secret(id, _) => format!("secret{mode}-{}", model.secrets[*id].name),
        Mounted::Scratch(Scratch { shared: Some(name), .. }) => format!("shared-{name}"),
        Mounted::Scratch(_) | Mounted::Folder(_) => scratch_name(helper, &mount.path),
    };
    shortened(&name, LABEL)
}

/// A name made of the path. Paths that differ in more than letters have a digest behind two dashes, which no other has:
/// `/a/b` and `/a-b` are two, and so are those of two containers.
fn scratch_name(helper: Option<&str>, path: &str) -> String {
    let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let words: String = path.chars().map(word).collect();
    let plain = path.strip_prefix('/').is_some_and(|rest| {
        rest.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '/')
            && rest.split('/').all(|part| !part.is_empty())
    });
    let words = words.trim_matches('-');
    match helper {
        None if plain => format!("scratch-{words}"),
        None => format!("scratch-{words}--{}", short(path.as_bytes())),
        Some(helper) => {
            format!("scratch-{helper}-{words}--{}", short(format!("{helper}\0{path}").as_bytes()))
        }
    }
}

/// The volume of a mount; none where a claim template makes it.
fn volume(model: &Model, helper: Option<&str>, mount: &Mount) -> Option<Volume> {
    let mut volume = Volume { name: volume_name(model, helper, mount), ..Volume::default() };
    let mode = mount.mode.map(i32::from);
    match &mount.what {
        Mounted::Volume(id) if model.volumes[*id].each.value => return None,
        Mounted::Volume(id) => {
            let definition = &model.volumes[*id];
            // Drivers publish a volume of many readers to those only that say so here.
            let read_only = (definition.access.value == Access::ManyReaders).then_some(true);
            let claim_name = claim_name(model, definition);
            volume.persistent_volume_claim =
                Some(PersistentVolumeClaimVolumeSource { claim_name, read_only });
        }
        Mounted::Config(id, _) => {
            volume.config_map = Some(ConfigMapVolumeSource {
                name: config_name(model, &model.configs[*id]),
                default_mode: mode,
                ..ConfigMapVolumeSource::default()
            });
        }
        Mounted::Secret(id, _) => {
            volume.secret = Some(SecretVolumeSource {
                secret_name: Some(secret_name(model, &model.secrets[*id])),
                default_mode: mode,
                ..SecretVolumeSource::default()
            });
        }
        Mounted::Scratch(scratch) => {
            volume.empty_dir = Some(EmptyDirVolumeSource {
                size_limit: scratch.size.as_ref().map(|size| Quantity(size.text.clone())),
                medium: None,
            });
        }
        // A cluster has no folder of this machine; a checked stack has none for a cluster.
        Mounted::Folder(_) => return None,
    }
    Some(volume)
}
