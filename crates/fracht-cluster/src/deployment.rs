//! Deployment (apps/v1) of a service.

use fracht_core::model::{Access, Mounted, Workload};
use k8s_openapi::api::apps::v1::{Deployment, DeploymentSpec, DeploymentStrategy};

use crate::rendering::Rendering;
use crate::{labels, pod};

pub(crate) fn deployment(rendering: &Rendering<'_>, workload: &Workload) -> Deployment {
    let model = rendering.model();
    let replicas = workload.service().map(|service| service.replicas);
    // One replica is the cluster's default: it stands there only if somebody wrote it.
    let replicas = replicas.filter(|replicas| replicas.value != 1 || replicas.span().is_some());
    Deployment {
        metadata: labels::meta(model, &*workload.name, labels::of_workload(model, workload)),
        spec: Some(DeploymentSpec {
            replicas: replicas.map(|replicas| i32::try_from(replicas.value).unwrap_or(i32::MAX)),
            selector: labels::label_selector(model, workload),
            strategy: has_single_volume(rendering, workload)
                .then(|| DeploymentStrategy { type_: Some("Recreate".into()), rolling_update: None }),
            template: pod::template(rendering, workload, None),
            ..DeploymentSpec::default()
        }),
        status: None,
    }
}

/// Whether a new pod could not mount a volume while the old one still has it.
fn has_single_volume(rendering: &Rendering<'_>, workload: &Workload) -> bool {
    workload.mounts.iter().any(|mount| match mount.what {
        Mounted::Volume(id) => {
            let access = rendering.model().volumes[id].access.value;
            matches!(access, Access::OneNode | Access::OnePod)
        }
        _ => false,
    })
}
