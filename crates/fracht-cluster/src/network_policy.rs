//! `NetworkPolicy` (networking.k8s.io/v1): members of a network talk to members, open ports are open to all,
//! and a closed network has no other way out than to its members and the look-up of names.
//!
//! Policies add up: a pod may do what any of those that select it allows. A pod in a closed and in an open
//! network has the way out of the open one, so that an open network has to allow it where it has such members.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Network, NetworkId, Port, Workload};
use k8s_openapi::api::networking::v1::{
    IPBlock, NetworkPolicy, NetworkPolicyEgressRule, NetworkPolicyIngressRule, NetworkPolicyPeer,
    NetworkPolicyPort, NetworkPolicySpec,
};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::LabelSelector;
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::name::{LABEL, fitted};
use crate::{filled, gate, labels, service};

/// Addresses that a node answers look-ups of names at, where it keeps them (RFC 3927).
const LINK_LOCAL: &str = "169.254.0.0/16";
/// The ports at which clusters serve their API.
const API_PORTS: [i32; 2] = [443, 6443];

/// The name of a network's policy.
pub(crate) fn network_name(network: &Network) -> String {
    fitted(&format!("network-{}", network.name), LABEL)
}

/// The name of the policy of the stack's common network.
pub(crate) const COMMON_NAME: &str = "common-network";

/// The name of the policy that lets everybody get to the open ports of a service.
pub(crate) fn open_name(workload: &Workload) -> String {
    fitted(&format!("{}-open", workload.name), LABEL)
}

/// The name of the policy that lets a workload in closed networks ask the cluster.
pub(crate) fn api_name(workload: &Workload) -> String {
    fitted(&format!("{}-api", workload.name), LABEL)
}

/// Whether a workload asks the cluster, and has no way there but one made for it.
pub(crate) fn needs_api(model: &Model, workload: &Workload) -> bool {
    let asks = !workload.rights.is_empty() || gate::awaited_tasks(workload).next().is_some();
    asks && model.is_closed_in(workload)
}

/// Whether any workload is in the stack's common network.
pub(crate) fn has_common(model: &Model) -> bool {
    model.workloads.iter().any(|workload| workload.networks.is_empty())
}

/// Whether any workload is in a network.
pub(crate) fn has_members(model: &Model, id: NetworkId) -> bool {
    model.workloads.iter().any(|workload| workload.networks.iter().any(|network| network.value == id))
}

/// The policy of a network.
pub(crate) fn network(model: &Model, id: NetworkId) -> NetworkPolicy {
    let network = &model.networks[id];
    let members = members(model, &labels::network_key(network));
    let mut spec = among(&members);
    if network.closed.value {
        let to_members = NetworkPolicyEgressRule { ports: None, to: Some(vec![peer(&members)]) };
        spec.egress = Some(vec![to_members, look_up()]);
        spec.policy_types = Some(vec!["Ingress".into(), "Egress".into()]);
    } else if has_members_in_closed(model, id) {
        spec.egress = Some(vec![NetworkPolicyEgressRule::default()]);
        spec.policy_types = Some(vec!["Ingress".into(), "Egress".into()]);
    }
    policy(model, network_name(network), &network.name, spec)
}

/// The policy of the stack's common network.
pub(crate) fn common(model: &Model) -> NetworkPolicy {
    let spec = among(&members(model, labels::COMMON_NETWORK));
    policy(model, COMMON_NAME.into(), &model.name.value, spec)
}

/// The policy of a service's open ports.
pub(crate) fn open(model: &Model, workload: &Workload) -> NetworkPolicy {
    let ports = workload.ports().iter().filter(|port| port.reach.value.is_open()).map(port);
    let spec = NetworkPolicySpec {
        pod_selector: Some(labels::label_selector(model, workload)),
        ingress: Some(vec![NetworkPolicyIngressRule { ports: filled(ports.collect()), from: None }]),
        policy_types: Some(vec!["Ingress".into()]),
        egress: None,
    };
    policy(model, open_name(workload), &workload.name, spec)
}

/// The policy of a workload that asks the cluster.
pub(crate) fn api(model: &Model, workload: &Workload) -> NetworkPolicy {
    let ports = API_PORTS.map(|number| NetworkPolicyPort { port: Some(IntOrString::Int(number)), ..tcp() });
    let blocks = model.target.api.iter().map(|block| NetworkPolicyPeer {
        ip_block: Some(IPBlock { cidr: block.to_string(), except: None }),
        ..NetworkPolicyPeer::default()
    });
    let to_api = NetworkPolicyEgressRule { ports: Some(ports.to_vec()), to: filled(blocks.collect()) };
    let spec = NetworkPolicySpec {
        pod_selector: Some(labels::label_selector(model, workload)),
        egress: Some(vec![to_api]),
        policy_types: Some(vec!["Egress".into()]),
        ingress: None,
    };
    policy(model, api_name(workload), &workload.name, spec)
}

fn has_members_in_closed(model: &Model, id: NetworkId) -> bool {
    model.workloads.iter().any(|workload| {
        let is_in = |wanted: &dyn Fn(NetworkId) -> bool| workload.networks.iter().any(|n| wanted(n.value));
        is_in(&|network| network == id) && is_in(&|network| model.networks[network].closed.value)
    })
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

/// Members let members in, and nobody else.
fn among(members: &LabelSelector) -> NetworkPolicySpec {
    NetworkPolicySpec {
        pod_selector: Some(members.clone()),
        ingress: Some(vec![NetworkPolicyIngressRule { from: Some(vec![peer(members)]), ports: None }]),
        policy_types: Some(vec!["Ingress".into()]),
        egress: None,
    }
}

/// The look-up of names, by whatever in the cluster answers it.
fn look_up() -> NetworkPolicyEgressRule {
    let number = Some(IntOrString::Int(53));
    let udp = NetworkPolicyPort { port: number.clone(), protocol: Some("UDP".into()), end_port: None };
    let in_cluster = NetworkPolicyPeer {
        namespace_selector: Some(LabelSelector::default()),
        ..NetworkPolicyPeer::default()
    };
    let on_node = NetworkPolicyPeer {
        ip_block: Some(IPBlock { cidr: LINK_LOCAL.into(), except: None }),
        ..NetworkPolicyPeer::default()
    };
    NetworkPolicyEgressRule {
        ports: Some(vec![udp, NetworkPolicyPort { port: number, ..tcp() }]),
        to: Some(vec![in_cluster, on_node]),
    }
}

fn tcp() -> NetworkPolicyPort {
    NetworkPolicyPort { protocol: Some("TCP".into()), port: None, end_port: None }
}

fn port(port: &Port) -> NetworkPolicyPort {
    NetworkPolicyPort {
        port: Some(IntOrString::String(port.name.to_string())),
        protocol: Some(service::protocol(port.protocol).unwrap_or_else(|| "TCP".into())),
        end_port: None,
    }
}

fn policy(model: &Model, name: String, part: &str, spec: NetworkPolicySpec) -> NetworkPolicy {
    NetworkPolicy { metadata: labels::meta(model, name, labels::of_part(model, part)), spec: Some(spec) }
}
