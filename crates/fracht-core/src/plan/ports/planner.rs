//! Chooses the numbers of a port plan.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

use super::{
    Clash, Misfit, NODE_RANGE, PortEntry, PortOwner, PortPlan, PortScope, TakenElsewhere, Unfit,
    external_span, may_be_picked,
};
use crate::digest::Digest;
use crate::grammar::at::At;
use crate::model::{Kept, Model, Port, PortIndex, Protocol, Reach, TargetKind, WorkloadId};

/// The used numbers, by place, protocol and number.
type Taken = BTreeMap<(PortScope, Protocol, u16), PortOwner>;

/// The key of a used number. A cluster allocates node ports by number alone, whatever the protocol.
fn slot(scope: PortScope, protocol: Protocol, number: u16) -> (PortScope, Protocol, u16) {
    (scope, if scope == PortScope::Nodes { Protocol::Tcp } else { protocol }, number)
}

/// The numbers at the start of the range of which a cluster chooses none while others are free, so that they are for
/// those who choose (`NodePort` service IP and port allocation of Service, core/v1).
const CHOSEN_BY_PEOPLE: u16 = 86;

/// The plan of a model, and how many numbers were tried in the search for free ones. With numbers that are taken
/// elsewhere, every clash is settled and every number is chosen.
pub(super) fn plan(model: &Model, settle: Option<&TakenElsewhere>) -> (PortPlan, usize) {
    let mut plan = Planner {
        model,
        settle,
        kept: model.kept.iter().enumerate().map(|(index, kept)| (kept.key(), (index, kept))).collect(),
        taken: Taken::new(),
        wanted: Vec::new(),
        unfit: Vec::new(),
        next: BTreeMap::new(),
        steps: 0,
    };
    let mut entries = Vec::new();
    for (service, workload) in model.workloads.entries() {
        // Otherwise the two ports clash in the pod already.
        let differs = workload.ports().iter().any(|port| port.as_number.is_some());
        for (index, port) in workload.port_entries() {
            plan.claim_inside(service, index, port, differs);
            entries.push(PortEntry { service, port: index, at: Vec::new(), kept: false });
        }
    }
    let outer =
        if model.target.on.value == TargetKind::Cluster { PortScope::Nodes } else { PortScope::Machine };
    for (protocol, number) in settle.into_iter().flatten() {
        plan.next.insert(slot(outer, *protocol, *number), u32::from(*number) + 1);
    }
    for entry in &mut entries {
        plan.claim_written(entry);
    }
    for entry in &mut entries {
        plan.claim_kept(entry);
    }
    for entry in &mut entries {
        plan.choose(entry);
    }
    let clashes = plan.clashes();
    let gone = plan.kept.values().map(|(index, _)| Unfit { kept: *index, port: None, why: Misfit::Gone });
    let mut unfit: Vec<Unfit> = plan.unfit.iter().cloned().chain(gone).collect();
    unfit.sort_by_key(|unfit| unfit.kept);
    (PortPlan { entries, clashes, unfit }, plan.steps)
}

/// Whether a line of the lock has numbers in place of those that the stack sets for the port.
fn is_in_place(kept: &Kept, port: &Port) -> bool {
    let set = port.at.map(|at| at.value).filter(|at| matches!(at, At::Fixed(_) | At::Range(..)));
    kept.instead_of.as_deref().is_some_and(|instead| set.is_some_and(|at| at.to_string() == instead))
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
    /// The numbers that are taken elsewhere, if clashes are to be settled.
    settle: Option<&'m TakenElsewhere>,
    /// The lines of the lock that no port has asked for yet, with their indexes.
    kept: BTreeMap<(&'m str, &'m str), (usize, &'m Kept)>,
    taken: Taken,
    wanted: Vec<(PortScope, Protocol, u16, PortOwner)>,
    unfit: Vec<Unfit>,
    /// For each used number, a later one that may be free, where the search continues.
    next: BTreeMap<(PortScope, Protocol, u16), u32>,
    /// How many numbers have been tried.
    steps: usize,
}

impl<'m> Planner<'m> {
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

    /// The port of an entry, with the place of its external number; `None` for a port that is not open.
    fn open(&self, entry: &PortEntry) -> Option<(&'m Port, PortScope, PortOwner)> {
        let port = entry.port(self.model)?;
        let scope = self.scope(entry.service, port.reach.value)?;
        Some((port, scope, PortOwner { service: entry.service, port: entry.port, span: external_span(port) }))
    }

    /// The numbers that the stack sets for a port; none if it leaves the choice.
    fn written(&self, entry: &PortEntry, port: &Port, scope: PortScope) -> Vec<u16> {
        match (port.at.map(|at| at.value), scope) {
            (Some(At::Fixed(number)), _) => vec![number],
            (Some(At::Range(first, last)), PortScope::Machine) => {
                (first..=last).take(self.replicas(entry.service)).collect()
            }
            // A load balancer has an address of its own, so that its numbers are free. Node ports are chosen by the
            // cluster.
            (None | Some(At::Auto), PortScope::Balancer(_)) => vec![port.as_number()],
            _ => Vec::new(),
        }
    }

    /// The line of the lock that is about a port.
    fn kept(&self, entry: &PortEntry, port: &Port) -> Option<(usize, &'m Kept)> {
        self.kept.get(&(&*self.model.workloads[entry.service].name, &*port.name)).copied()
    }

    /// Reserves the numbers that the stack sets, unless the lock has others in their place. Where clashes are settled,
    /// 0 stands for a number that is not free.
    fn claim_written(&mut self, entry: &mut PortEntry) {
        let Some((port, scope, owner)) = self.open(entry) else { return };
        if self.kept(entry, port).is_some_and(|(_, kept)| is_in_place(kept, port)) {
            return;
        }
        entry.at = self.written(entry, port, scope);
        self.claim_all(entry, scope, port.protocol, owner);
    }

    /// Reserves the numbers of an entry, or notes clashes. Where clashes are settled, 0 stands for a number that is not
    /// free.
    fn claim_all(&mut self, entry: &mut PortEntry, scope: PortScope, protocol: Protocol, owner: PortOwner) {
        let is_settled = self.settle.is_some() && matches!(scope, PortScope::Machine | PortScope::Nodes);
        for number in &mut entry.at {
            if is_settled && self.holder(scope, protocol, *number, owner).is_some() {
                *number = 0;
            } else {
                self.claim(scope, protocol, *number, owner);
            }
        }
    }

    /// The other port that has a number, or `owner` itself if it is taken elsewhere; `None` if it is free.
    fn holder(
        &self,
        scope: PortScope,
        protocol: Protocol,
        number: u16,
        owner: PortOwner,
    ) -> Option<PortOwner> {
        let slot = slot(scope, protocol, number);
        match self.taken.get(&slot) {
            Some(first) if scope == PortScope::Nodes && shares(self.model, *first, owner) => None,
            Some(first) => Some(*first),
            None => self.next.contains_key(&slot).then_some(owner),
        }
    }

    /// Reserves the numbers that the lock keeps for a port, if they fit.
    fn claim_kept(&mut self, entry: &mut PortEntry) {
        let Some(port) = entry.port(self.model) else { return };
        let Some((index, kept)) = self.kept(entry, port) else { return };
        self.kept.remove(&kept.key());
        let Some((_, scope, owner)) = self.open(entry) else {
            let owner = PortOwner {
                service: entry.service,
                port: entry.port,
                span: port.reach.span().unwrap_or(port.span),
            };
            self.unfit.push(Unfit { kept: index, port: Some(owner), why: Misfit::NoChoice });
            return;
        };
        if let Err(why) = self.fit(entry, (port, scope, owner), kept) {
            self.unfit.push(Unfit { kept: index, port: Some(owner), why });
            if entry.at.is_empty() {
                entry.at = self.written(entry, port, scope);
                self.claim_all(entry, scope, port.protocol, owner);
            }
            return;
        }
        if entry.at.is_empty() {
            entry.at = kept.at.iter().copied().take(self.count(entry, scope)).collect();
            entry.kept = true;
            self.claim_all(entry, scope, port.protocol, owner);
        }
    }

    /// Whether a line of the lock fits its port, or why not.
    fn fit(
        &self,
        entry: &PortEntry,
        (port, scope, owner): (&Port, PortScope, PortOwner),
        kept: &Kept,
    ) -> Result<(), Misfit> {
        if matches!(scope, PortScope::Balancer(_)) {
            return Err(Misfit::NoChoice);
        }
        if !is_in_place(kept, port) {
            let written = self.written(entry, port, scope);
            if kept.instead_of.is_some() || !written.is_empty() && written != kept.at {
                return Err(Misfit::Written);
            }
            if !written.is_empty() {
                return Ok(());
            }
            let least = match port.at.map(|at| at.value) {
                Some(At::From(first)) => first,
                _ => 0,
            };
            if kept.at.iter().any(|number| *number < least) {
                return Err(Misfit::OutOfRange);
            }
        }
        if scope == PortScope::Nodes && kept.at.iter().any(|number| !NODE_RANGE.contains(number)) {
            return Err(Misfit::OutOfRange);
        }
        // Where clashes are settled, each number that is not free is replaced.
        let taken = |number: &u16| self.holder(scope, port.protocol, *number, owner);
        match kept.at.iter().find_map(taken).filter(|_| self.settle.is_none()) {
            Some(other) => Err(Misfit::Taken(other)),
            None => Ok(()),
        }
    }

    /// How many numbers a port has.
    fn count(&self, entry: &PortEntry, scope: PortScope) -> usize {
        if scope == PortScope::Machine { self.replicas(entry.service) } else { 1 }
    }

    /// Chooses the first free numbers for a port that leaves the choice.
    fn choose(&mut self, entry: &mut PortEntry) {
        let Some((port, scope, owner)) = self.open(entry) else { return };
        let (count, is_picked) = (self.count(entry, scope), may_be_picked(self.model, port));
        let has_all = match port.at.map(|at| at.value) {
            // A number for each replica is for a rule to ask for.
            Some(At::Fixed(_) | At::Range(..)) => !entry.at.is_empty(),
            _ => entry.at.len() >= count,
        };
        if has_all && !entry.at.contains(&0) || is_picked && self.settle.is_none() {
            return;
        }
        let first = match (port.at.map(|at| at.value), scope) {
            (Some(At::Fixed(first) | At::From(first) | At::Range(first, _)), _) => first,
            _ if is_picked => self.start_on_nodes(entry, port),
            // Ports below 1024 need special rights on most machines.
            _ if port.as_number() < 1024 => port.as_number() + 8000,
            _ => port.as_number(),
        };
        if !has_all {
            entry.at.resize(count, 0);
        }
        let mut next = first;
        for at in &mut entry.at {
            if *at == 0 {
                let Some(number) = self.free(scope, port.protocol, next) else { break };
                self.claim(scope, port.protocol, number, owner);
                *at = number;
            }
            next = *at;
        }
        entry.at.retain(|number| *number != 0);
    }

    /// Where the search for a number on the nodes starts: it differs between stacks, so that few choose the same.
    fn start_on_nodes(&self, entry: &PortEntry, port: &Port) -> u16 {
        let mut digest = Digest::default();
        for piece in [&self.model.name.value, &self.model.workloads[entry.service].name, &port.name] {
            digest.piece(piece.as_bytes());
        }
        let number = u16::from_str_radix(&digest.hex(4), 16).unwrap_or_default();
        NODE_RANGE.start() + number % CHOSEN_BY_PEOPLE
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
