//! The pod template that services and tasks share.

mod annotations;
mod scheduling;

use fracht_core::digest::short;
use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::Workload;

use crate::api::{LocalObjectReference, Metadata, PodSpec, PodTemplateSpec, Str, json, json_bytes};
use crate::container::{self, security, storage, token};
use crate::facts::ClusterFacts;
use crate::name::{secret_name, side_name};
use crate::{gate, labels};

/// The time to stop, by default of a cluster.
const STOP_SECONDS: u32 = 30;

/// What a pod of a task has in addition.
pub(crate) struct Once {
    /// The time limit in seconds.
    pub(crate) within: Option<i64>,
}

/// The version of a workload: a digest of its pods.
pub(crate) fn version(facts: &ClusterFacts<'_>, workload: &Workload) -> Str {
    let mut content = json(&template(facts, workload, None));
    // In the order of the alphabet, so that the digest does not depend on the order in which fields are written.
    content.sort_all_objects();
    short(&json_bytes(&content)).into()
}

/// The pod template of a workload; `once` is set for a task.
pub(crate) fn template(facts: &ClusterFacts<'_>, workload: &Workload, once: Option<Once>) -> PodTemplateSpec {
    let model = facts.model;
    let mut volumes = storage::volumes(model, workload);
    volumes.extend(gate::token_volume(workload));
    volumes.extend(token::volume(workload));
    // Gates come before the sidecars, which may need the same services.
    let mut before = gate::gates(facts, workload);
    before.extend(container::sidecars(facts, workload));
    let pull = workload.pull.iter().map(|id| secret_name(model, &model.secrets[id.value]));
    let stop = workload.stop_within.map(|time| whole_seconds(time.value));
    let spec = PodSpec {
        service_account_name: gate::needs_account(workload).then(|| side_name(model, workload).into()),
        // No container gets a token by default; one with permissions gets it by a mount.
        automount_service_account_token: Some(false),
        enable_service_links: Some(false),
        image_pull_secrets: pull.map(|name| LocalObjectReference { name: name.into() }).collect(),
        init_containers: before,
        containers: vec![container::main(facts, workload)],
        volumes,
        restart_policy: once.is_some().then(|| "Never".into()),
        active_deadline_seconds: once.and_then(|once| once.within),
        termination_grace_period_seconds: stop.filter(|stop| *stop != STOP_SECONDS).map(Into::into),
        security_context: security::of_pod(workload),
        node_selector: scheduling::node_selector(workload),
        affinity: scheduling::affinity(facts, workload),
        topology_spread_constraints: scheduling::spread(model, workload).into_iter().collect(),
    };
    let metadata = Metadata {
        labels: labels::of_pod(model, workload, facts.one_node(workload)),
        annotations: annotations::of_pod(facts, workload),
        ..Metadata::default()
    };
    PodTemplateSpec { metadata, spec }
}
