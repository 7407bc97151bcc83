//! Volumes of a cluster and claims on them (core/v1).

use super::{Map, Metadata, Str, kinds, parts};

kinds! {
    /// A volume of the cluster.
    "v1" PersistentVolume {
        metadata: Metadata,
        spec: PersistentVolumeSpec,
    }

    /// A claim on a volume of the cluster.
    "v1" PersistentVolumeClaim {
        metadata: Metadata,
        spec: PersistentVolumeClaimSpec,
    }
}

parts! {
    PersistentVolumeSpec {
        capacity: Map,
        access_modes: Vec<Str>,
        storage_class_name: Option<Str>,
        claim_ref: ObjectReference,
        host_path: Option<HostPathVolumeSource>,
        local: Option<LocalVolumeSource>,
        node_affinity: Option<VolumeNodeAffinity>,
    }

    ObjectReference {
        namespace: Str,
        name: Str,
    }

    HostPathVolumeSource {
        path: Str,
        type_: Str,
    }

    LocalVolumeSource {
        path: Str,
    }

    VolumeNodeAffinity {
        required: NodeSelector,
    }

    NodeSelector {
        node_selector_terms: Vec<NodeSelectorTerm>,
    }

    NodeSelectorTerm {
        match_expressions: Vec<NodeSelectorRequirement>,
    }

    NodeSelectorRequirement {
        key: Str,
        operator: Str,
        values: Vec<Str>,
    }

    PersistentVolumeClaimSpec {
        access_modes: Vec<Str>,
        resources: VolumeResourceRequirements,
        storage_class_name: Option<Str>,
        volume_name: Option<Str>,
    }

    VolumeResourceRequirements {
        requests: Map,
    }
}
