//! Who can get to what: the ways in from outside, and who can talk to whom inside.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::outer::{OuterAddress, outer_addresses};
use super::ports::PortPlan;
use crate::model::{
    Address, Condition, Model, NetworkId, OutsideId, Part, Port, PortIndex, Protocol, Reach, SecretId,
    TargetKind, Text, Workload, WorkloadId,
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
    /// The addresses.
    pub addresses: Vec<OuterAddress>,
    /// The logins of the service itself, not of what it uses.
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
    /// Those of [`ReachPlan::services`] that the stack says it talks to: by an address, or by waiting for them.
    pub uses: BTreeSet<WorkloadId>,
    /// How many of [`ReachPlan::services`] it can talk to, itself not counted.
    pub can_talk_to: usize,
    /// Whether it can get to what is outside of the stack, at any port.
    pub gets_out: bool,
    /// Where it gets out of its closed networks all the same.
    pub leaks: Vec<Leak>,
    /// What it uses that is outside.
    pub outside: Vec<OutsideId>,
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
    /// At those of its open ports alone that the caller gets to out of its closed networks.
    SomeOpenPorts,
    /// Not at all: they share no network, and nothing is open.
    NoNetwork,
    /// Not at all: they share no network, and its own networks are closed, so that it gets to no open port.
    NoWayOut,
}

/// A way out of closed networks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leak {
    /// What it is for.
    pub why: LeakReason,
    /// The ports.
    pub ports: &'static [u16],
    /// The protocols.
    pub protocols: &'static [Protocol],
    /// The blocks of addresses (CIDR, RFC 4632) that it leads to; empty: any address.
    pub to: Vec<Arc<str>>,
}

/// What a way out of closed networks is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeakReason {
    /// The look-up of names, which leads to any pod of the cluster and to the node.
    Names,
    /// The cluster's API, which a start gate or the program itself asks.
    Api,
}

/// Where names are looked up.
pub const NAME_PORTS: &[u16] = &[53];
/// Where clusters serve their API.
pub const API_PORTS: &[u16] = &[443, 6443];
/// The addresses at which a node answers look-ups of names, where it keeps them (RFC 3927).
pub const NODE_NAMES: &str = "169.254.0.0/16";

/// The ways out of a workload's closed networks; none for one that is in an open one.
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
    let api = model.leaves_by_api(workload).then(|| Leak {
        why: LeakReason::Api,
        ports: API_PORTS,
        protocols: &[Protocol::Tcp],
        to: model.target.api.clone(),
    });
    std::iter::once(names).chain(api).collect()
}

impl Leak {
    /// Whether it leads to any pod of the cluster.
    pub fn leads_to_pods(&self) -> bool {
        self.why == LeakReason::Names || self.to.is_empty()
    }

    /// Whether it leads to a port of another pod. Pods listen at the number of the container.
    fn leads_to(&self, port: &Port) -> bool {
        self.leads_to_pods()
            && self.ports.contains(&port.number.value)
            && self.protocols.contains(&port.protocol)
    }
}

impl May {
    /// Whether it can talk at all.
    pub fn is_yes(self) -> bool {
        matches!(self, Self::Itself | Self::All | Self::OpenPorts | Self::SomeOpenPorts)
    }
}

impl ReachPlan {
    /// Who can get to what in `model`.
    pub fn of(model: &Model) -> Self {
        let services: Vec<WorkloadId> =
            model.workloads.entries().filter(|(_, w)| !w.ports().is_empty()).map(|(id, _)| id).collect();
        let mut counts = Counts::of(model, &services);
        let callers = model.workloads.entries().map(|(id, workload)| {
            let (mut uses, outside) = used(workload);
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
        Self { callers: callers.collect(), ways: ways(model), services }
    }
}

/// Counts whom each can talk to, without a look at every pair.
struct Counts<'m> {
    model: &'m Model,
    services: &'m [WorkloadId],
    /// The services with ports that are in each network; `None` is the common one.
    members: BTreeMap<Option<NetworkId>, Vec<WorkloadId>>,
    /// What has been counted, by the networks of the caller and its ways out of them.
    known: BTreeMap<(Vec<NetworkId>, WaysOut), usize>,
    /// How many services have open ports to which ways out lead.
    led_to: BTreeMap<WaysOut, usize>,
}

/// What decides which open ports a workload gets to: whether it is closed in, and whether it leaves for the API.
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
        let key = (own, (self.model.is_closed_in(caller), self.model.leaves_by_api(caller)));
        let known = self.known.get(&key).copied();
        let count = known.unwrap_or_else(|| self.count(caller, key.1));
        self.known.insert(key, count);
        // It is a member of its own networks.
        count - usize::from(!caller.ports().is_empty())
    }

    /// The members of its networks, and those others whose open ports it gets to.
    fn count(&mut self, caller: &Workload, ways_out: WaysOut) -> usize {
        let model = self.model;
        let of_network = |network| self.members.get(&network).into_iter().flatten();
        let mut members: Vec<WorkloadId> = places(caller).flat_map(of_network).copied().collect();
        members.sort_unstable();
        members.dedup();
        let leaks = leaks(model, caller);
        let is_led_to = |id: &&WorkloadId| {
            model.workloads[**id].open_ports().any(|port| gets_to(ways_out.0, &leaks, port))
        };
        let led_to = self.led_to.entry(ways_out);
        let led_to = *led_to.or_insert_with(|| self.services.iter().filter(is_led_to).count());
        members.len() + led_to - members.iter().filter(is_led_to).count()
    }
}

/// Whether one gets to an open port of another with which it shares no network.
fn gets_to(closed_in: bool, leaks: &[Leak], port: &Port) -> bool {
    !closed_in || leaks.iter().any(|leak| leak.leads_to(port))
}

/// The networks that a workload is in; `None` is the common one.
fn places(workload: &Workload) -> impl Iterator<Item = Option<NetworkId>> {
    let common = workload.networks.is_empty().then_some(None);
    common.into_iter().chain(networks(workload).map(Some))
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
    let mut open = called.open_ports().peekable();
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

/// Whether `from` can talk to a port of `to`.
pub fn may_at(model: &Model, from: WorkloadId, to: WorkloadId, port: &Port) -> bool {
    match may(model, from, to) {
        May::Itself | May::All => true,
        May::OpenPorts => port.reach.value.is_open(),
        May::SomeOpenPorts => {
            let leaks = leaks(model, &model.workloads[from]);
            port.reach.value.is_open() && leaks.iter().any(|leak| leak.leads_to(port))
        }
        May::NoNetwork | May::NoWayOut => false,
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
    let mut known: BTreeMap<WorkloadId, Vec<Login>> = BTreeMap::new();
    let way = |entry: &super::ports::PortEntry| {
        let port = entry.port(model).filter(|port| port.reach.value.is_open())?;
        Some(WayIn {
            service: entry.service,
            port: entry.port,
            reach: port.reach.value,
            addresses: outer_addresses(model, port, &entry.at),
            logins: known.entry(entry.service).or_insert_with(|| logins(model, entry.service)).clone(),
        })
    };
    plan.entries.iter().filter_map(way).collect()
}

/// The logins of a service: the users and secrets that it knows of and that are not those of what it uses. A secret
/// that stands in one text with another's address, or that what it talks to knows as well, lets in there.
fn logins(model: &Model, id: WorkloadId) -> Vec<Login> {
    let workload = &model.workloads[id];
    let (used, _) = used(workload);
    let others = used.iter().filter(|other| **other != id).flat_map(|other| model.workloads[*other].texts());
    let known_there: BTreeSet<(SecretId, &str)> =
        others.flat_map(|(_, text)| &text.parts).filter_map(key_of).collect();
    let leads_away = |text: &Text| {
        text.parts.iter().any(|part| match part {
            Part::Known { address: Some(Address::Service(other, _)), .. } => *other != id,
            Part::Known { address: Some(Address::Outside(_)), .. } => true,
            _ => false,
        })
    };
    let is_foreign = |text: &Text| {
        leads_away(text) || text.parts.iter().filter_map(key_of).any(|key| known_there.contains(&key))
    };
    // `DB_USER` goes with `DB_HOST` and `DB_PASSWORD`.
    let stem = |name: &'_ str| name.rsplit_once(['_', '.', '-']).map_or("", |(stem, _)| stem).to_uppercase();
    let foreign: BTreeSet<String> = workload
        .texts()
        .filter(|(_, text)| is_foreign(text))
        .filter_map(|(variable, _)| Some(stem(&variable?.name)))
        .filter(|stem| !stem.is_empty())
        .collect();
    let mut logins = BTreeSet::new();
    for (variable, text) in workload.texts() {
        let of_another = variable.is_some_and(|variable| foreign.contains(&stem(&variable.name)));
        if of_another || is_foreign(text) {
            continue;
        }
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

fn key_of(part: &Part) -> Option<(SecretId, &str)> {
    match part {
        Part::Secret(id, key) => Some((*id, key)),
        _ => None,
    }
}
