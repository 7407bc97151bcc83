//! What can reach what: open ports from outside, and connections inside the stack.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::external::{ExternalAddress, external_addresses};
use super::login::{Login, login_at, logins_of};
use super::ports::PortPlan;
use super::uses::used;
use crate::model::{
    Model, NetworkId, OutsideId, Port, PortIndex, Protocol, Reach, TargetKind, Workload, WorkloadId,
};

/// What can reach what in a model.
#[derive(Clone, Debug)]
pub struct ReachPlan {
    /// The open ports, in the order of the stack.
    pub open_ports: Vec<OpenPort>,
    /// The services with ports, in the order of the stack.
    pub services: Vec<WorkloadId>,
    /// The ports that cannot be reached from outside, in the order of the stack.
    pub closed_ports: Vec<ClosedPort>,
    /// Every service and task, with what it can reach.
    pub callers: Vec<Caller>,
}

/// A port that can be reached from outside the stack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OpenPort {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// The other services that answer at its address.
    pub also: Vec<WorkloadId>,
    /// From where it can be reached.
    pub reach: Reach,
    /// Its external addresses.
    pub addresses: Vec<ExternalAddress>,
    /// The logins of the service itself, without those of other services that it uses.
    pub logins: Vec<Login>,
}

/// A port that only services in its networks can reach.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ClosedPort {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// The other services that answer at its address.
    pub also: Vec<WorkloadId>,
    /// The login, if the stack or the image says it.
    pub logins: Vec<Login>,
}

/// A service or a task, and what it can reach.
#[derive(Clone, Debug)]
pub struct Caller {
    /// The service or task.
    pub who: WorkloadId,
    /// The services that it uses, since the stack gives it their address or a start gate connects to them.
    pub uses: BTreeSet<WorkloadId>,
    /// How many other services of [`ReachPlan::services`] it can reach.
    pub can_talk_to: usize,
    /// Whether it can reach everything outside the stack.
    pub gets_out: bool,
    /// What its closed networks still allow it to reach outside.
    pub leaks: Vec<Leak>,
    /// The external services that it uses.
    pub outside: Vec<OutsideId>,
}

impl Caller {
    /// Whether it uses a service, maybe at the address of another one at which that service answers as well.
    pub fn makes_use_of(&self, model: &Model, service: WorkloadId) -> bool {
        let behind = model.workloads[service].behind();
        self.uses.contains(&service) || behind.iter().any(|other| self.uses.contains(&other.value))
    }
}

/// Whether one workload can reach another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum May {
    /// They are the same workload.
    Itself,
    /// Yes, all ports: they share a network.
    All,
    /// Only its open ports: they share no network.
    OpenPorts,
    /// Only some of its open ports: the closed networks of the caller allow these.
    SomeOpenPorts,
    /// No: they share no network, and it has no open port.
    NoNetwork,
    /// No: they share no network, and the networks of the caller are closed.
    NoWayOut,
}

/// Connections that closed networks still allow.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leak {
    /// Why they are allowed.
    pub why: LeakReason,
    /// The ports.
    pub ports: &'static [u16],
    /// The protocols.
    pub protocols: &'static [Protocol],
    /// The CIDR blocks (RFC 4632) that can be reached; empty for any address.
    pub to: Vec<Arc<str>>,
}

/// Why closed networks allow some connections.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeakReason {
    /// DNS, which may be in any pod of the cluster, or on the node.
    Names,
    /// The cluster's API, which a start gate or the program itself uses.
    Api,
}

/// The ports of DNS.
pub const NAME_PORTS: &[u16] = &[53];
/// The usual ports of a cluster's API.
pub const API_PORTS: &[u16] = &[443, 6443];
/// The addresses at which a DNS cache on a node answers (link-local, RFC 3927).
pub const NODE_NAMES: &str = "169.254.0.0/16";

/// What the closed networks of a workload still allow it to reach. Empty on a machine, and for a workload that is in
/// the default network or in a network that is not closed: these can reach everything.
pub fn leaks(model: &Model, workload: &Workload) -> Vec<Leak> {
    if model.target.on.value == TargetKind::Machine || !model.is_closed_in(workload) {
        return Vec::new();
    }
    let names = Leak {
        why: LeakReason::Names,
        ports: NAME_PORTS,
        protocols: &[Protocol::Udp, Protocol::Tcp],
        to: vec![NODE_NAMES.into()],
    };
    let api = model.may_use_api(workload).then(|| Leak {
        why: LeakReason::Api,
        ports: API_PORTS,
        protocols: &[Protocol::Tcp],
        to: model.target.api.clone(),
    });
    std::iter::once(names).chain(api).collect()
}

impl Leak {
    /// Whether it allows connections to the pods of the cluster.
    pub fn leads_to_pods(&self) -> bool {
        self.why == LeakReason::Names || self.to.is_empty()
    }

    /// Whether it allows connections to a port of another pod, which listens at the number of the container.
    fn leads_to(&self, port: &Port) -> bool {
        self.leads_to_pods()
            && self.ports.contains(&port.number.value)
            && self.protocols.contains(&port.protocol)
    }
}

impl May {
    /// Whether some port can be reached.
    pub fn is_yes(self) -> bool {
        matches!(self, Self::Itself | Self::All | Self::OpenPorts | Self::SomeOpenPorts)
    }
}

impl ReachPlan {
    /// What can reach what in `model`, whose port plan is `ports`.
    pub fn of(model: &Model, ports: &PortPlan) -> Self {
        let services: Vec<WorkloadId> =
            model.workloads.entries().filter(|(_, w)| !w.ports().is_empty()).map(|(id, _)| id).collect();
        let mut counts = Counts::of(model, &services);
        let callers = model.workloads.entries().map(|(id, workload)| {
            let (mut uses, outside) = used(model, workload);
            uses.retain(|other| !model.workloads[*other].ports().is_empty());
            Caller {
                who: id,
                uses,
                can_talk_to: counts.can_talk_to(workload),
                gets_out: !model.is_closed_in(workload),
                leaks: leaks(model, workload),
                outside: outside.into_iter().collect(),
            }
        });
        Self {
            callers: callers.collect(),
            open_ports: open_ports(model, ports),
            closed_ports: closed_ports(model),
            services,
        }
    }
}

/// Counts what each workload can reach, without visiting every pair.
struct Counts<'m> {
    model: &'m Model,
    services: &'m [WorkloadId],
    /// The services with ports in each network; `None` is the default network.
    members: BTreeMap<Option<NetworkId>, Vec<WorkloadId>>,
    /// The counts so far, by the networks of the caller and what these allow.
    known: BTreeMap<(Vec<NetworkId>, WaysOut), usize>,
    /// How many services have open ports that can be reached, by what the networks of the caller allow.
    led_to: BTreeMap<WaysOut, usize>,
}

/// What decides which open ports a workload can reach: whether all its networks are closed, and whether it uses the
/// API.
type WaysOut = (bool, bool);

impl<'m> Counts<'m> {
    fn of(model: &'m Model, services: &'m [WorkloadId]) -> Self {
        let mut members: BTreeMap<_, Vec<WorkloadId>> = BTreeMap::new();
        for id in services {
            for network in places(&model.workloads[*id]) {
                members.entry(network).or_default().push(*id);
            }
        }
        Self { model, services, members, known: BTreeMap::new(), led_to: BTreeMap::new() }
    }

    fn can_talk_to(&mut self, caller: &Workload) -> usize {
        let mut own: Vec<NetworkId> = networks(caller).collect();
        own.sort_unstable();
        let key = (own, (self.model.is_closed_in(caller), self.model.may_use_api(caller)));
        let known = self.known.get(&key).copied();
        let count = known.unwrap_or_else(|| self.count(caller, key.1));
        self.known.insert(key, count);
        // The caller is a member of its own networks.
        count - usize::from(!caller.ports().is_empty())
    }

    /// The number of members of its networks, and of other services with open ports that it can reach.
    fn count(&mut self, caller: &Workload, ways_out: WaysOut) -> usize {
        let model = self.model;
        let of_network = |network| self.members.get(&network).into_iter().flatten();
        let mut members: Vec<WorkloadId> = places(caller).flat_map(of_network).copied().collect();
        members.sort_unstable();
        members.dedup();
        let leaks = leaks(model, caller);
        let is_led_to = |id: &&WorkloadId| {
            model.opened_ports(&model.workloads[**id]).any(|port| reaches_open_port(ways_out.0, &leaks, port))
        };
        let led_to = self.led_to.entry(ways_out);
        let led_to = *led_to.or_insert_with(|| self.services.iter().filter(is_led_to).count());
        members.len() + led_to - members.iter().filter(is_led_to).count()
    }
}

/// Whether an open port can be reached without a shared network.
fn reaches_open_port(closed_in: bool, leaks: &[Leak], port: &Port) -> bool {
    !closed_in || leaks.iter().any(|leak| leak.leads_to(port))
}

/// The networks of a workload; `None` is the default network.
fn places(workload: &Workload) -> impl Iterator<Item = Option<NetworkId>> {
    let common = workload.networks.is_empty().then_some(None);
    common.into_iter().chain(networks(workload).map(Some))
}

/// Whether `from` can reach `to`.
pub fn may(model: &Model, from: WorkloadId, to: WorkloadId) -> May {
    let (caller, called) = (&model.workloads[from], &model.workloads[to]);
    if from == to {
        return May::Itself;
    }
    if model.share_network(caller, called) {
        return May::All;
    }
    let mut open = model.opened_ports(called).peekable();
    match (open.peek().is_some(), model.is_closed_in(caller)) {
        (true, true) => {
            let leaks = leaks(model, caller);
            let leads = open.any(|port| leaks.iter().any(|leak| leak.leads_to(port)));
            if leads { May::SomeOpenPorts } else { May::NoWayOut }
        }
        (false, true) => May::NoWayOut,
        (true, false) => May::OpenPorts,
        (false, false) => May::NoNetwork,
    }
}

/// Whether `from` can reach a port of `to`.
pub fn may_at(model: &Model, from: WorkloadId, to: WorkloadId, port: &Port) -> bool {
    match may(model, from, to) {
        May::Itself | May::All => true,
        May::OpenPorts => model.is_opened(&model.workloads[to], port),
        May::SomeOpenPorts => {
            let leaks = leaks(model, &model.workloads[from]);
            model.is_opened(&model.workloads[to], port) && leaks.iter().any(|leak| leak.leads_to(port))
        }
        May::NoNetwork | May::NoWayOut => false,
    }
}

/// The networks of a workload; none for one in the default network.
pub fn networks(workload: &Workload) -> impl Iterator<Item = NetworkId> {
    workload.networks.iter().map(|network| network.value)
}

fn open_ports(model: &Model, plan: &PortPlan) -> Vec<OpenPort> {
    let mut known: BTreeMap<WorkloadId, Vec<Login>> = BTreeMap::new();
    let way = |entry: &super::ports::PortEntry| {
        let port = entry.port(model).filter(|port| port.reach.value.is_open())?;
        Some(OpenPort {
            service: entry.service,
            port: entry.port,
            also: answering(model, entry.service, entry.port),
            reach: port.reach.value,
            addresses: external_addresses(model, port, &entry.at),
            logins: match login_at(model, entry.service, port) {
                logins if logins.is_empty() => {
                    known.entry(entry.service).or_insert_with(|| logins_of(model, entry.service)).clone()
                }
                logins => logins,
            },
        })
    };
    plan.entries.iter().filter_map(way).collect()
}

/// The other services that answer at the address of a port: those behind it that have such a port.
pub fn answering(model: &Model, service: WorkloadId, port: PortIndex) -> Vec<WorkloadId> {
    let Some(port) = model.workloads[service].port(port) else { return Vec::new() };
    let has_port = |id: &&WorkloadId| model.workloads[**id].ports().iter().any(|own| own.name == port.name);
    model.answering(&model.workloads[service]).iter().filter(has_port).copied().collect()
}

/// The ports that only services in their networks can reach.
fn closed_ports(model: &Model) -> Vec<ClosedPort> {
    let closed = |(id, workload): (WorkloadId, &'_ Workload)| {
        let ports = workload.port_entries().filter(|(_, port)| !model.is_opened(workload, port));
        let closed = |(index, port)| ClosedPort {
            service: id,
            port: index,
            also: answering(model, id, index),
            logins: login_at(model, id, port),
        };
        ports.map(closed).collect::<Vec<_>>()
    };
    model.workloads.entries().flat_map(closed).collect()
}
