//! Deployment (apps/v1) of a service.

use fracht_core::grammar::share::Share;
use fracht_core::model::{Model, Replicas, Workload};

use crate::api::{
    Deployment, DeploymentSpec, DeploymentStrategy, IntOrName, Metadata, RollingUpdateDeployment,
};
use crate::facts::ClusterFacts;
use crate::{labels, pod};

/// The annotation with the version of the pods, a digest, which start gates compare.
const VERSION: &str = "fracht/version";

pub(crate) fn deployment(facts: &ClusterFacts<'_>, workload: &Workload) -> Deployment {
    let model = facts.model;
    let spec = DeploymentSpec {
        replicas: replicas(workload),
        selector: labels::label_selector(model, workload),
        strategy: strategy(model, workload),
        template: pod::template(facts, workload, None),
    };
    Deployment::new(meta(facts, workload), spec)
}

/// Name, namespace, labels and annotations, with the version of the pods if a Job waits for it.
pub(super) fn meta(facts: &ClusterFacts<'_>, workload: &Workload) -> Metadata {
    let mut meta = labels::workload_meta(facts.model, workload);
    meta.annotations.extend(facts.version(workload).map(|version| (VERSION, version.clone())));
    meta
}

/// The number of replicas. It is also set if it is the cluster's default, so that applying the object restores it.
/// `None` if an autoscaler sets it, so that applying the object does not undo that.
pub(crate) fn replicas(workload: &Workload) -> Option<i32> {
    match workload.service()?.replicas.value {
        Replicas::Fixed(count) => Some(i32::try_from(count).unwrap_or(i32::MAX)),
        Replicas::Growing { .. } => None,
    }
}

fn strategy(model: &Model, workload: &Workload) -> Option<DeploymentStrategy> {
    // A new pod cannot mount a volume that the old one still uses.
    if model.has_single_volume(workload) {
        return Some(DeploymentStrategy { type_: Some("Recreate".into()), rolling_update: None });
    }
    let rollout = &workload.service()?.rollout;
    let share = |share: Share| match share {
        Share::Number(number) => IntOrName::Int(i32::try_from(number).unwrap_or(i32::MAX)),
        Share::Percent(percent) => IntOrName::Name(format!("{percent}%").into()),
    };
    let rolling = RollingUpdateDeployment {
        max_surge: rollout.surge.map(|surge| share(surge.value)),
        max_unavailable: rollout.down.map(|down| share(down.value)),
    };
    (rolling != RollingUpdateDeployment::default())
        .then_some(DeploymentStrategy { type_: None, rolling_update: Some(rolling) })
}
