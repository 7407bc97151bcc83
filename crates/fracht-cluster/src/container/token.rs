//! The token for the API, for the one container of a pod that has permissions.
//!
//! A cluster would mount it into every container of the pod. Here, only the container that needs it gets it.

use fracht_core::model::{Container as Definition, Workload};

use crate::api::{
    ConfigMapProjection, DownwardApiProjection, DownwardApiVolumeFile, KeyToPath, ObjectFieldSelector,
    ProjectedVolumeSource, ServiceAccountTokenProjection, Volume, VolumeMount, VolumeProjection,
};

/// The name of the volume, which no volume of a stack can have.
const VOLUME: &str = "fracht-token";
/// Where clients of the API expect it (Kubernetes, "Accessing the Kubernetes API from a Pod").
const FOLDER: &str = "/var/run/secrets/kubernetes.io/serviceaccount";

/// The projections for access to the API: a token, and the certificate of the API.
pub(crate) fn projections() -> Vec<VolumeProjection> {
    let token = VolumeProjection {
        service_account_token: Some(ServiceAccountTokenProjection {
            path: "token".into(),
            expiration_seconds: 3600,
        }),
        ..VolumeProjection::default()
    };
    let certificate = VolumeProjection {
        config_map: Some(ConfigMapProjection {
            name: "kube-root-ca.crt".into(),
            items: vec![KeyToPath { key: "ca.crt".into(), path: "ca.crt".into() }],
        }),
        ..VolumeProjection::default()
    };
    vec![token, certificate]
}

/// A volume of projections.
pub(crate) fn projected(name: &'static str, sources: Vec<VolumeProjection>) -> Volume {
    Volume { name: name.into(), projected: Some(ProjectedVolumeSource { sources }), ..Volume::default() }
}

/// The volume of a workload with permissions.
pub(crate) fn volume(workload: &Workload) -> Option<Volume> {
    is_mounted(workload, &workload.main).then(|| {
        let namespace = DownwardApiVolumeFile {
            path: "namespace".into(),
            field_ref: ObjectFieldSelector { field_path: "metadata.namespace".into() },
        };
        let namespace = VolumeProjection {
            downward_api: Some(DownwardApiProjection { items: vec![namespace] }),
            ..VolumeProjection::default()
        };
        projected(VOLUME, projections().into_iter().chain([namespace]).collect())
    })
}

/// The mount in the main container of a workload.
pub(crate) fn mount(workload: &Workload, container: &Definition) -> Option<VolumeMount> {
    is_mounted(workload, container).then(|| mount_at(VOLUME, FOLDER))
}

/// A read-only mount.
pub(crate) fn mount_at(volume: &'static str, folder: &'static str) -> VolumeMount {
    VolumeMount { name: volume.into(), mount_path: folder.into(), sub_path: None, read_only: Some(true) }
}

/// Whether a container gets the token: not if it mounts something else there.
fn is_mounted(workload: &Workload, container: &Definition) -> bool {
    !workload.rights.is_empty() && !container.mounts.iter().any(|mount| *mount.path == *FOLDER)
}
