//! `StatefulSet` (apps/v1) of a service whose replicas keep their names.

use fracht_core::model::{Model, Mounted, Volume, VolumeId, Workload};

use super::deployment;
use super::persistent_volume_claim::template;
use crate::api::{StatefulSet, StatefulSetSpec};
use crate::facts::ClusterFacts;
use crate::name::headless_name;
use crate::{labels, pod};

pub(crate) fn stateful_set(facts: &ClusterFacts<'_>, workload: &Workload) -> StatefulSet {
    let model = facts.model;
    let spec = StatefulSetSpec {
        service_name: headless_name(model, workload).into(),
        replicas: deployment::replicas(workload),
        selector: labels::label_selector(model, workload),
        template: pod::template(facts, workload, None),
        volume_claim_templates: each(model, workload).map(template).collect(),
    };
    StatefulSet::new(deployment::meta(facts, workload), spec)
}

/// The volumes of which each replica has its own, each once.
pub(crate) fn each<'m>(model: &'m Model, workload: &Workload) -> impl Iterator<Item = &'m Volume> + use<'m> {
    let mut ids: Vec<VolumeId> = Vec::new();
    for mount in workload.containers().flat_map(|container| &container.mounts) {
        match mount.what {
            Mounted::Volume(id) if model.volumes[id].each.value && !ids.contains(&id) => ids.push(id),
            _ => {}
        }
    }
    ids.into_iter().map(|id| &model.volumes[id])
}
