//! The port plan of a target: each port with its number, who can reach it, where it is to be found from
//! outside, and which two want the same number in the same place.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use std::ops::RangeInclusive;

use crate::grammar::at::At;
use crate::model::{Model, Port, PortIndex, Protocol, Reach, TargetKind, WorkloadId};
use crate::source::Span;

/// The numbers that a cluster hands out on its nodes, by default.
pub const NODE_RANGE: RangeInclusive<u16> = 30000..=32767;

/// The port plan of a model.
#[derive(Clone, Debug)]
pub struct PortPlan {
    /// Every port, in the order of the stack.
    pub entries: Vec<PortEntry>,
    /// Every two that want the same number in the same place.
    pub clashes: Vec<Clash>,
}

/// A port in the plan.
#[derive(Clone, Debug)]
pub struct PortEntry {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// The numbers outside, one for each replica on a machine; empty if it is not open, and for a port on the nodes
    /// whose number the cluster picks.
    pub at: Vec<u16>,
}

/// Where a number can be taken once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Ground {
    /// In the pod of a service: its containers share one address.
    Pod(WorkloadId),
    /// At the inner address of a service.
    Inner(WorkloadId),
    /// At the outer address of a service.
    Balancer(WorkloadId),
    /// On the machine.
    Machine,
    /// On every node.
    Nodes,
}

/// Two ports that want one number in one place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Clash {
    /// The place.
    pub ground: Ground,
    /// The number.
    pub number: u16,
    /// The transport protocol; the same number of another one is another port.
    pub protocol: Protocol,
    /// Who has it.
    pub first: PortOwner,
    /// Who wants it as well.
    pub second: PortOwner,
    /// A number that is free there.
    pub free: Option<u16>,
}

/// A port that has or wants a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PortOwner {
    /// The service.
    pub service: WorkloadId,
    /// The port.
    pub port: PortIndex,
    /// Where the number is written.
    pub span: Span,
}

/// What is taken, by place, protocol and number. Nodes hand out numbers whatever the protocol: see [`slot`].
type Taken = BTreeMap<(Ground, Protocol, u16), PortOwner>;

/// The key of a number that is taken. The cluster allocates node ports by number alone.
fn slot(ground: Ground, protocol: Protocol, number: u16) -> (Ground, Protocol, u16) {
    (ground, if ground == Ground::Nodes { Protocol::Tcp } else { protocol }, number)
}

impl PortPlan {
    /// The port plan of `model`. Numbers that are written are taken first, those that are chosen go
    /// around them; the same model gets the same plan.
    pub fn of(model: &Model) -> Self {
        Self::with_steps(model).0
    }

    /// The plan, and how many numbers were looked at in searches for free ones.
    fn with_steps(model: &Model) -> (Self, usize) {
        let mut plan =
            Planner { model, taken: Taken::new(), wanted: Vec::new(), next: BTreeMap::new(), steps: 0 };
        let mut entries = Vec::new();
        for (service, workload) in model.workloads.entries() {
            // Two ports of one number clash in the pod already.
            let differs = workload.ports().iter().any(|port| port.as_number.is_some());
            for (index, port) in workload.ports().iter().enumerate() {
                let port_index = PortIndex(index);
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
    /// The port that it is about.
    pub fn port<'m>(&self, model: &'m Model) -> Option<&'m Port> {
        model.workloads[self.service].port(self.port)
    }
}

impl PortEntry {
    /// Whether the cluster picks the number: a port on its nodes of which the stack says none.
    pub fn is_picked_by_cluster(&self, model: &Model) -> bool {
        self.port(model).is_some_and(|port| {
            model.target.on.value == TargetKind::Cluster
                && port.reach.value == Reach::Node
                && matches!(port.at.map(|at| at.value), None | Some(At::Auto))
        })
    }
}

/// Whether two ports of one Service may have one number on the nodes: one port that speaks two protocols.
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
    wanted: Vec<(Ground, Protocol, u16, PortOwner)>,
    /// For each number that is taken, one behind it that may be free: where a search goes on.
    next: BTreeMap<(Ground, Protocol, u16), u32>,
    /// How many numbers have been looked at in searches.
    steps: usize,
}

impl Planner<'_> {
    /// Takes a number, or notes that somebody has it.
    fn claim(&mut self, ground: Ground, protocol: Protocol, number: u16, owner: PortOwner) {
        if number == 0 {
            return; // could not be read, and was reported
        }
        match self.taken.entry(slot(ground, protocol, number)) {
            Entry::Occupied(first) if ground == Ground::Nodes && shares(self.model, *first.get(), owner) => {}
            Entry::Occupied(_) => self.wanted.push((ground, protocol, number, owner)),
            Entry::Vacant(free) => {
                free.insert(owner);
                self.next.insert(slot(ground, protocol, number), u32::from(number) + 1);
            }
        }
    }

    fn claim_inside(&mut self, service: WorkloadId, index: PortIndex, port: &Port, differs: bool) {
        let owner = |span| PortOwner { service, port: index, span };
        let written = owner(port.number.span().unwrap_or(port.span));
        self.claim(Ground::Pod(service), port.protocol, port.number.value, written);
        if differs {
            let inner = owner(port.as_span());
            self.claim(Ground::Inner(service), port.protocol, port.as_number(), inner);
        }
    }

    /// Where the outer number of a port is taken; `None` for a port that is not open.
    fn ground(&self, service: WorkloadId, reach: Reach) -> Option<Ground> {
        match (reach, self.model.target.on.value) {
            (Reach::Stack, _) | (Reach::Web, TargetKind::Cluster) => None,
            (_, TargetKind::Machine) => Some(Ground::Machine),
            (Reach::Node, TargetKind::Cluster) => Some(Ground::Nodes),
            (Reach::Balancer, TargetKind::Cluster) => Some(Ground::Balancer(service)),
        }
    }

    fn claim_written(&mut self, entry: &mut PortEntry) {
        let Some(port) = entry.port(self.model) else { return };
        let Some(ground) = self.ground(entry.service, port.reach.value) else { return };
        let owner = PortOwner { service: entry.service, port: entry.port, span: outer_span(port) };
        let numbers: Vec<u16> = match (port.at.map(|at| at.value), ground) {
            (Some(At::Fixed(number)), _) => vec![number],
            (Some(At::Range(first, last)), Ground::Machine) => {
                (first..=last).take(self.replicas(entry.service)).collect()
            }
            // An address of its own: nobody else has numbers there. On the nodes the cluster picks.
            (None | Some(At::Auto), Ground::Balancer(_)) => vec![port.as_number()],
            _ => return,
        };
        for number in &numbers {
            self.claim(ground, port.protocol, *number, owner);
        }
        entry.at = numbers;
    }

    /// Chooses the first free numbers for a port that leaves the choice.
    fn choose(&mut self, entry: &mut PortEntry) {
        let Some(port) = entry.port(self.model) else { return };
        let Some(ground) = self.ground(entry.service, port.reach.value) else { return };
        if !entry.at.is_empty() || entry.is_picked_by_cluster(self.model) {
            return;
        }
        let owner = PortOwner { service: entry.service, port: entry.port, span: outer_span(port) };
        let first = match (port.at.map(|at| at.value), ground) {
            (Some(At::From(first) | At::Range(first, _)), _) => first,
            // Numbers below 1024 need special rights on most machines.
            _ if port.as_number() < 1024 => port.as_number() + 8000,
            _ => port.as_number(),
        };
        let count = if ground == Ground::Machine { self.replicas(entry.service) } else { 1 };
        let mut next = first;
        while entry.at.len() < count {
            let Some(number) = self.free(ground, port.protocol, next) else { break };
            self.claim(ground, port.protocol, number, owner);
            entry.at.push(number);
            next = number;
        }
    }

    /// The first free number from `first` on, going around once where there is a range.
    fn free(&mut self, ground: Ground, protocol: Protocol, first: u16) -> Option<u16> {
        let (least, most) = match ground {
            Ground::Nodes => (*NODE_RANGE.start(), *NODE_RANGE.end()),
            _ => (1024, u16::MAX),
        };
        let first = first.clamp(least, most);
        let behind = self.free_from(ground, protocol, first);
        behind
            .filter(|number| *number <= most)
            .or_else(|| self.free_from(ground, protocol, least).filter(|number| *number < first))
    }

    /// The first free number from `first` on, without an end. All that is passed on the way leads there the next time, so
    /// that many searches take about as many steps as there are numbers.
    fn free_from(&mut self, ground: Ground, protocol: Protocol, first: u16) -> Option<u16> {
        let (mut at, mut passed) = (u32::from(first), Vec::new());
        while let Some(next) = u16::try_from(at).ok().and_then(|n| self.next.get(&slot(ground, protocol, n)))
        {
            passed.push(at);
            at = *next;
            self.steps += 1;
        }
        for number in passed.into_iter().filter_map(|number| u16::try_from(number).ok()) {
            self.next.insert(slot(ground, protocol, number), at);
        }
        u16::try_from(at).ok()
    }

    fn replicas(&self, service: WorkloadId) -> usize {
        let service = self.model.workloads[service].service();
        service.map_or(1, |service| service.replicas.value.least().max(1) as usize)
    }

    fn clashes(&mut self) -> Vec<Clash> {
        let wanted = std::mem::take(&mut self.wanted);
        let clash = |(ground, protocol, number, second): (Ground, Protocol, u16, PortOwner)| {
            let first = *self.taken.get(&slot(ground, protocol, number))?;
            let free = self.free(ground, protocol, number);
            Some(Clash { ground, number, protocol, first, second, free })
        };
        wanted.into_iter().filter_map(clash).collect()
    }
}

/// Where it is written at which number a port is to be found from outside.
fn outer_span(port: &Port) -> Span {
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

impl Ground {
    /// The place in words, as the end of a sentence about ports of it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Pod(_) => "in the pod",
            Self::Inner(_) => "at the internal address",
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

    /// The steps that a machine's plan takes for services that all leave the choice, from one number on.
    fn steps(services: usize) -> usize {
        let mut stack = "[stack]\nname = \"s\"\n[target.m]\non = \"machine\"\n".to_owned();
        for index in 0..services {
            stack.push_str(&format!(
                "[service.s{index}]\nimage = \"a:1\"\nport.p = {{ number = 80, reach = \"node\", at = \"auto\" }}\n"
            ));
        }
        let files = MemoryFiles::default().with("/s/fracht.toml", stack);
        let path = Path::new("/s/fracht.toml");
        let mut project = Project::open(&files, path, path).unwrap();
        let verdict = project.check("m").unwrap();
        let (plan, steps) = PortPlan::with_steps(&verdict.model);
        let last = plan.entries.last().unwrap().at[0];
        assert_eq!((usize::from(last), plan.clashes.len()), (8080 + services - 1, 0));
        steps
    }

    #[test]
    fn numbers_are_chosen_in_steps_that_grow_with_their_count() {
        let (few, many) = (steps(200), steps(800));
        assert!(few <= 4 * 200 && many <= 4 * 800, "{few}, {many}");
    }
}
