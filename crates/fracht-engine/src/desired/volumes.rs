//! Volumes, each replica's own ones, and the scratch space that containers of a replica share.
//!
//! The API cannot mount a part of a volume, so each part is a volume of its own.

use std::collections::BTreeMap;

use fracht_core::digest::short;
use fracht_core::model::{Model, Mount, Mounted, Scratch, Volume as Definition, Workload};

use super::host_of;
use super::names::Owner;
use crate::api::VolumeSpec;

/// A volume.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Volume {
    /// Its name on the engine.
    pub name: String,
    /// Its definition.
    pub spec: VolumeSpec,
    /// Whether it lasts only as long as the containers that share it.
    pub is_scratch: bool,
}

/// The volumes that the containers of a model mount.
pub(super) fn volumes(model: &Model, owner: &Owner) -> Vec<Volume> {
    let mut volumes = BTreeMap::new();
    for workload in &model.workloads {
        let count = workload.service().map_or(1, |service| service.replicas.value.least());
        for index in 0..count {
            for mount in workload.containers().flat_map(|container| &container.mounts) {
                let Some((name, of, is_scratch)) = named(model, owner, (workload, index), mount) else {
                    continue;
                };
                let spec = VolumeSpec { name: name.clone(), labels: owner.labels_of(&of) };
                volumes.insert(name.clone(), Volume { name, spec, is_scratch });
            }
        }
    }
    volumes.into_values().collect()
}

/// The name of the volume of a mount; `None` if it is no volume.
pub(super) fn name(model: &Model, owner: &Owner, of: (&Workload, u32), mount: &Mount) -> Option<String> {
    named(model, owner, of, mount).map(|(name, _, _)| name)
}

/// The name of the volume of a mount, the table that it belongs to, and whether it is scratch space.
fn named(
    model: &Model,
    owner: &Owner,
    (workload, index): (&Workload, u32),
    mount: &Mount,
) -> Option<(String, String, bool)> {
    let host = host_of(model, workload, index);
    match &mount.what {
        Mounted::Volume(id) => {
            let volume: &Definition = &model.volumes[*id];
            let mut name = volume.name.to_string();
            if volume.each.value {
                name = format!("{name}.{host}");
            }
            if let Some(part) = &mount.part {
                name = format!("{name}.part-{}", short(part.as_bytes()));
            }
            Some((owner.name(&name), format!("volume.{}", volume.name), false))
        }
        Mounted::Scratch(Scratch { shared: Some(shared), .. }) => {
            Some((owner.name(&format!("{host}.scratch.{shared}")), workload.reference(), true))
        }
        _ => None,
    }
}
