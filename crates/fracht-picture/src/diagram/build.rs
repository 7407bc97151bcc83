//! Makes a diagram from the facts of a stack.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::model::{
    Address, Model, OutsideId, OutsidePlace, PortIndex, Reach, TargetKind, VolumeId, Workload, WorkloadId,
};
use fracht_core::plan::facts::Facts;
use fracht_core::plan::reach::answering;

use super::rows::{address, size, volumes};
use super::{By, Choice, Diagram, Group, Link, LinkKind, Node, NodeKind, PortRow, Text};

impl Diagram {
    /// The diagram of a stack.
    pub fn of(facts: &Facts, choice: &Choice) -> Self {
        let model = &facts.model;
        let mut builder = Builder {
            facts,
            model,
            choice,
            drawn: drawn(facts, choice),
            shared: BTreeMap::new(),
            nodes: Vec::new(),
            links: Vec::new(),
            of_workload: BTreeMap::new(),
        };
        if choice.by == By::Network {
            builder.shared = builder.shared();
        }
        builder.ways_in();
        builder.workloads();
        builder.volumes();
        builder.outsides();
        match choice.by {
            By::Network => builder.uses(),
            By::Wave => builder.waves(),
        }
        let notes = builder.notes();
        let (nodes, links) = (builder.nodes, builder.links);
        let mut diagram = Self {
            stack: model.name.value.to_string(),
            title: model.title.as_ref().map(|title| title.value.to_string()),
            target: model.target.name.to_string(),
            is_machine: model.target.on.value == TargetKind::Machine,
            by: choice.by,
            groups: groups(model),
            nodes,
            links,
            notes,
        };
        diagram.sort();
        diagram.links.sort_by_key(|link| (link.from, link.to, link.port, link.kind));
        diagram.links.dedup();
        for link in &diagram.links {
            let row = link.port.and_then(|port| diagram.nodes.get_mut(link.to)?.ports.get_mut(port));
            if let Some(row) = row {
                row.used = true;
            }
        }
        diagram.drop_unused_groups();
        diagram.cover();
        diagram
    }
}

/// The services and tasks that are drawn; `None` for all.
fn drawn(facts: &Facts, choice: &Choice) -> Option<BTreeSet<WorkloadId>> {
    let only = choice.only?;
    let mut drawn = BTreeSet::from([only]);
    let model = &facts.model;
    for (id, workload) in model.workloads.entries() {
        let waits: BTreeSet<WorkloadId> = workload.after.iter().map(|after| after.on).collect();
        let uses: BTreeSet<WorkloadId> = services(model, workload).map(|(id, _)| id).collect();
        if id == only {
            drawn.extend(waits.iter().chain(&uses));
        } else if waits.contains(&only) || uses.contains(&only) {
            drawn.insert(id);
        }
    }
    Some(drawn)
}

/// The services whose address a workload gets, each with its port.
pub(super) fn services<'m>(
    model: &'m Model,
    workload: &'m Workload,
) -> impl Iterator<Item = (WorkloadId, Option<PortIndex>)> {
    addresses(model, workload).filter_map(|address| match address {
        Address::Service(id, port) => Some((id, port)),
        Address::Outside(..) => None,
    })
}

fn addresses<'m>(model: &'m Model, workload: &'m Workload) -> impl Iterator<Item = Address> {
    let sure = model.addresses(workload).map(|(address, _)| address);
    sure.chain(model.addresses_of_whole(workload))
}

/// The networks; last the default network, if there are others.
fn groups(model: &Model) -> Vec<Group> {
    let named = model.networks.iter().map(|network| Group {
        name: network.name.to_string(),
        color: 0,
        is_default: false,
        closed: network.closed.value,
        admits: network.admits.iter().map(fracht_core::model::Admitted::words).collect(),
    });
    let common = Group {
        name: "default network".to_owned(),
        color: 0,
        is_default: true,
        closed: false,
        admits: Vec::new(),
    };
    let mut all: Vec<Group> = named.collect();
    if !all.is_empty() {
        all.push(common);
    }
    all
}

/// Collects the boxes and links of a diagram.
pub(super) struct Builder<'f> {
    pub(super) facts: &'f Facts,
    pub(super) model: &'f Model,
    pub(super) choice: &'f Choice,
    drawn: Option<BTreeSet<WorkloadId>>,
    /// The volumes that several services and tasks mount: they get boxes of their own.
    pub(super) shared: BTreeMap<VolumeId, Vec<WorkloadId>>,
    nodes: Vec<Node>,
    pub(super) links: Vec<Link>,
    pub(super) of_workload: BTreeMap<WorkloadId, usize>,
}

impl Builder<'_> {
    fn is_drawn(&self, id: WorkloadId) -> bool {
        self.drawn.as_ref().is_none_or(|drawn| drawn.contains(&id))
    }

    pub(super) fn link(&mut self, from: usize, to: usize, port: Option<usize>, kind: LinkKind) {
        self.links.push(Link { from, to, port, kind });
    }

    /// A box for each open port, which stand before those of the services.
    fn ways_in(&mut self) {
        if self.choice.by == By::Wave {
            return;
        }
        for way in &self.facts.reach().open_ports {
            if !self.is_drawn(way.service) {
                continue;
            }
            let workload = &self.model.workloads[way.service];
            let Some(port) = workload.port(way.port) else { continue };
            let (name, line) = address(&way.addresses, port.protocol);
            let line = if way.reach == Reach::Web && self.model.target.on.value == TargetKind::Cluster {
                format!("shared entry, {}", if name.starts_with("https") { "TLS" } else { "no TLS" })
            } else {
                line
            };
            self.nodes.push(Node::new(NodeKind::WayIn, name, Text::whole(line)));
        }
    }

    fn workloads(&mut self) {
        for (id, workload) in self.model.workloads.entries() {
            if self.is_drawn(id) {
                let node = self.workload(id, workload);
                self.of_workload.insert(id, self.nodes.len());
                self.nodes.push(node);
            }
        }
        if self.choice.by == By::Wave {
            return;
        }
        let ways = self.facts.reach().open_ports.iter().filter(|way| self.is_drawn(way.service));
        let ways: Vec<_> = ways
            .enumerate()
            .map(|(index, way)| {
                let name = self.model.workloads[way.service].port(way.port).map(|port| &*port.name);
                let also = answering(self.model, way.service, way.port);
                let port_of = |id: &WorkloadId| {
                    let ports = self.model.workloads[*id].ports();
                    Some((*id, ports.iter().position(|port| Some(&*port.name) == name)?))
                };
                let targets = std::iter::once((way.service, way.port.index()));
                (index, targets.chain(also.iter().filter_map(port_of)).collect::<Vec<_>>())
            })
            .collect();
        for (way, targets) in ways {
            for (id, port) in targets {
                if let Some(to) = self.of_workload.get(&id).copied() {
                    self.link(way, to, Some(port), LinkKind::Opens);
                }
            }
        }
    }

    /// The volumes that several drawn services and tasks mount.
    fn shared(&self) -> BTreeMap<VolumeId, Vec<WorkloadId>> {
        let mut users: BTreeMap<VolumeId, Vec<WorkloadId>> = BTreeMap::new();
        for (id, workload) in self.model.workloads.entries().filter(|(id, _)| self.is_drawn(*id)) {
            for volume in volumes(workload) {
                users.entry(volume).or_default().push(id);
            }
        }
        users.retain(|id, users| users.len() > 1 && !self.model.volumes[*id].each.value);
        users
    }

    fn volumes(&mut self) {
        for (id, users) in std::mem::take(&mut self.shared) {
            let volume = &self.model.volumes[id];
            let node = self.nodes.len();
            let line = Text::whole(size(self.model, id));
            let shared = Node::new(NodeKind::Volume, &*volume.name, line);
            self.nodes.push(Node { tag: Some("volume".to_owned()), ..shared });
            for user in users {
                if let Some(from) = self.of_workload.get(&user).copied() {
                    self.link(from, node, None, LinkKind::Mounts);
                }
            }
        }
    }

    fn outsides(&mut self) {
        if self.choice.by == By::Wave {
            return;
        }
        let only = self.choice.only;
        let callers =
            self.model.workloads.entries().filter(|(user, _)| only.is_none_or(|only| only == *user));
        // Of each external service, the boxes that use it, with the port that they name.
        let mut users: BTreeMap<OutsideId, Vec<(usize, Option<usize>)>> = BTreeMap::new();
        for (user, workload) in callers {
            let Some(from) = self.of_workload.get(&user).copied() else { continue };
            for address in addresses(self.model, workload) {
                if let Address::Outside(id, port) = address {
                    users.entry(id).or_default().push((from, port));
                }
            }
        }
        for (id, outside) in self.model.outsides.entries() {
            let users = users.remove(&id).unwrap_or_default();
            if users.is_empty() && only.is_some() {
                continue;
            }
            let place = match &outside.place.value {
                OutsidePlace::Host(host) => host.to_string(),
                OutsidePlace::Address(address) => address.to_string(),
                OutsidePlace::Service(name, namespace) => match namespace {
                    Some(namespace) => format!("{name} in {namespace}"),
                    None => format!("{name} in the cluster"),
                },
            };
            let node = self.nodes.len();
            let ports = outside.ports.iter().map(|port| PortRow {
                name: port.name.to_string(),
                number: port.number.value.to_string(),
                open: false,
                used: false,
            });
            let away = Node::new(NodeKind::Outside, &*outside.name, Text::whole(place));
            self.nodes.push(Node { ports: ports.collect(), ..away });
            // With one port, it is the one that is meant.
            let single = (outside.ports.len() == 1).then_some(0);
            for (user, port) in users {
                self.link(user, node, port.or(single), LinkKind::Uses);
            }
        }
    }

    /// What is not drawn.
    fn notes(&self) -> Vec<String> {
        let mut notes = Vec::new();
        let (all, shown) = (self.model.workloads.len(), self.of_workload.len());
        if let Some(only) = self.choice.only.filter(|_| shown < all) {
            let name = &self.model.workloads[only].name;
            notes.push(format!(
                "{} of {all} services and tasks are not drawn: they have no link to {name}",
                all - shown
            ));
        }
        let by_wave = self.choice.by == By::Wave;
        let hidden: Vec<&str> = [
            (by_wave && !self.facts.reach().open_ports.is_empty(), "ways in"),
            (by_wave && !self.model.outsides.is_empty(), "external services"),
            (by_wave, "who uses whom"),
            (!self.choice.configs && !self.model.configs.is_empty(), "configs"),
            (!self.choice.secrets && !self.model.secrets.is_empty(), "secrets"),
        ]
        .into_iter()
        .filter(|(is_hidden, _)| *is_hidden)
        .map(|(_, name)| name)
        .collect();
        if !hidden.is_empty() {
            notes.push(format!("not drawn: {}", hidden.join(", ")));
        }
        notes
    }
}
