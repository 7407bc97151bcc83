//! The token of the cluster's API, for the one container of a pod that has rights.
//!
//! The cluster would mount it into every container of the pod; here only the one gets it that asked for it.

use fracht_core::model::{Container as Definition, Workload};
use k8s_openapi::api::core::v1::{
    ConfigMapProjection, DownwardAPIProjection, DownwardAPIVolumeFile, KeyToPath, ObjectFieldSelector,
    ProjectedVolumeSource, ServiceAccountTokenProjection, Volume, VolumeMount, VolumeProjection,
};

/// No volume of a stack has this name.
const VOLUME: &str = "fracht-token";
/// Where clients of the API look for it (Kubernetes, "Accessing the Kubernetes API from a Pod").
const FOLDER: &str = "/var/run/secrets/kubernetes.io/serviceaccount";

/// The projections that an answer of the API can be asked for with: a token, and the certificate of the API.
pub(crate) fn projections() -> Vec<VolumeProjection> {
    let token = VolumeProjection {
        service_account_token: Some(ServiceAccountTokenProjection {
            path: "token".into(),
            expiration_seconds: Some(3600),
            audience: None,
        }),
        ..VolumeProjection::default()
    };
    let certificate = VolumeProjection {
        config_map: Some(ConfigMapProjection {
            name: "kube-root-ca.crt".into(),
            items: Some(vec![KeyToPath { key: "ca.crt".into(), path: "ca.crt".into(), mode: None }]),
            optional: None,
        }),
        ..VolumeProjection::default()
    };
    vec![token, certificate]
}

/// A volume of projections.
pub(crate) fn projected(name: &str, sources: Vec<VolumeProjection>) -> Volume {
    Volume {
        name: name.into(),
        projected: Some(ProjectedVolumeSource { sources: Some(sources), default_mode: None }),
        ..Volume::default()
    }
}

/// The volume of a workload with rights.
pub(crate) fn volume(workload: &Workload) -> Option<Volume> {
    is_mounted(workload, &workload.main).then(|| {
        let namespace = DownwardAPIVolumeFile {
            path: "namespace".into(),
            field_ref: Some(ObjectFieldSelector {
                field_path: "metadata.namespace".into(),
                ..ObjectFieldSelector::default()
            }),
            ..DownwardAPIVolumeFile::default()
        };
        let namespace = VolumeProjection {
            downward_api: Some(DownwardAPIProjection { items: Some(vec![namespace]) }),
            ..VolumeProjection::default()
        };
        projected(VOLUME, projections().into_iter().chain([namespace]).collect())
    })
}

/// The mount in the workload's own container.
pub(crate) fn mount(workload: &Workload, container: &Definition) -> Option<VolumeMount> {
    is_mounted(workload, container).then(|| mount_at(VOLUME, FOLDER))
}

/// A mount that nothing is written into.
pub(crate) fn mount_at(volume: &str, folder: &str) -> VolumeMount {
    VolumeMount {
        name: volume.into(),
        mount_path: folder.into(),
        read_only: Some(true),
        ..VolumeMount::default()
    }
}

/// Whether a container gets it: what it mounts there itself stays.
fn is_mounted(workload: &Workload, container: &Definition) -> bool {
    !workload.rights.is_empty() && !container.mounts.iter().any(|mount| *mount.path == *FOLDER)
}
