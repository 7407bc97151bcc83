//! On which nodes pods run: labels of nodes, spreading, and pods that share a node.

use fracht_core::model::{Model, Over, Workload};

use crate::api::{Affinity, Map, PodAffinity, PodAffinityTerm, Str, TopologySpreadConstraint};
use crate::facts::ClusterFacts;
use crate::labels;

/// The labels that a node must have.
pub(super) fn node_selector(workload: &Workload) -> Map {
    let place = workload.place.iter().map(|(name, value)| (Str::from(name), value.plain()));
    let platform = workload.platform.iter().flat_map(|platform| {
        [("kubernetes.io/os", platform.value.system), ("kubernetes.io/arch", platform.value.processor)]
    });
    let platform = platform.map(|(name, value)| (name.into(), value.to_owned()));
    place.chain(platform).collect()
}

/// The label that a spread uses: that of a node or of its zone.
fn topology_key(over: Over) -> Str {
    match over {
        Over::Node => "kubernetes.io/hostname".into(),
        Over::Zone => "topology.kubernetes.io/zone".into(),
    }
}

/// The affinity: pods that must not share a node, and pods that must.
pub(super) fn affinity(facts: &ClusterFacts<'_>, workload: &Workload) -> Option<Affinity> {
    let model = facts.model;
    let apart = workload.spread.filter(|spread| spread.over.value == Over::Node && spread.strict.value);
    let term =
        |selector| PodAffinityTerm { label_selector: selector, topology_key: topology_key(Over::Node) };
    let required =
        |selector| PodAffinity { required_during_scheduling_ignored_during_execution: vec![term(selector)] };
    let apart = apart.map(|_| required(labels::label_selector(model, workload)));
    // The first pod of the group can go anywhere, since it matches the rule itself.
    let together = facts.one_node(workload).map(|group| required(labels::of_group(model, group)));
    (apart.is_some() || together.is_some())
        .then_some(Affinity { pod_affinity: together, pod_anti_affinity: apart })
}

/// How the pods of a workload are spread.
pub(super) fn spread(model: &Model, workload: &Workload) -> Option<TopologySpreadConstraint> {
    let spread = workload.spread.filter(|spread| spread.over.value == Over::Zone || !spread.strict.value)?;
    let otherwise = if spread.strict.value { "DoNotSchedule" } else { "ScheduleAnyway" };
    Some(TopologySpreadConstraint {
        max_skew: 1,
        topology_key: topology_key(spread.over.value),
        when_unsatisfiable: otherwise.into(),
        label_selector: labels::label_selector(model, workload),
    })
}
