//! The pod template that services and tasks share.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{ConfigId, Container as Definition, Model, Mounted, Over, Part, Workload};
use k8s_openapi::api::core::v1::{
    Affinity, LocalObjectReference, PodAffinity, PodAffinityTerm, PodAntiAffinity, PodSpec, PodTemplateSpec,
    TopologySpreadConstraint,
};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::config_map::digest_of;
use crate::name::{LABEL, in_stack, secret_name, shortened};
use crate::rendering::Rendering;
use crate::{container, filled, gate, labels, rights, security, storage, token};

/// The time to stop, by default of a cluster.
const STOP_SECONDS: u32 = 30;

/// What a pod of a task has in addition.
pub(crate) struct Once {
    /// The time limit in seconds.
    pub(crate) within: Option<i64>,
}

/// The pod template of a workload; `once` is set for a task.
pub(crate) fn template(
    rendering: &Rendering<'_>,
    workload: &Workload,
    once: Option<Once>,
) -> PodTemplateSpec {
    let mut volumes = storage::volumes(rendering.model(), workload);
    volumes.extend(gate::token_volume(workload));
    volumes.extend(token::volume(workload));
    // Gates come before the sidecars, which may need the same services.
    let mut before = gate::gates(rendering, workload);
    before.extend(container::sidecars(rendering, workload));
    let secret = |id| secret_name(rendering.model(), &rendering.model().secrets[id]);
    let pull = workload.pull.iter().map(|id| LocalObjectReference { name: secret(id.value) });
    let stop = workload.stop_within.map(|time| whole_seconds(time.value));
    let spec = PodSpec {
        // No container gets a token by default; one with permissions gets it by a mount.
        automount_service_account_token: Some(false),
        enable_service_links: Some(false),
        service_account_name: rights::needs_account(workload)
            .then(|| in_stack(rendering.model(), &workload.name)),
        restart_policy: once.is_some().then(|| "Never".into()),
        active_deadline_seconds: once.and_then(|once| once.within),
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
            labels: Some(labels::of_pod(rendering.model(), workload, rendering.one_node(workload))),
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

/// The label that a spread uses: that of a node or of its zone.
fn topology_key(over: Over) -> String {
    match over {
        Over::Node => "kubernetes.io/hostname".into(),
        Over::Zone => "topology.kubernetes.io/zone".into(),
    }
}

/// The affinity: pods that must not share a node, and pods that must.
fn affinity(rendering: &Rendering<'_>, workload: &Workload) -> Option<Affinity> {
    let model = rendering.model();
    let apart = workload.spread.filter(|spread| spread.over.value == Over::Node && spread.strict.value);
    let term = |selector| PodAffinityTerm {
        label_selector: Some(selector),
        topology_key: topology_key(Over::Node),
        ..PodAffinityTerm::default()
    };
    let apart = apart.map(|_| PodAntiAffinity {
        required_during_scheduling_ignored_during_execution: Some(vec![term(labels::label_selector(
            model, workload,
        ))]),
        ..PodAntiAffinity::default()
    });
    // The first pod of the group can go anywhere, since it matches the rule itself.
    let together = rendering.one_node(workload).map(|group| PodAffinity {
        required_during_scheduling_ignored_during_execution: Some(vec![term(labels::of_group(model, group))]),
        ..PodAffinity::default()
    });
    (apart.is_some() || together.is_some()).then_some(Affinity {
        pod_affinity: together,
        pod_anti_affinity: apart,
        node_affinity: None,
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

/// The annotations, with a digest per config of the keys that the workload uses: a change of these keys restarts its
/// pods, and no others. Secrets have no digest, from which they could be guessed.
fn annotations(rendering: &Rendering<'_>, workload: &Workload) -> Option<BTreeMap<String, String>> {
    let mut used: BTreeMap<ConfigId, Keys<'_>> = BTreeMap::new();
    workload.containers().for_each(|container| keys(rendering.model(), container, &mut used));
    let digest = |(id, keys): (ConfigId, Keys<'_>)| {
        let config = &rendering.model().configs[id];
        let name = shortened(&format!("config-{}", config.name), LABEL);
        let all = rendering.config_digests(id)?;
        let digest = match keys {
            Keys::All => digest_of(all.iter().map(|(key, digest)| (*key, digest))),
            Keys::Some(keys) => digest_of(keys.iter().filter_map(|key| Some((&**key, all.get(&**key)?)))),
        };
        Some((format!("fracht/{name}"), digest))
    };
    let mut annotations = labels::notes(workload).unwrap_or_default();
    annotations.extend(used.into_iter().filter_map(digest));
    (!annotations.is_empty()).then_some(annotations)
}

/// The used keys of a config.
enum Keys<'m> {
    All,
    Some(BTreeSet<Cow<'m, str>>),
}

/// Adds the config keys that a container mounts, uses or refers to.
fn keys<'m>(model: &Model, container: &'m Definition, all: &mut BTreeMap<ConfigId, Keys<'m>>) {
    let mut key = |id: ConfigId, key: Option<Cow<'m, str>>| match (
        all.entry(id).or_insert_with(|| Keys::Some(BTreeSet::new())),
        key,
    ) {
        (Keys::All, _) => {}
        (known, None) => *known = Keys::All,
        (Keys::Some(keys), Some(key)) => _ = keys.insert(key),
    };
    for mount in &container.mounts {
        if let Mounted::Config(id, one) = &mount.what {
            key(*id, one.as_deref().map(Cow::Borrowed));
        }
    }
    for used in container.uses.iter().flat_map(|used| model.used_keys(used)) {
        if let Part::Config(id, one) = used {
            key(id, Some(Cow::Owned(one.to_string())));
        }
    }
    for part in container.texts().flat_map(|(_, text)| &text.parts) {
        if let Part::Config(id, one) = part {
            key(*id, Some(Cow::Borrowed(one)));
        }
    }
}
