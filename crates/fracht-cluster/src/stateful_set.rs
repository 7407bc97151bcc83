//! `StatefulSet` (apps/v1) of a service whose replicas keep names of their own.

use fracht_core::model::{Model, Mounted, Volume, VolumeId, Workload};
use k8s_openapi::api::apps::v1::{StatefulSet, StatefulSetSpec};

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::{claim, deployment, filled, labels, pod};

/// The longest name that leaves room for what the cluster adds to it in a label of the pods.
const LONGEST: usize = LABEL - 11;

/// The name of the object.
pub(crate) fn name(workload: &Workload) -> String {
    fitted(&workload.name, LONGEST)
}

pub(crate) fn stateful_set(rendering: &Rendering<'_>, workload: &Workload) -> StatefulSet {
    let model = rendering.model();
    StatefulSet {
        metadata: labels::workload_meta(model, workload, name(workload)),
        spec: Some(StatefulSetSpec {
            replicas: deployment::replicas(workload),
            selector: labels::label_selector(model, workload),
            service_name: Some(governing_name(workload)),
            template: pod::template(rendering, workload, None),
            volume_claim_templates: filled(each(model, workload).map(claim::template).collect()),
            ..StatefulSetSpec::default()
        }),
        status: None,
    }
}

/// The name of the Service under which each replica has its name.
pub(crate) fn governing_name(workload: &Workload) -> String {
    fitted(&format!("{}-pods", workload.name), LABEL)
}

/// The volumes that each replica has one of, each once.
fn each<'m>(model: &'m Model, workload: &Workload) -> impl Iterator<Item = &'m Volume> + use<'m> {
    let mut ids: Vec<VolumeId> = Vec::new();
    for mount in workload.containers().flat_map(|container| &container.mounts) {
        match mount.what {
            Mounted::Volume(id) if model.volumes[id].each.value && !ids.contains(&id) => ids.push(id),
            _ => {}
        }
    }
    ids.into_iter().map(|id| &model.volumes[id])
}
