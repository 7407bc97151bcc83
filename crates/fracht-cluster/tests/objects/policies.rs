//! Evaluates network policies, by the documentation of Kubernetes.

use serde_json::Value;

use crate::cluster::{Cluster, Pod, fits, items};

/// The other end of a connection of a pod.
pub(crate) enum Peer<'p, 'a> {
    /// A pod of the namespace.
    Pod(&'p Pod<'a>),
    /// A pod of another namespace.
    OtherPod,
    /// An address outside of the cluster.
    Address(&'static str),
}

/// A port: its number, and its name if it has one.
#[derive(Clone, Copy)]
pub(crate) struct Port<'n> {
    pub(crate) name: Option<&'n str>,
    pub(crate) number: u64,
    pub(crate) protocol: &'n str,
}

/// Whether an address is in a CIDR block of whole bytes or one address.
fn in_block(address: &str, block: &str) -> bool {
    let (base, bits) = block.split_once('/').unwrap();
    let bytes = bits.parse::<usize>().unwrap() / 8;
    address.split('.').take(bytes).eq(base.split('.').take(bytes))
}

fn peer_fits(rule: &Value, peer: &Peer<'_, '_>) -> bool {
    match (rule.get("ipBlock"), rule.get("namespaceSelector"), peer) {
        (Some(block), _, Peer::Address(address)) => in_block(address, block["cidr"].as_str().unwrap()),
        (Some(_), _, _) | (None, _, Peer::Address(_)) | (None, None, Peer::OtherPod) => false,
        (None, Some(namespaces), Peer::OtherPod) => *namespaces == serde_json::json!({}),
        (None, _, Peer::Pod(pod)) => fits(pod.labels(), &rule["podSelector"]),
    }
}

fn port_fits(rule: &Value, port: Port<'_>) -> bool {
    let number = match &rule["port"] {
        Value::Number(number) => number.as_u64() == Some(port.number),
        Value::String(name) => port.name == Some(name.as_str()),
        _ => true,
    };
    number && rule["protocol"].as_str().unwrap_or("TCP") == port.protocol
}

/// Whether the policies that select a pod allow a connection, in one direction.
fn direction(cluster: &Cluster<'_>, pod: &Pod<'_>, kind: &str, peer: &Peer<'_, '_>, port: Port<'_>) -> bool {
    let (list, peers) = if kind == "Egress" { ("egress", "to") } else { ("ingress", "from") };
    let mut selecting = cluster
        .of_kind("NetworkPolicy")
        .map(|(_, policy)| &policy["spec"])
        .filter(|spec| items(&spec["policyTypes"]).any(|one| *one == *kind))
        .filter(|spec| fits(pod.labels(), &spec["podSelector"]))
        .peekable();
    if selecting.peek().is_none() {
        return true;
    }
    let rule_fits = |rule: &Value| {
        let of_peer = rule.get(peers).is_none_or(|rules| items(rules).any(|rule| peer_fits(rule, peer)));
        of_peer && rule.get("ports").is_none_or(|rules| items(rules).any(|rule| port_fits(rule, port)))
    };
    selecting.any(|spec| items(&spec[list]).any(rule_fits))
}

/// Whether one pod can reach a port of another.
pub(crate) fn can_talk(cluster: &Cluster<'_>, from: &Pod<'_>, to: &Pod<'_>, port: Port<'_>) -> bool {
    direction(cluster, from, "Egress", &Peer::Pod(to), port)
        && direction(cluster, to, "Ingress", &Peer::Pod(from), port)
}

/// Whether a pod can reach an address outside the cluster.
pub(crate) fn reaches_address(
    cluster: &Cluster<'_>,
    from: &Pod<'_>,
    address: &'static str,
    number: u64,
) -> bool {
    let port = Port { name: None, number, protocol: "TCP" };
    direction(cluster, from, "Egress", &Peer::Address(address), port)
}

/// Whether a port of a pod can be reached from outside the cluster.
pub(crate) fn is_open(cluster: &Cluster<'_>, to: &Pod<'_>, port: Port<'_>) -> bool {
    direction(cluster, to, "Ingress", &Peer::Address("203.0.113.9"), port)
}

/// Checks what holds for every stack: DNS works, gates reach the services that they wait for, and open ports are open.
pub(crate) fn check(cluster: &Cluster<'_>) {
    for (_, policy) in cluster.of_kind("NetworkPolicy") {
        let selector = &policy["spec"]["podSelector"];
        let pods: Vec<_> = cluster.pods().into_iter().filter(|pod| fits(pod.labels(), selector)).collect();
        assert!(!pods.is_empty(), "{policy} selects nothing");
        for rule in items(&policy["spec"]["ingress"]) {
            for port in items(&rule["ports"]).filter(|port| port["port"].is_string()) {
                let named = |pod: &Pod<'_>| pod.ports().any(|open| open["name"] == port["port"]);
                assert!(pods.iter().all(named), "{port} is no port");
            }
        }
    }
    for pod in cluster.pods() {
        for protocol in ["TCP", "UDP"] {
            let dns = Port { name: None, number: 53, protocol };
            assert!(direction(cluster, &pod, "Egress", &Peer::OtherPod, dns), "{} cannot look up", pod.owner);
        }
        let asks = items(&pod.spec()["volumes"]).any(|volume| volume.get("projected").is_some());
        // The address of the API in the random stacks.
        assert!(
            !asks || reaches_address(cluster, &pod, "192.0.2.10", 443),
            "{} cannot ask the cluster",
            pod.owner
        );
    }
    for (_, service) in cluster.of_kind("Service").filter(|(_, service)| {
        ["NodePort", "LoadBalancer"].iter().any(|kind| service["spec"]["type"] == **kind)
    }) {
        let pods = cluster.selected(&service["spec"]["selector"]);
        for open in items(&service["spec"]["ports"]) {
            let port = Port {
                name: open["name"].as_str(),
                number: 0,
                protocol: open["protocol"].as_str().unwrap_or("TCP"),
            };
            assert!(!pods.is_empty() && pods.iter().all(|pod| is_open(cluster, pod, port)), "{open} is shut");
        }
    }
}
