//! Deployment (apps/v1) of a service.

use fracht_core::grammar::share::Share;
use fracht_core::model::{Replicas, Workload};
use k8s_openapi::api::apps::v1::{Deployment, DeploymentSpec, DeploymentStrategy, RollingUpdateDeployment};
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::rendering::Rendering;
use crate::{labels, pod};

pub(crate) fn deployment(rendering: &Rendering<'_>, workload: &Workload) -> Deployment {
    let model = rendering.model();
    Deployment {
        metadata: labels::workload_meta(model, workload),
        spec: Some(DeploymentSpec {
            replicas: replicas(workload),
            selector: labels::label_selector(model, workload),
            strategy: strategy(rendering, workload),
            template: pod::template(rendering, workload, None),
            ..DeploymentSpec::default()
        }),
        status: None,
    }
}

/// The number of replicas. It is also set if it is the cluster's default, so that applying the object restores it.
/// `None` if an autoscaler sets it, so that applying the object does not undo that.
pub(crate) fn replicas(workload: &Workload) -> Option<i32> {
    match workload.service()?.replicas.value {
        Replicas::Fixed(count) => Some(i32::try_from(count).unwrap_or(i32::MAX)),
        Replicas::Growing { .. } => None,
    }
}

fn strategy(rendering: &Rendering<'_>, workload: &Workload) -> Option<DeploymentStrategy> {
    // A new pod cannot mount a volume that the old one still uses.
    if rendering.model().has_single_volume(workload) {
        return Some(DeploymentStrategy { type_: Some("Recreate".into()), rolling_update: None });
    }
    let rollout = &workload.service()?.rollout;
    let share = |share: Share| match share {
        Share::Number(number) => IntOrString::Int(i32::try_from(number).unwrap_or(i32::MAX)),
        Share::Percent(percent) => IntOrString::String(format!("{percent}%")),
    };
    let rolling = RollingUpdateDeployment {
        max_surge: rollout.surge.map(|surge| share(surge.value)),
        max_unavailable: rollout.down.map(|down| share(down.value)),
    };
    (rolling != RollingUpdateDeployment::default())
        .then_some(DeploymentStrategy { type_: None, rolling_update: Some(rolling) })
}
