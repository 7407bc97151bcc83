//! The volumes of a pod, and where they are mounted.

use std::collections::BTreeSet;

use fracht_core::model::{Mounted, Workload};
use k8s_openapi::api::core::v1::{
    ConfigMapVolumeSource, EmptyDirVolumeSource, PersistentVolumeClaimVolumeSource, SecretVolumeSource,
    Volume, VolumeMount,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;

/// Volumes, each once, and mounts in the order of the stack.
pub(crate) fn storage(rendering: &Rendering<'_>, workload: &Workload) -> (Vec<Volume>, Vec<VolumeMount>) {
    let model = rendering.model();
    let (mut volumes, mut mounts, mut names) = (Vec::new(), Vec::new(), BTreeSet::new());
    for mount in &workload.mounts {
        let mut volume = Volume::default();
        let mut key = None;
        let name = match &mount.what {
            Mounted::Volume(id) => {
                let claim_name = model.volumes[*id].name.to_string();
                let name = format!("volume-{claim_name}");
                volume.persistent_volume_claim =
                    Some(PersistentVolumeClaimVolumeSource { claim_name, read_only: None });
                name
            }
            Mounted::Config(id, one) => {
                key = one.as_ref();
                let config = model.configs[*id].name.to_string();
                let name = format!("config-{config}");
                volume.config_map =
                    Some(ConfigMapVolumeSource { name: config, ..ConfigMapVolumeSource::default() });
                name
            }
            Mounted::Secret(id, one) => {
                key = one.as_ref();
                let secret = &model.secrets[*id];
                volume.secret = Some(SecretVolumeSource {
                    secret_name: Some(secret.object_name().to_string()),
                    ..SecretVolumeSource::default()
                });
                format!("secret-{}", secret.name)
            }
            Mounted::Scratch(size) => {
                volume.empty_dir = Some(EmptyDirVolumeSource {
                    size_limit: size.as_ref().map(|size| Quantity(size.text.clone())),
                    medium: None,
                });
                scratch_name(&mount.path, &names)
            }
        };
        volume.name = fitted(&name, LABEL);
        mounts.push(VolumeMount {
            name: volume.name.clone(),
            mount_path: mount.path.to_string(),
            sub_path: key.map(ToString::to_string),
            read_only: matches!(mount.what, Mounted::Config(..) | Mounted::Secret(..)).then_some(true),
            ..VolumeMount::default()
        });
        if names.insert(volume.name.clone()) {
            volumes.push(volume);
        }
    }
    (volumes, mounts)
}

/// A name made of the path, which stays when other mounts come and go.
fn scratch_name(path: &str, taken: &BTreeSet<String>) -> String {
    let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let words: String = path.chars().map(word).collect();
    let name = fitted(&format!("scratch-{}", words.trim_matches('-')), LABEL);
    // `/a/b` and `/a-b` are two folders.
    if taken.contains(&name) {
        fitted(&format!("{name}-{}", fracht_core::digest::short(path.as_bytes())), LABEL)
    } else {
        name
    }
}
