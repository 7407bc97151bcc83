//! `StatefulSet` (apps/v1) of a service whose replicas keep their names.

use fracht_core::model::{Model, Mounted, Volume, VolumeId, Workload};
use k8s_openapi::api::apps::v1::{StatefulSet, StatefulSetSpec};

use crate::name::headless_name;
use crate::rendering::Rendering;
use crate::{claim, deployment, filled, labels, pod};

pub(crate) fn stateful_set(rendering: &Rendering<'_>, workload: &Workload) -> StatefulSet {
    let model = rendering.model();
    StatefulSet {
        metadata: labels::workload_meta(model, workload),
        spec: Some(StatefulSetSpec {
            replicas: deployment::replicas(workload),
            selector: labels::label_selector(model, workload),
            service_name: Some(headless_name(model, workload)),
            template: pod::template(rendering, workload, None),
            volume_claim_templates: filled(each(model, workload).map(claim::template).collect()),
            ..StatefulSetSpec::default()
        }),
        status: None,
    }
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
