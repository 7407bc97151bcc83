//! The port plan of a target: every port with its external numbers, and the clashes between ports.

mod planner;

use std::collections::BTreeSet;
use std::ops::RangeInclusive;
use std::sync::Arc;

use crate::grammar::at::At;
use crate::model::{Kept, Model, Port, PortIndex, Protocol, Reach, TargetKind, WorkloadId};
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
    /// The lines of the lock that do not fit the stack, so that they are not used.
    pub unfit: Vec<Unfit>,
}

/// Numbers outside the stack that are taken already, on the machine or on the nodes.
pub type TakenElsewhere = BTreeSet<(Protocol, u16)>;

/// A line of the lock that does not fit the stack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfit {
    /// The line, by its index in [`Model::kept`].
    pub kept: usize,
    /// The port that it is about; `None` if the stack has no such port.
    pub port: Option<PortOwner>,
    /// Why it does not fit.
    pub why: Misfit,
}

/// Why a line of the lock does not fit the stack.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Misfit {
    /// The stack has no such service or port.
    Gone,
    /// No number is chosen for such a port in this target.
    NoChoice,
    /// The stack sets another number, or sets it in another way.
    Written,
    /// The number is not one of those from which the stack lets Fracht choose.
    OutOfRange,
    /// Another port has the number.
    Taken(PortOwner),
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
    /// Whether the numbers are from the lock.
    pub kept: bool,
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

impl PortPlan {
    /// The port plan of `model`. Numbers in the stack are reserved first, then those of the lock, then Fracht chooses
    /// the others. The same model always has the same plan.
    pub fn of(model: &Model) -> Self {
        planner::plan(model, None).0
    }

    /// The plan in which every clash outside the stack is settled, and every number is chosen, also those that the
    /// cluster would choose. A number that is set or kept stays if it is free; `elsewhere` has those that are not.
    pub fn settled(model: &Model, elsewhere: &TakenElsewhere) -> Self {
        planner::plan(model, Some(elsewhere)).0
    }

    /// The numbers of this plan that the stack does not set itself: those to keep in the lock.
    pub fn kept(&self, model: &Model) -> Vec<Kept> {
        let kept = |entry: &PortEntry| {
            let port = entry.port(model).filter(|port| is_chosen(model, port) && !entry.at.is_empty())?;
            let set = port.at.map(|at| at.value).filter(|at| matches!(at, At::Fixed(_) | At::Range(..)));
            let is_as_set = match set {
                Some(At::Fixed(number)) => entry.at == [number],
                Some(At::Range(first, last)) => (first..=last).zip(&entry.at).all(|(set, at)| set == *at),
                _ => false,
            };
            (!is_as_set).then(|| Kept {
                service: Arc::clone(&model.workloads[entry.service].name),
                port: Arc::clone(&port.name),
                at: entry.at.clone(),
                instead_of: set.map(|at| at.to_string().into()),
                span: None,
            })
        };
        self.entries.iter().filter_map(kept).collect()
    }

    /// The numbers that are free for open ports of the target, in the stack and `elsewhere`.
    pub fn free(&self, model: &Model, elsewhere: &TakenElsewhere) -> FreeNumbers {
        let own = self.entries.iter().filter_map(|entry| {
            let port = entry.port(model).filter(|port| is_chosen(model, port))?;
            Some(entry.at.iter().map(|number| (port.protocol, *number)))
        });
        let used = own.flatten().chain(elsewhere.iter().copied());
        let one_for_all = model.target.on.value == TargetKind::Cluster;
        let used = used.map(|(protocol, number)| (slot_protocol(one_for_all, protocol), number)).collect();
        FreeNumbers { used, range: outer_range(model), one_for_all }
    }
}

/// The numbers that are free on the machine or on the nodes.
#[derive(Clone, Debug)]
pub struct FreeNumbers {
    used: TakenElsewhere,
    range: (u16, u16),
    /// Whether a number is one for all protocols.
    one_for_all: bool,
}

impl FreeNumbers {
    /// The first free number from `first` on, going around once.
    pub fn after(&self, protocol: Protocol, first: u16) -> Option<u16> {
        let (least, most) = self.range;
        let protocol = slot_protocol(self.one_for_all, protocol);
        let first = first.clamp(least, most);
        let is_free = |number: &u16| !self.used.contains(&(protocol, *number));
        (first..=most).chain(least..first).find(is_free)
    }
}

/// The protocol by which a number is counted: a cluster allocates node ports by number alone.
fn slot_protocol(one_for_all: bool, protocol: Protocol) -> Protocol {
    if one_for_all { Protocol::Tcp } else { protocol }
}

/// The numbers from which Fracht chooses those of open ports. Ports below 1024 need special rights on most machines.
fn outer_range(model: &Model) -> (u16, u16) {
    match model.target.on.value {
        TargetKind::Cluster => (*NODE_RANGE.start(), *NODE_RANGE.end()),
        TargetKind::Machine => (1024, u16::MAX),
    }
}

impl PortEntry {
    /// The port itself.
    pub fn port<'m>(&self, model: &'m Model) -> Option<&'m Port> {
        model.workloads[self.service].port(self.port)
    }
}

impl PortEntry {
    /// The port as one that uses its external number; `None` if it has none.
    pub fn owner(&self, model: &Model) -> Option<PortOwner> {
        let port = self.port(model).filter(|_| !self.at.is_empty())?;
        Some(PortOwner { service: self.service, port: self.port, span: external_span(port) })
    }

    /// Whether the cluster chooses the number: a node port without `at`, of which the lock has no number either.
    pub fn is_picked_by_cluster(&self, model: &Model) -> bool {
        let port = self.port(model).filter(|_| self.at.is_empty());
        port.is_some_and(|port| may_be_picked(model, port))
    }
}

/// Whether a port has a number on the machine or on the nodes, where each can be used once.
pub fn is_chosen(model: &Model, port: &Port) -> bool {
    port.reach.value.is_open()
        && (model.target.on.value == TargetKind::Machine || port.reach.value == Reach::Node)
}

/// Whether the cluster may choose the number of a port.
fn may_be_picked(model: &Model, port: &Port) -> bool {
    model.target.on.value == TargetKind::Cluster
        && port.reach.value == Reach::Node
        && matches!(port.at.map(|at| at.value), None | Some(At::Auto))
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
        let (plan, steps) = planner::plan(&verdict.facts.model, None);
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
