//! `PersistentVolumeClaim` and `PersistentVolume` (core/v1) of a volume.

use std::collections::BTreeMap;

use fracht_core::model::{Access, Model, Volume};
use k8s_openapi::api::core::v1::{
    HostPathVolumeSource, LocalVolumeSource, NodeSelector, NodeSelectorRequirement, NodeSelectorTerm,
    ObjectReference, PersistentVolume, PersistentVolumeClaim, PersistentVolumeClaimSpec,
    PersistentVolumeSpec, VolumeNodeAffinity, VolumeResourceRequirements,
};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::labels;
use crate::name::{LABEL, claim_name, shortened};

pub(crate) fn claim(model: &Model, volume: &Volume) -> PersistentVolumeClaim {
    PersistentVolumeClaim {
        metadata: labels::meta(model, claim_name(model, volume), labels::of_part(model, &volume.name)),
        spec: Some(PersistentVolumeClaimSpec {
            volume_name: volume.node_folder.as_ref().map(|_| persistent_volume_name(model, volume)),
            ..spec(volume)
        }),
        status: None,
    }
}

/// The claim template of a `StatefulSet`. A claim outlives its set, so the template contains only fields that never
/// change.
pub(crate) fn template(volume: &Volume) -> PersistentVolumeClaim {
    PersistentVolumeClaim {
        metadata: ObjectMeta { name: Some(template_name(volume)), ..ObjectMeta::default() },
        spec: Some(spec(volume)),
        status: None,
    }
}

fn spec(volume: &Volume) -> PersistentVolumeClaimSpec {
    PersistentVolumeClaimSpec {
        access_modes: Some(vec![access_mode(volume.access.value).into()]),
        resources: Some(VolumeResourceRequirements { requests: Some(size(volume)), limits: None }),
        storage_class_name: class(volume),
        ..PersistentVolumeClaimSpec::default()
    }
}

/// The name of the template, and of the volume in the pod.
pub(crate) fn template_name(volume: &Volume) -> String {
    shortened(&format!("volume-{}", volume.name), LABEL)
}

/// The name of a `PersistentVolume`. It has no namespace, so its name contains that of the namespace, which has no
/// dots.
pub(crate) fn persistent_volume_name(model: &Model, volume: &Volume) -> String {
    format!("{}.{}", model.target.namespace.value, claim_name(model, volume))
}

/// The `PersistentVolume` of a folder on a node.
pub(crate) fn persistent_volume(model: &Model, volume: &Volume) -> PersistentVolume {
    let path = volume.node_folder.as_ref().map(|folder| folder.value.to_string()).unwrap_or_default();
    let local = volume.node.as_ref().map(|_| LocalVolumeSource { path: path.clone(), fs_type: None });
    let anywhere = volume.node.is_none();
    PersistentVolume {
        metadata: ObjectMeta {
            name: Some(persistent_volume_name(model, volume)),
            labels: Some(labels::of_part(model, &volume.name)),
            ..ObjectMeta::default()
        },
        spec: Some(PersistentVolumeSpec {
            access_modes: Some(vec![access_mode(volume.access.value).into()]),
            capacity: Some(size(volume)),
            claim_ref: Some(ObjectReference {
                namespace: Some(model.target.namespace.value.to_string()),
                name: Some(claim_name(model, volume)),
                ..ObjectReference::default()
            }),
            host_path: anywhere.then(|| HostPathVolumeSource { path, type_: Some("Directory".into()) }),
            local,
            node_affinity: volume.node.as_ref().map(|node| on_node(&node.value)),
            storage_class_name: class(volume),
            ..PersistentVolumeSpec::default()
        }),
        status: None,
    }
}

fn on_node(node: &str) -> VolumeNodeAffinity {
    let is_named = NodeSelectorRequirement {
        key: "kubernetes.io/hostname".into(),
        operator: "In".into(),
        values: Some(vec![node.to_owned()]),
    };
    let term = NodeSelectorTerm { match_expressions: Some(vec![is_named]), match_fields: None };
    VolumeNodeAffinity { required: Some(NodeSelector { node_selector_terms: vec![term] }) }
}

fn size(volume: &Volume) -> BTreeMap<String, Quantity> {
    BTreeMap::from([("storage".into(), Quantity(volume.size.value.text.clone()))])
}

/// The storage class. For a folder on a node it is empty: the default class would create another volume.
fn class(volume: &Volume) -> Option<String> {
    let written = volume.class.as_ref().map(|class| class.value.to_string());
    written.or_else(|| volume.node_folder.as_ref().map(|_| String::new()))
}

fn access_mode(access: Access) -> &'static str {
    match access {
        Access::OneNode => "ReadWriteOnce",
        Access::OnePod => "ReadWriteOncePod",
        Access::ManyNodes => "ReadWriteMany",
        Access::ManyReaders => "ReadOnlyMany",
    }
}
