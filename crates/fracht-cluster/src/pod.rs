//! The pod template that services and tasks share.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{ConfigId, Container as Definition, Mounted, Over, Part, UseSource, Workload};
use k8s_openapi::api::core::v1::{
    Affinity, LocalObjectReference, PodAffinityTerm, PodAntiAffinity, PodSpec, PodTemplateSpec,
    TopologySpreadConstraint,
};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::{container, filled, gate, labels, rights, security, storage};

/// How long a pod has to stop by itself, by the cluster's default.
const STOP_SECONDS: u32 = 30;

/// The template of a workload's pods. Only a task's one says what happens when it ends.
pub(crate) fn template(
    rendering: &Rendering<'_>,
    workload: &Workload,
    restart: Option<&str>,
) -> PodTemplateSpec {
    let mut volumes = storage::volumes(rendering, workload);
    volumes.extend(gate::token_volume(workload));
    // Gates hold back the helpers as well: what is waited for may be what they need.
    let mut before = gate::gates(rendering, workload);
    before.extend(container::helpers(rendering, workload));
    let secret = |id| rendering.model().secrets[id].object_name().to_string();
    let pull = workload.pull.iter().map(|id| LocalObjectReference { name: secret(id.value) });
    let stop = workload.stop_within.map(|time| whole_seconds(time.value));
    let spec = PodSpec {
        // Nothing in a pod gets a key to the cluster that it did not ask for.
        automount_service_account_token: Some(!workload.rights.is_empty()),
        enable_service_links: Some(false),
        service_account_name: rights::needs_account(workload).then(|| workload.name.to_string()),
        restart_policy: restart.map(str::to_owned),
        security_context: security::of_pod(workload),
        image_pull_secrets: filled(pull.collect()),
        node_selector: node_selector(workload),
        affinity: affinity(rendering, workload),
        topology_spread_constraints: spread(rendering, workload).map(|constraint| vec![constraint]),
        termination_grace_period_seconds: stop.filter(|stop| *stop != STOP_SECONDS).map(Into::into),
        init_containers: filled(before),
        containers: vec![container::main(rendering, workload)],
        volumes: filled(volumes),
        ..PodSpec::default()
    };
    PodTemplateSpec {
        metadata: Some(ObjectMeta {
            labels: Some(labels::of_pod(rendering.model(), workload)),
            annotations: annotations(rendering, workload),
            ..ObjectMeta::default()
        }),
        spec: Some(spec),
    }
}

fn node_selector(workload: &Workload) -> Option<BTreeMap<String, String>> {
    let place = workload.place.iter().map(|(name, value)| (name.to_string(), value.plain()));
    let platform = workload.platform.iter().flat_map(|platform| {
        [("kubernetes.io/os", platform.value.system), ("kubernetes.io/arch", platform.value.processor)]
    });
    let platform = platform.map(|(name, value)| (name.to_owned(), value.to_owned()));
    let labels: BTreeMap<_, _> = place.chain(platform).collect();
    (!labels.is_empty()).then_some(labels)
}

/// What a spread goes by: the label of a node, or of its zone.
fn topology_key(over: Over) -> String {
    match over {
        Over::Node => "kubernetes.io/hostname".into(),
        Over::Zone => "topology.kubernetes.io/zone".into(),
    }
}

/// No two on one node: a rule, not a balance.
fn affinity(rendering: &Rendering<'_>, workload: &Workload) -> Option<Affinity> {
    let spread = workload.spread.filter(|spread| spread.over.value == Over::Node && spread.strict.value)?;
    let term = PodAffinityTerm {
        label_selector: Some(labels::label_selector(rendering.model(), workload)),
        topology_key: topology_key(spread.over.value),
        ..PodAffinityTerm::default()
    };
    Some(Affinity {
        pod_anti_affinity: Some(PodAntiAffinity {
            required_during_scheduling_ignored_during_execution: Some(vec![term]),
            ..PodAntiAffinity::default()
        }),
        ..Affinity::default()
    })
}

fn spread(rendering: &Rendering<'_>, workload: &Workload) -> Option<TopologySpreadConstraint> {
    let spread = workload.spread.filter(|spread| spread.over.value == Over::Zone || !spread.strict.value)?;
    let otherwise = if spread.strict.value { "DoNotSchedule" } else { "ScheduleAnyway" };
    Some(TopologySpreadConstraint {
        label_selector: Some(labels::label_selector(rendering.model(), workload)),
        max_skew: 1,
        topology_key: topology_key(spread.over.value),
        when_unsatisfiable: otherwise.into(),
        ..TopologySpreadConstraint::default()
    })
}

/// The notes, and a digest for each config that the workload uses: a change restarts its pods, and no others.
/// The contents of secrets enter no digest: they could be guessed from it.
fn annotations(rendering: &Rendering<'_>, workload: &Workload) -> Option<BTreeMap<String, String>> {
    let used: BTreeSet<ConfigId> = workload.containers().flat_map(configs).collect();
    let digest = |id: ConfigId| {
        let name = fitted(&format!("config-{}", rendering.model().configs[id].name), LABEL);
        Some((format!("fracht/{name}"), rendering.config_digest(id)?.to_owned()))
    };
    let mut annotations = labels::notes(workload).unwrap_or_default();
    annotations.extend(used.into_iter().filter_map(digest));
    (!annotations.is_empty()).then_some(annotations)
}

/// The configs that a container mounts, uses or refers to.
fn configs(container: &Definition) -> impl Iterator<Item = ConfigId> {
    let mounted = container.mounts.iter().filter_map(|mount| match mount.what {
        Mounted::Config(id, _) => Some(id),
        _ => None,
    });
    let used = container.uses.iter().filter_map(|used| match used.source {
        UseSource::Config(id) => Some(id),
        UseSource::Secret(_) => None,
    });
    let referred = container.texts().flat_map(|(_, text)| &text.parts).filter_map(|part| match part {
        Part::Config(id, _) => Some(*id),
        _ => None,
    });
    mounted.chain(used).chain(referred)
}
