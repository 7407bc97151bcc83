//! `PersistentVolume` (core/v1) of an existing folder on a node.

use std::sync::Arc;

use fracht_core::model::{Model, Volume};

use super::persistent_volume_claim::{access_mode, class, size};
use crate::api::{
    HostPathVolumeSource, LocalVolumeSource, Metadata, NodeSelector, NodeSelectorRequirement,
    NodeSelectorTerm, ObjectReference, PersistentVolume, PersistentVolumeSpec, VolumeNodeAffinity,
};
use crate::labels;
use crate::name::{claim_name, persistent_volume_name};

/// The `PersistentVolume` of `folder`, on the node of the volume, or on any node if it has none.
pub(crate) fn persistent_volume(model: &Model, volume: &Volume, folder: &Arc<str>) -> PersistentVolume {
    let node = volume.node.as_ref().map(|node| &node.value);
    let anywhere = || HostPathVolumeSource { path: folder.into(), type_: "Directory".into() };
    let spec = PersistentVolumeSpec {
        capacity: size(volume),
        access_modes: vec![access_mode(volume.access.value)],
        storage_class_name: class(volume),
        claim_ref: ObjectReference {
            namespace: (&model.target.namespace.value).into(),
            name: claim_name(model, volume).into(),
        },
        host_path: node.is_none().then(anywhere),
        local: node.map(|_| LocalVolumeSource { path: folder.into() }),
        node_affinity: node.map(on_node),
    };
    let metadata = Metadata {
        name: Some(persistent_volume_name(model, volume).into()),
        labels: labels::of_part(model, &volume.name),
        ..Metadata::default()
    };
    PersistentVolume::new(metadata, spec)
}

fn on_node(node: &Arc<str>) -> VolumeNodeAffinity {
    let is_named = NodeSelectorRequirement {
        key: "kubernetes.io/hostname".into(),
        operator: "In".into(),
        values: vec![node.into()],
    };
    let term = NodeSelectorTerm { match_expressions: vec![is_named] };
    VolumeNodeAffinity { required: NodeSelector { node_selector_terms: vec![term] } }
}
