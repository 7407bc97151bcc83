//! Two stacks beside each other: on one machine, in one cluster, or in one namespace of it.

use std::collections::{BTreeMap, BTreeSet};

use super::facts::Facts;
use super::uses::used;
use crate::model::{
    Admitted, Model, NetworkId, Outside, OutsideId, OutsidePlace, Port, PortIndex, TargetKind, Workload,
    WorkloadId,
};

/// A service of one stack that another stack uses, as an external service of its own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Link {
    /// The external service, in the stack that uses it.
    pub outside: OutsideId,
    /// The service, in its own stack.
    pub service: WorkloadId,
    /// The services and tasks that use it, and whether its stack lets each in.
    pub callers: Vec<(WorkloadId, bool)>,
}

/// Whether two stacks are in the same namespace of a cluster.
pub fn share_namespace(one: &Model, other: &Model) -> bool {
    let is_cluster = |model: &Model| model.target.on.value == TargetKind::Cluster;
    is_cluster(one) && is_cluster(other) && one.target.namespace.value == other.target.namespace.value
}

/// The services of the stack `to` that the stack `from` uses.
pub fn links(from: &Facts, to: &Facts) -> Vec<Link> {
    let (caller, called) = (&from.model, &to.model);
    if called.target.on.value != TargetKind::Cluster {
        return Vec::new();
    }
    let mut users: BTreeMap<OutsideId, Vec<WorkloadId>> = BTreeMap::new();
    for (id, workload) in caller.workloads.entries() {
        for outside in used(caller, workload).1 {
            users.entry(outside).or_default().push(id);
        }
    }
    let services = called.workloads.entries().filter(|(_, workload)| !workload.ports().is_empty());
    let services: BTreeMap<&str, WorkloadId> = services.map(|(id, workload)| (&*workload.name, id)).collect();
    let link = |(id, outside): (OutsideId, &Outside)| {
        let OutsidePlace::Service(name, namespace) = &outside.place.value else { return None };
        let namespace = namespace.as_ref().unwrap_or(&caller.target.namespace.value);
        let service = *services.get(&**name).filter(|_| *namespace == called.target.namespace.value)?;
        let callers = users.get(&id).into_iter().flatten().map(|user| {
            let by = &caller.workloads[*user];
            (*user, lets_in((called, &called.workloads[service]), (caller, by), outside))
        });
        Some(Link { outside: id, service, callers: callers.collect() })
    };
    caller.outsides.entries().filter_map(link).collect()
}

/// What lets services and tasks of another stack reach a service.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Access {
    /// The service.
    pub service: WorkloadId,
    /// Its ports that everyone can reach.
    pub open: Vec<PortIndex>,
    /// Its networks that admit some of the other stack.
    pub networks: Vec<NetworkId>,
    /// Those of the other stack that these networks admit, and that get out of their own.
    pub admitted: Vec<WorkloadId>,
}

/// What the services of `to` let in of the stack `from`; those that let in nothing are left out.
pub fn access(from: &Model, to: &Model) -> Vec<Access> {
    let admits = |id: NetworkId, caller: &Workload| {
        to.networks[id].admits.iter().any(|admitted| is_admitted(to, admitted, from, caller))
    };
    let in_cluster = to.target.on.value == TargetKind::Cluster;
    let mut by_network: BTreeMap<NetworkId, Vec<WorkloadId>> = BTreeMap::new();
    for (id, _) in to.networks.entries().filter(|(_, network)| in_cluster && !network.admits.is_empty()) {
        let callers = from.workloads.entries();
        let callers = callers.filter(|(_, caller)| admits(id, caller) && !from.is_closed_in(caller));
        by_network.insert(id, callers.map(|(caller, _)| caller).collect());
    }
    let one = |(service, workload): (WorkloadId, &Workload)| {
        let admitting = workload.networks.iter().filter_map(|network| {
            let callers = by_network.get(&network.value).filter(|callers| !callers.is_empty())?;
            Some((network.value, callers))
        });
        let admitted: BTreeSet<WorkloadId> =
            admitting.clone().flat_map(|(_, callers)| callers).copied().collect();
        let open = workload.port_entries().filter(|(_, port)| to.is_opened(workload, port));
        let open: Vec<PortIndex> = open.map(|(index, _)| index).collect();
        let networks = admitting.map(|(network, _)| network).collect();
        let admitted: Vec<WorkloadId> = admitted.into_iter().collect();
        (!open.is_empty() || !admitted.is_empty()).then_some(Access { service, open, networks, admitted })
    };
    to.workloads.entries().filter(|(_, workload)| !workload.ports().is_empty()).filter_map(one).collect()
}

/// Whether what a network of `own` admits is a service or task of another stack.
fn is_admitted(own: &Model, admitted: &Admitted, other: &Model, caller: &Workload) -> bool {
    let namespace = admitted.namespace.as_ref().unwrap_or(&own.target.namespace.value);
    admitted.stack.value == other.name.value
        && admitted.service.as_ref().is_none_or(|name| *name == caller.name)
        && *namespace == other.target.namespace.value
}

/// Whether a service lets in one of another stack: the ports that this one names are open, all of them if it names none
/// of the service's, or one of the networks of the service admits it.
fn lets_in(
    (own, service): (&Model, &Workload),
    (other, caller): (&Model, &Workload),
    outside: &Outside,
) -> bool {
    let names = |port: &Port| outside.ports.iter().any(|named| named.number.value == port.as_number());
    let names_one = service.ports().iter().any(names);
    let mut wanted = service.ports().iter().filter(|port| !names_one || names(port));
    let admits = |admitted: &Admitted| is_admitted(own, admitted, other, caller);
    let mut networks = service.networks.iter().map(|network| &own.networks[network.value]);
    wanted.all(|port| own.is_opened(service, port))
        || networks.any(|network| network.admits.iter().any(admits))
}
