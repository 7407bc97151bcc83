//! `PersistentVolumeClaim` (core/v1) of a volume, and the claim templates of a `StatefulSet`.

use fracht_core::model::{Access, Model, Volume};

use crate::api::{
    Map, Metadata, PersistentVolumeClaim, PersistentVolumeClaimSpec, Str, VolumeResourceRequirements,
};
use crate::labels;
use crate::name::{claim_name, persistent_volume_name, template_name};

pub(crate) fn claim(model: &Model, volume: &Volume) -> PersistentVolumeClaim {
    let volume_name = volume.node_folder.as_ref().map(|_| persistent_volume_name(model, volume).into());
    PersistentVolumeClaim::new(
        labels::meta(model, claim_name(model, volume), labels::of_part(model, &volume.name)),
        PersistentVolumeClaimSpec { volume_name, ..spec(volume) },
    )
}

/// The claim template of a `StatefulSet`. A claim outlives its set, so the template contains only fields that never
/// change.
pub(crate) fn template(volume: &Volume) -> PersistentVolumeClaim {
    let name = Some(template_name(volume).into());
    PersistentVolumeClaim::new(Metadata { name, ..Metadata::default() }, spec(volume))
}

fn spec(volume: &Volume) -> PersistentVolumeClaimSpec {
    PersistentVolumeClaimSpec {
        access_modes: vec![access_mode(volume.access.value)],
        resources: VolumeResourceRequirements { requests: size(volume) },
        storage_class_name: class(volume),
        volume_name: None,
    }
}

pub(super) fn size(volume: &Volume) -> Map {
    volume.size.iter().map(|size| ("storage", Str::from(&size.value.text))).collect()
}

/// The storage class. For a folder on a node it is empty: the default class would create another volume.
pub(super) fn class(volume: &Volume) -> Option<Str> {
    let written = volume.class.as_ref().map(|class| (&class.value).into());
    written.or_else(|| volume.node_folder.as_ref().map(|_| "".into()))
}

pub(super) fn access_mode(access: Access) -> Str {
    match access {
        Access::OneNode => "ReadWriteOnce",
        Access::OnePod => "ReadWriteOncePod",
        Access::ManyNodes => "ReadWriteMany",
        Access::ManyReaders => "ReadOnlyMany",
    }
    .into()
}
