//! `PersistentVolumeClaim` (core/v1) of a volume.

use std::collections::BTreeMap;

use fracht_core::model::{Access, Model, Volume};
use k8s_openapi::api::core::v1::{
    PersistentVolumeClaim, PersistentVolumeClaimSpec, VolumeResourceRequirements,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::labels;

pub(crate) fn claim(model: &Model, volume: &Volume) -> PersistentVolumeClaim {
    let size = Quantity(volume.size.value.text.clone());
    PersistentVolumeClaim {
        metadata: labels::meta(model, &*volume.name, labels::of_part(model, &volume.name)),
        spec: Some(PersistentVolumeClaimSpec {
            access_modes: Some(vec![access_mode(volume.access.value).into()]),
            resources: Some(VolumeResourceRequirements {
                requests: Some(BTreeMap::from([("storage".into(), size)])),
                limits: None,
            }),
            storage_class_name: volume.class.as_ref().map(|class| class.value.to_string()),
            ..PersistentVolumeClaimSpec::default()
        }),
        status: None,
    }
}

fn access_mode(access: Access) -> &'static str {
    match access {
        Access::OneNode => "ReadWriteOnce",
        Access::OnePod => "ReadWriteOncePod",
        Access::ManyNodes => "ReadWriteMany",
        Access::ManyReaders => "ReadOnlyMany",
    }
}
