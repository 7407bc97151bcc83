//! `NetworkPolicy` (networking.k8s.io/v1): members of a network reach each other, everything reaches open ports, and
//! members of closed networks reach only other members and DNS.
//!
//! Policies add up: a pod may do what any policy that selects it allows. A pod in both a closed and an open network can
//! reach everything, so the policy of the open network must allow it for such members.

use std::collections::BTreeMap;
use std::sync::Arc;

use fracht_core::model::{Admitted, Model, Network, NetworkId, Workload};
use fracht_core::plan::reach::{API_PORTS, NAME_PORTS, NODE_NAMES};

use crate::api::{
    IntOrName, IpBlock, LabelSelector, Map, NetworkPolicy, NetworkPolicyEgressRule, NetworkPolicyIngressRule,
    NetworkPolicyPeer, NetworkPolicyPort, NetworkPolicySpec, Str,
};
use crate::name::for_purpose;
use crate::{labels, port};

/// The name of a network's policy.
pub(crate) fn network_name(model: &Model, network: &Network) -> String {
    for_purpose(model, &network.name, "network")
}

/// The name of the policy of the default network.
pub(crate) fn common_name(model: &Model) -> String {
    format!("{}.common-network", model.name.value)
}

/// The name of the policy that opens the open ports of a service to everything.
pub(crate) fn open_name(model: &Model, workload: &Workload) -> String {
    for_purpose(model, &workload.name, "open")
}

/// The name of the policy that lets a workload in closed networks use the API.
pub(crate) fn api_name(model: &Model, workload: &Workload) -> String {
    for_purpose(model, &workload.name, "api")
}

/// Whether any workload is in the default network.
pub(crate) fn has_common(model: &Model) -> bool {
    model.workloads.iter().any(|workload| workload.networks.is_empty())
}

/// The networks with members, each with whether a member is in a closed network as well.
pub(crate) fn with_members(model: &Model) -> BTreeMap<NetworkId, bool> {
    let mut found = BTreeMap::new();
    for workload in &model.workloads {
        let in_closed = workload.networks.iter().any(|network| model.networks[network.value].closed.value);
        for network in &workload.networks {
            *found.entry(network.value).or_default() |= in_closed;
        }
    }
    found
}

/// The policy of a network. With `beside_closed`, it allows connections out, for members that are in a closed network
/// as well.
pub(crate) fn network(model: &Model, network: &Network, beside_closed: bool) -> NetworkPolicy {
    let members = members(model, labels::network_key(network).into());
    let mut spec = among(&members);
    let admitted = network.admits.iter().map(admitted);
    spec.ingress.iter_mut().for_each(|rule| rule.from.extend(admitted.clone()));
    if network.closed.value {
        let to_members = NetworkPolicyEgressRule { to: vec![peer(&members)], ports: Vec::new() };
        spec.egress = vec![to_members, look_up()];
        spec.policy_types.push("Egress".into());
    } else if beside_closed {
        spec.egress = vec![NetworkPolicyEgressRule::default()];
        spec.policy_types.push("Egress".into());
    }
    policy(model, network_name(model, network), &network.name, spec)
}

/// The policy of the default network.
pub(crate) fn common(model: &Model) -> NetworkPolicy {
    let spec = among(&members(model, labels::COMMON_NETWORK.into()));
    policy(model, common_name(model), &model.name.value, spec)
}

/// The policy of a service's open ports.
pub(crate) fn open(model: &Model, workload: &Workload) -> NetworkPolicy {
    let ports = model.opened_ports(workload).map(port::of_policy).collect();
    let spec = NetworkPolicySpec {
        pod_selector: labels::label_selector(model, workload),
        policy_types: vec!["Ingress".into()],
        ingress: vec![NetworkPolicyIngressRule { from: Vec::new(), ports }],
        egress: Vec::new(),
    };
    of_workload(model, open_name(model, workload), workload, spec)
}

/// The policy of a workload in closed networks that uses the API.
pub(crate) fn api(model: &Model, workload: &Workload) -> NetworkPolicy {
    let to_api = NetworkPolicyEgressRule {
        to: model.target.api.iter().map(|block| to_block(block.into())).collect(),
        ports: API_PORTS.iter().map(|number| number_of("TCP", *number)).collect(),
    };
    let spec = NetworkPolicySpec {
        pod_selector: labels::label_selector(model, workload),
        policy_types: vec!["Egress".into()],
        ingress: Vec::new(),
        egress: vec![to_api],
    };
    of_workload(model, api_name(model, workload), workload, spec)
}

fn members(model: &Model, key: Str) -> LabelSelector {
    let part_of = (Str::from(labels::PART_OF), Str::from(&model.name.value));
    LabelSelector { match_labels: Map::from_iter([part_of, (key, labels::MEMBER.into())]) }
}

fn peer(members: &LabelSelector) -> NetworkPolicyPeer {
    NetworkPolicyPeer { pod_selector: Some(members.clone()), ..NetworkPolicyPeer::default() }
}

/// The pods of another stack that may connect to members.
fn admitted(admitted: &Admitted) -> NetworkPolicyPeer {
    let stack = (Str::from(labels::PART_OF), Str::from(&admitted.stack.value));
    let service = admitted.service.as_ref().map(|service| (Str::from(labels::NAME), Str::from(service)));
    let namespace = admitted.namespace.as_ref().map(|namespace| LabelSelector {
        match_labels: Map::from_iter([(labels::NAMESPACE_NAME, Str::from(namespace))]),
    });
    NetworkPolicyPeer {
        pod_selector: Some(LabelSelector { match_labels: service.into_iter().chain([stack]).collect() }),
        namespace_selector: namespace,
        ip_block: None,
    }
}

fn to_block(cidr: Str) -> NetworkPolicyPeer {
    NetworkPolicyPeer { ip_block: Some(IpBlock { cidr }), ..NetworkPolicyPeer::default() }
}

/// Members accept connections from members only.
fn among(members: &LabelSelector) -> NetworkPolicySpec {
    NetworkPolicySpec {
        pod_selector: members.clone(),
        policy_types: vec!["Ingress".into()],
        ingress: vec![NetworkPolicyIngressRule { from: vec![peer(members)], ports: Vec::new() }],
        egress: Vec::new(),
    }
}

/// The rule that allows DNS, whatever in the cluster answers it.
fn look_up() -> NetworkPolicyEgressRule {
    let in_cluster = NetworkPolicyPeer {
        namespace_selector: Some(LabelSelector::default()),
        ..NetworkPolicyPeer::default()
    };
    let ports = NAME_PORTS.iter().flat_map(|number| [number_of("UDP", *number), number_of("TCP", *number)]);
    NetworkPolicyEgressRule { to: vec![in_cluster, to_block(NODE_NAMES.into())], ports: ports.collect() }
}

fn number_of(protocol: &'static str, number: u16) -> NetworkPolicyPort {
    NetworkPolicyPort { port: IntOrName::Int(number.into()), protocol: protocol.into() }
}

fn policy(model: &Model, name: String, part: &Arc<str>, spec: NetworkPolicySpec) -> NetworkPolicy {
    NetworkPolicy::new(labels::meta(model, name, labels::of_part(model, part)), spec)
}

fn of_workload(model: &Model, name: String, workload: &Workload, spec: NetworkPolicySpec) -> NetworkPolicy {
    NetworkPolicy::new(labels::meta(model, name, labels::of_service(model, workload)), spec)
}
