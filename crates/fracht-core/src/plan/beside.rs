//! Two stacks beside each other: on one machine, in one cluster, or in one namespace of it.

use super::facts::Facts;
use crate::model::{
    Admitted, Model, NetworkId, OutsideId, OutsidePlace, PortIndex, TargetKind, Workload, WorkloadId,
};
use crate::plan::uses::used;

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
    let uses: Vec<_> = caller.workloads.entries().map(|(id, one)| (id, used(caller, one).1)).collect();
    let link = |(outside, one): (OutsideId, &crate::model::Outside)| {
        let OutsidePlace::Service(name, namespace) = &one.place.value else { return None };
        let namespace = namespace.as_ref().unwrap_or(&caller.target.namespace.value);
        if *namespace != called.target.namespace.value {
            return None;
        }
        let (service, workload) =
            called.workloads.entries().find(|(_, other)| other.name == *name && !other.ports().is_empty())?;
        let callers = uses.iter().filter(|(_, outsides)| outsides.contains(&outside)).map(|(id, _)| *id);
        let callers = callers.map(|id| (id, lets_in(called, workload, caller, &caller.workloads[id])));
        Some(Link { outside, service, callers: callers.collect() })
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
    let in_cluster = to.target.on.value == TargetKind::Cluster;
    let one = |(service, workload): (WorkloadId, &Workload)| {
        let networks = workload.networks.iter().map(|network| network.value);
        let admits = |id: &NetworkId, caller: &Workload| {
            to.networks[*id].admits.iter().any(|admitted| is_admitted(to, admitted, from, caller))
        };
        let is_admitted = |caller: &Workload| networks.clone().any(|id| admits(&id, caller));
        let callers = from
            .workloads
            .entries()
            .filter(|(_, caller)| in_cluster && is_admitted(caller) && !from.is_closed_in(caller));
        let admitted: Vec<WorkloadId> = callers.map(|(id, _)| id).collect();
        let open = workload.port_entries().filter(|(_, port)| to.is_opened(workload, port));
        let open: Vec<PortIndex> = open.map(|(index, _)| index).collect();
        let used = |id: &NetworkId| admitted.iter().any(|caller| admits(id, &from.workloads[*caller]));
        let networks = networks.clone().filter(used).collect();
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

/// Whether a service lets in one of another stack: all its ports are open, or one of its networks admits it.
fn lets_in(own: &Model, service: &Workload, other: &Model, caller: &Workload) -> bool {
    let admits = |admitted: &Admitted| is_admitted(own, admitted, other, caller);
    let mut networks = service.networks.iter().map(|network| &own.networks[network.value]);
    service.ports().iter().all(|port| own.is_opened(service, port))
        || networks.any(|network| network.admits.iter().any(admits))
}
