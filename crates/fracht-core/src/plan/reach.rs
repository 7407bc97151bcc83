//! Who can get to what: the ways in from outside, and who can talk to whom inside.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::ports::PortPlan;
use crate::model::{
    Address, Condition, Model, NetworkId, OutsideId, Part, Place, Port, PortIndex, Reach, SecretId, Workload,
    WorkloadId,
};

/// Who can get to what in a model.
#[derive(Clone, Debug)]
pub struct ReachPlan {
    /// The ways in, in the order of the stack.
    pub ways: Vec<WayIn>,
    /// The services with ports: those that can be talked to.
    pub services: Vec<WorkloadId>,
    /// Every service and task, with what each can talk to.
    pub callers: Vec<Caller>,
}

/// A port that is open to those outside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WayIn {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// How far it reaches.
    pub reach: Reach,
    /// The addresses. What only the cluster knows is in capitals.
    pub addresses: Vec<String>,
    /// The line for a hosts file, where a name is needed that need not be known.
    pub hosts_line: Option<String>,
    /// Whether it speaks TLS.
    pub tls: bool,
    /// The logins that the service knows of.
    pub logins: Vec<Login>,
}

/// A user's name or a secret that a service knows of.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Login {
    /// The variable with the name of a user, and the name.
    User(Arc<str>, String),
    /// A key of a secret.
    Secret(SecretId, Arc<str>),
}

/// A service or a task, and what it can talk to.
#[derive(Clone, Debug)]
pub struct Caller {
    /// Who.
    pub who: WorkloadId,
    /// What it has with each of [`ReachPlan::services`], in their order.
    pub links: Vec<Link>,
    /// Whether it can get to what is outside of the stack.
    pub gets_out: bool,
    /// What it uses that is outside.
    pub outside: Vec<OutsideId>,
}

/// What one has with another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Link {
    /// Whether it can talk to it.
    pub may: May,
    /// Whether the stack says that it does: by an address, or by waiting for it.
    pub uses: bool,
}

/// Whether one can talk to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum May {
    /// They are the same.
    Itself,
    /// At all its ports: they share a network.
    All,
    /// At its open ports only: they share no network.
    OpenPorts,
    /// Not at all: they share no network, and nothing is open.
    NoNetwork,
    /// Not at all: they share no network, and its own networks are closed, so that it gets to no open port.
    NoWayOut,
}

impl May {
    /// Whether it can talk at all.
    pub fn is_yes(self) -> bool {
        matches!(self, Self::Itself | Self::All | Self::OpenPorts)
    }
}

impl ReachPlan {
    /// Who can get to what in `model`.
    pub fn of(model: &Model) -> Self {
        let services: Vec<WorkloadId> =
            model.workloads.entries().filter(|(_, w)| !w.ports().is_empty()).map(|(id, _)| id).collect();
        let callers = model.workloads.entries().map(|(id, workload)| {
            let used = used(workload);
            let link =
                |other: &WorkloadId| Link { may: may(model, id, *other), uses: used.0.contains(other) };
            Caller {
                who: id,
                links: services.iter().map(link).collect(),
                gets_out: !model.is_closed_in(workload),
                outside: used.1.iter().copied().collect(),
            }
        });
        Self { callers: callers.collect(), ways: ways(model), services }
    }
}

/// Whether `from` can talk to `to`.
pub fn may(model: &Model, from: WorkloadId, to: WorkloadId) -> May {
    let (caller, called) = (&model.workloads[from], &model.workloads[to]);
    if from == to {
        return May::Itself;
    }
    if model.share_network(caller, called) {
        return May::All;
    }
    match (called.ports().iter().any(|port| port.reach.value.is_open()), model.is_closed_in(caller)) {
        (_, true) => May::NoWayOut,
        (true, false) => May::OpenPorts,
        (false, false) => May::NoNetwork,
    }
}

/// The names of the networks that a workload is in; none for the stack's common one.
pub fn networks(workload: &Workload) -> impl Iterator<Item = NetworkId> {
    workload.networks.iter().map(|network| network.value)
}

/// What a workload says that it talks to: services, and what is outside.
fn used(workload: &Workload) -> (BTreeSet<WorkloadId>, BTreeSet<OutsideId>) {
    let (mut services, mut outside) = (BTreeSet::new(), BTreeSet::new());
    for part in workload.texts().flat_map(|(_, text)| &text.parts) {
        match part {
            Part::Known { address: Some(Address::Service(id, _)), .. } => _ = services.insert(*id),
            Part::Known { address: Some(Address::Outside(id)), .. } => _ = outside.insert(*id),
            _ => {}
        }
    }
    let waits = workload.after.iter().filter(|after| after.condition == Condition::Ready);
    services.extend(waits.map(|after| after.on));
    (services, outside)
}

fn ways(model: &Model) -> Vec<WayIn> {
    let plan = PortPlan::of(model);
    let way = |entry: &super::ports::PortEntry| {
        let port = entry.port(model).filter(|port| port.reach.value.is_open())?;
        let workload = &model.workloads[entry.service];
        Some(WayIn {
            service: entry.service,
            port: entry.port,
            reach: port.reach.value,
            addresses: addresses(model, port, &entry.at),
            hosts_line: hosts_line(model, port),
            tls: is_secure(model, port),
            logins: logins(workload),
        })
    };
    plan.entries.iter().filter_map(way).collect()
}

/// Where those outside find a port. What only the cluster knows is in capitals.
pub fn addresses(model: &Model, port: &Port, at: &[u16]) -> Vec<String> {
    let host = match (model.target.on.value, port.reach.value) {
        (_, Reach::Stack) => return Vec::new(),
        (Place::Machine, _) => "localhost",
        (Place::Cluster, Reach::Node) => "ANY-NODE",
        (Place::Cluster, Reach::Balancer) => "OWN-ADDRESS",
        (Place::Cluster, Reach::Web) => {
            let scheme = if is_secure(model, port) { "https" } else { "http" };
            return model
                .web_host(port)
                .map(|host| format!("{scheme}://{host}{}", port.path.value))
                .into_iter()
                .collect();
        }
    };
    at.iter().map(|number| format!("{host}:{number}")).collect()
}

fn is_secure(model: &Model, port: &Port) -> bool {
    let web = &model.target.web;
    model.target.on.value == Place::Cluster && port.reach.value == Reach::Web && web.tls.is_some()
}

fn hosts_line(model: &Model, port: &Port) -> Option<String> {
    let on_web = model.target.on.value == Place::Cluster && port.reach.value == Reach::Web;
    model.web_host(port).filter(|_| on_web).map(|host| format!("ENTRY-ADDRESS {host}"))
}

fn logins(workload: &Workload) -> Vec<Login> {
    let mut logins = BTreeSet::new();
    for (variable, text) in workload.texts() {
        for part in &text.parts {
            if let Part::Secret(id, key) = part {
                logins.insert(Login::Secret(*id, Arc::clone(key)));
            }
        }
        let is_user = |name: &str| {
            let last = name.rsplit(['_', '.', '-']).next().unwrap_or_default().to_uppercase();
            ["USER", "USERNAME", "LOGIN"].contains(&last.as_str())
        };
        if let Some(variable) = variable.filter(|variable| is_user(&variable.name) && text.is_plain()) {
            logins.insert(Login::User(Arc::clone(&variable.name), text.plain()));
        }
    }
    logins.into_iter().collect()
}
