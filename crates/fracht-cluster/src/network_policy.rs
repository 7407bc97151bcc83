//! `NetworkPolicy` (networking.k8s.io/v1): members of a network reach each other, everything reaches open ports, and
//! members of closed networks reach only other members and DNS.
//!
//! Policies add up: a pod may do what any policy that selects it allows. A pod in both a closed and an open network can
//! reach everything, so the policy of the open network must allow it for such members.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Network, NetworkId, Workload};
use fracht_core::plan::reach::{API_PORTS, NAME_PORTS, NODE_NAMES};
use k8s_openapi::api::networking::v1::{
    IPBlock, NetworkPolicy, NetworkPolicyEgressRule, NetworkPolicyIngressRule, NetworkPolicyPeer,
    NetworkPolicyPort, NetworkPolicySpec,
};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::LabelSelector;
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::name::for_purpose;
use crate::{filled, labels, port};

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
pub(crate) fn network(model: &Model, id: NetworkId, beside_closed: bool) -> NetworkPolicy {
    let network = &model.networks[id];
    let members = members(model, &labels::network_key(network));
    let mut spec = among(&members);
    if network.closed.value {
        let to_members = NetworkPolicyEgressRule { ports: None, to: Some(vec![peer(&members)]) };
        spec.egress = Some(vec![to_members, look_up()]);
        spec.policy_types = Some(vec!["Ingress".into(), "Egress".into()]);
    } else if beside_closed {
        spec.egress = Some(vec![NetworkPolicyEgressRule::default()]);
        spec.policy_types = Some(vec!["Ingress".into(), "Egress".into()]);
    }
    policy(model, network_name(model, network), &network.name, spec)
}

/// The policy of the default network.
pub(crate) fn common(model: &Model) -> NetworkPolicy {
    let spec = among(&members(model, labels::COMMON_NETWORK));
    policy(model, common_name(model), &model.name.value, spec)
}

/// The policy of a service's open ports.
pub(crate) fn open(model: &Model, workload: &Workload) -> NetworkPolicy {
    let ports = workload.open_ports().map(port::of_policy);
    let spec = NetworkPolicySpec {
        pod_selector: Some(labels::label_selector(model, workload)),
        ingress: Some(vec![NetworkPolicyIngressRule { ports: filled(ports.collect()), from: None }]),
        policy_types: Some(vec!["Ingress".into()]),
        egress: None,
    };
    of_workload(model, open_name(model, workload), workload, spec)
}

/// The policy of a workload in closed networks that uses the API.
pub(crate) fn api(model: &Model, workload: &Workload) -> NetworkPolicy {
    let ports = API_PORTS
        .iter()
        .map(|number| NetworkPolicyPort { port: Some(IntOrString::Int((*number).into())), ..tcp() });
    let blocks = model.target.api.iter().map(|block| NetworkPolicyPeer {
        ip_block: Some(IPBlock { cidr: block.to_string(), except: None }),
        ..NetworkPolicyPeer::default()
    });
    let to_api = NetworkPolicyEgressRule { ports: Some(ports.collect()), to: filled(blocks.collect()) };
    let spec = NetworkPolicySpec {
        pod_selector: Some(labels::label_selector(model, workload)),
        egress: Some(vec![to_api]),
        policy_types: Some(vec!["Egress".into()]),
        ingress: None,
    };
    of_workload(model, api_name(model, workload), workload, spec)
}

fn members(model: &Model, key: &str) -> LabelSelector {
    let labels = BTreeMap::from([
        (labels::PART_OF.to_owned(), model.name.value.to_string()),
        (key.to_owned(), labels::MEMBER.to_owned()),
    ]);
    LabelSelector { match_labels: Some(labels), match_expressions: None }
}

fn peer(members: &LabelSelector) -> NetworkPolicyPeer {
    NetworkPolicyPeer { pod_selector: Some(members.clone()), ..NetworkPolicyPeer::default() }
}

/// Members accept connections from members only.
fn among(members: &LabelSelector) -> NetworkPolicySpec {
    NetworkPolicySpec {
        pod_selector: Some(members.clone()),
        ingress: Some(vec![NetworkPolicyIngressRule { from: Some(vec![peer(members)]), ports: None }]),
        policy_types: Some(vec!["Ingress".into()]),
        egress: None,
    }
}

/// The rule that allows DNS, whatever in the cluster answers it.
fn look_up() -> NetworkPolicyEgressRule {
    let ports = NAME_PORTS.iter().flat_map(|number| {
        let port = Some(IntOrString::Int((*number).into()));
        let udp = NetworkPolicyPort { port: port.clone(), protocol: Some("UDP".into()), end_port: None };
        [udp, NetworkPolicyPort { port, ..tcp() }]
    });
    let in_cluster = NetworkPolicyPeer {
        namespace_selector: Some(LabelSelector::default()),
        ..NetworkPolicyPeer::default()
    };
    let on_node = NetworkPolicyPeer {
        ip_block: Some(IPBlock { cidr: NODE_NAMES.into(), except: None }),
        ..NetworkPolicyPeer::default()
    };
    NetworkPolicyEgressRule { ports: Some(ports.collect()), to: Some(vec![in_cluster, on_node]) }
}

fn tcp() -> NetworkPolicyPort {
    NetworkPolicyPort { protocol: Some("TCP".into()), port: None, end_port: None }
}

fn policy(model: &Model, name: String, part: &str, spec: NetworkPolicySpec) -> NetworkPolicy {
    NetworkPolicy { metadata: labels::meta(model, name, labels::of_part(model, part)), spec: Some(spec) }
}

fn of_workload(model: &Model, name: String, workload: &Workload, spec: NetworkPolicySpec) -> NetworkPolicy {
    NetworkPolicy {
        metadata: labels::meta(model, name, labels::of_service(model, workload)),
        spec: Some(spec),
    }
}
