//! The port plan of a target: every port with its external numbers, and the clashes between ports.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use std::ops::RangeInclusive;

use crate::grammar::at::At;
use crate::model::{Model, Port, PortIndex, Protocol, Reach, TargetKind, WorkloadId};
use crate::source::Span;

/// The default range of node ports of a cluster.
pub const NODE_RANGE: RangeInclusive<u16> = 30000..=32767;

/// The port plan of a model.
#[derive(Clone, Debug)]
pub struct PortPlan {
    /// Every port, in the order of the stack.
    pub entries: Vec<PortEntry>,
    /// The pairs of ports that use the same number in the same place.
    pub clashes: Vec<Clash>,
}

/// A port in the plan.
#[derive(Clone, Debug)]
pub struct PortEntry {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// The external numbers, on a machine one per replica. Empty for a port that is not open, and for a node port whose
    /// number the cluster chooses.
    pub at: Vec<u16>,
}

/// A place in which each number can be used once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum PortScope {
    /// The pod of a service: its containers share one address.
    Pod(WorkloadId),
    /// The internal address of a service.
    Service(WorkloadId),
    /// The external address of a service.
    Balancer(WorkloadId),
    /// The machine.
    Machine,
    /// The nodes, which all open the same ports.
    Nodes,
}

/// Two ports that use the same number in the same place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Clash {
    /// The place.
    pub scope: PortScope,
    /// The number.
    pub number: u16,
    /// The transport protocol. The same number of another protocol is another port.
    pub protocol: Protocol,
    /// The port that uses the number first.
    pub first: PortOwner,
    /// The port that uses it again.
    pub second: PortOwner,
    /// A number that is free in this place.
    pub free: Option<u16>,
}

/// A port that uses a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PortOwner {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// Where the number is written.
    pub span: Span,
}

/// The used numbers, by place, protocol and number.
type Taken = BTreeMap<(PortScope, Protocol, u16), PortOwner>;

/// The key of a used number. A cluster allocates node ports by number alone, whatever the protocol.
fn slot(scope: PortScope, protocol: Protocol, number: u16) -> (PortScope, Protocol, u16) {
    (scope, if scope == PortScope::Nodes { Protocol::Tcp } else { protocol }, number)
}

impl PortPlan {
    /// The port plan of `model`. Numbers in the stack are reserved first, then Fracht chooses the others. The same
    /// model always has the same plan.
    pub fn of(model: &Model) -> Self {
        Self::with_steps(model).0
    }

    /// The plan, and how many numbers were tried in the search for free ones.
    fn with_steps(model: &Model) -> (Self, usize) {
        let mut plan =
            Planner { model, taken: Taken::new(), wanted: Vec::new(), next: BTreeMap::new(), steps: 0 };
        let mut entries = Vec::new();
        for (service, workload) in model.workloads.entries() {
            // Otherwise the two ports clash in the pod already.
            let differs = workload.ports().iter().any(|port| port.as_number.is_some());
            for (index, port) in workload.ports().iter().enumerate() {
                let port_index = PortIndex::new(index);
                plan.claim_inside(service, port_index, port, differs);
                entries.push(PortEntry { service, port: port_index, at: Vec::new() });
            }
        }
        for entry in &mut entries {
            plan.claim_written(entry);
        }
        for entry in &mut entries {
            plan.choose(entry);
        }
        let clashes = plan.clashes();
        (Self { entries, clashes }, plan.steps)
    }
}

impl PortEntry {
    /// The port itself.
    pub fn port<'m>(&self, model: &'m Model) -> Option<&'m Port> {
        model.workloads[self.service].port(self.port)
    }
}

impl PortEntry {
    /// Whether the cluster chooses the number: a node port without `at`.
    pub fn is_picked_by_cluster(&self, model: &Model) -> bool {
        self.port(model).is_some_and(|port| {
            model.target.on.value == TargetKind::Cluster
                && port.reach.value == Reach::Node
                && matches!(port.at.map(|at| at.value), None | Some(At::Auto))
        })
    }
}

/// Whether two ports of one Service may share a node port: the same number with two protocols.
fn shares(model: &Model, first: PortOwner, second: PortOwner) -> bool {
    let port = |owner: PortOwner| model.workloads[owner.service].port(owner.port);
    first.service == second.service
        && port(first).zip(port(second)).is_some_and(|(first, second)| {
            first.as_number() == second.as_number() && first.protocol != second.protocol
        })
}

struct Planner<'m> {
    model: &'m Model,
    taken: Taken,
    wanted: Vec<(PortScope, Protocol, u16, PortOwner)>,
    /// For each used number, a later one that may be free, where the search continues.
    next: BTreeMap<(PortScope, Protocol, u16), u32>,
    /// How many numbers have been tried.
    steps: usize,
}

impl Planner<'_> {
    /// Reserves a number, or notes a clash.
    fn claim(&mut self, scope: PortScope, protocol: Protocol, number: u16, owner: PortOwner) {
        if number == 0 {
            return; // could not be read, and was reported
        }
        match self.taken.entry(slot(scope, protocol, number)) {
            Entry::Occupied(first)
                if scope == PortScope::Nodes && shares(self.model, *first.get(), owner) => {}
            Entry::Occupied(_) => self.wanted.push((scope, protocol, number, owner)),
            Entry::Vacant(free) => {
                free.insert(owner);
                self.next.insert(slot(scope, protocol, number), u32::from(number) + 1);
            }
        }
    }

    fn claim_inside(&mut self, service: WorkloadId, index: PortIndex, port: &Port, differs: bool) {
        let owner = |span| PortOwner { service, port: index, span };
        let written = owner(port.number.span().unwrap_or(port.span));
        self.claim(PortScope::Pod(service), port.protocol, port.number.value, written);
        if differs {
            let inner = owner(port.as_span());
            self.claim(PortScope::Service(service), port.protocol, port.as_number(), inner);
        }
    }

    /// The place of a port's external number; `None` for a port that is not open.
    fn scope(&self, service: WorkloadId, reach: Reach) -> Option<PortScope> {
        match (reach, self.model.target.on.value) {
            (Reach::Stack, _) | (Reach::Web, TargetKind::Cluster) => None,
            (_, TargetKind::Machine) => Some(PortScope::Machine),
            (Reach::Node, TargetKind::Cluster) => Some(PortScope::Nodes),
            (Reach::Balancer, TargetKind::Cluster) => Some(PortScope::Balancer(service)),
        }
    }

    fn claim_written(&mut self, entry: &mut PortEntry) {
        let Some(port) = entry.port(self.model) else { return };
        let Some(scope) = self.scope(entry.service, port.reach.value) else { return };
        let owner = PortOwner { service: entry.service, port: entry.port, span: external_span(port) };
        let numbers: Vec<u16> = match (port.at.map(|at| at.value), scope) {
            (Some(At::Fixed(number)), _) => vec![number],
            (Some(At::Range(first, last)), PortScope::Machine) => {
                (first..=last).take(self.replicas(entry.service)).collect()
            }
            // A load balancer has an address of its own, so that its numbers are free. Node ports are chosen by the
            // cluster.
            (None | Some(At::Auto), PortScope::Balancer(_)) => vec![port.as_number()],
            _ => return,
        };
        for number in &numbers {
            self.claim(scope, port.protocol, *number, owner);
        }
        entry.at = numbers;
    }

    /// Chooses the first free numbers for a port that leaves the choice.
    fn choose(&mut self, entry: &mut PortEntry) {
        let Some(port) = entry.port(self.model) else { return };
        let Some(scope) = self.scope(entry.service, port.reach.value) else { return };
        if !entry.at.is_empty() || entry.is_picked_by_cluster(self.model) {
            return;
        }
        let owner = PortOwner { service: entry.service, port: entry.port, span: external_span(port) };
        let first = match (port.at.map(|at| at.value), scope) {
            (Some(At::From(first) | At::Range(first, _)), _) => first,
            // Ports below 1024 need special rights on most machines.
            _ if port.as_number() < 1024 => port.as_number() + 8000,
            _ => port.as_number(),
        };
        let count = if scope == PortScope::Machine { self.replicas(entry.service) } else { 1 };
        let mut next = first;
        while entry.at.len() < count {
            let Some(number) = self.free(scope, port.protocol, next) else { break };
            self.claim(scope, port.protocol, number, owner);
            entry.at.push(number);
            next = number;
        }
    }

    /// The first free number from `first` on, going around once where there is a range.
    fn free(&mut self, scope: PortScope, protocol: Protocol, first: u16) -> Option<u16> {
        let (least, most) = match scope {
            PortScope::Nodes => (*NODE_RANGE.start(), *NODE_RANGE.end()),
            _ => (1024, u16::MAX),
        };
        let first = first.clamp(least, most);
        let behind = self.free_from(scope, protocol, first);
        behind
            .filter(|number| *number <= most)
            .or_else(|| self.free_from(scope, protocol, least).filter(|number| *number < first))
    }

    /// The first free number from `first` on. Every number that is passed then points to the result, so that many
    /// searches take about as many steps as there are numbers.
    fn free_from(&mut self, scope: PortScope, protocol: Protocol, first: u16) -> Option<u16> {
        let (mut at, mut passed) = (u32::from(first), Vec::new());
        while let Some(next) = u16::try_from(at).ok().and_then(|n| self.next.get(&slot(scope, protocol, n))) {
            passed.push(at);
            at = *next;
            self.steps += 1;
        }
        for number in passed.into_iter().filter_map(|number| u16::try_from(number).ok()) {
            self.next.insert(slot(scope, protocol, number), at);
        }
        u16::try_from(at).ok()
    }

    fn replicas(&self, service: WorkloadId) -> usize {
        let service = self.model.workloads[service].service();
        service.map_or(1, |service| service.replicas.value.least().max(1) as usize)
    }

    fn clashes(&mut self) -> Vec<Clash> {
        let wanted = std::mem::take(&mut self.wanted);
        let clash = |(scope, protocol, number, second): (PortScope, Protocol, u16, PortOwner)| {
            let first = *self.taken.get(&slot(scope, protocol, number))?;
            let free = self.free(scope, protocol, number);
            Some(Clash { scope, number, protocol, first, second, free })
        };
        wanted.into_iter().filter_map(clash).collect()
    }
}

/// Where the external number of a port is written.
fn external_span(port: &Port) -> Span {
    port.at.and_then(|at| at.span()).unwrap_or_else(|| port.as_span())
}

impl PortOwner {
    /// `service.api/http`.
    pub fn words(&self, model: &Model) -> String {
        let workload = &model.workloads[self.service];
        let port = workload.port(self.port).map_or("?", |port| &port.name);
        format!("{}/{port}", workload.reference())
    }
}

impl PortScope {
    /// The place in words, as the end of a clause about its ports.
    pub fn words(self) -> &'static str {
        match self {
            Self::Pod(_) => "in the pod",
            Self::Service(_) => "at the internal address",
            Self::Balancer(_) => "on the load balancer",
            Self::Machine => "on the machine",
            Self::Nodes => "on the nodes",
        }
    }
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use super::*;
    use crate::check::Project;
    use crate::files::MemoryFiles;

    /// The number of search steps on a machine for services that all start from the same number.
    fn steps(services: usize) -> usize {
        let mut stack = "[stack]\nname = \"s\"\n[target.m]\non = \"machine\"\n".to_owned();
        for index in 0..services {
            stack.push_str(&format!(
                "[service.s{index}]\nimage = \"a:1.0\"\nport.p = {{ number = 80, reach = \"node\", at = \"auto\" }}\n"
            ));
        }
        let files = MemoryFiles::default().with("/s/fracht.toml", stack);
        let path = Path::new("/s/fracht.toml");
        let mut project = Project::open(&files, path, path).unwrap();
        let verdict = project.check("m").unwrap();
        let (plan, steps) = PortPlan::with_steps(&verdict.facts.model);
        let last = plan.entries.last().unwrap().at[0];
        assert_eq!((usize::from(last), plan.clashes.len()), (8080 + services - 1, 0));
        steps
    }

    #[test]
    fn choosing_numbers_is_linear_in_their_count() {
        let (few, many) = (steps(200), steps(800));
        assert!((1..=4 * 200).contains(&few) && many <= 4 * 800, "{few}, {many}");
    }
}
