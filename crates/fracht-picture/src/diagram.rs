//! What a picture shows, before anything has a place: boxes with their rows, and links between them.
//!
//! It is made from the facts of a stack, the same ones that the plans show, so that no picture disagrees with them.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::cover;
use fracht_core::escape::escaped;
use fracht_core::grammar::image::Image;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{
    Address, Container, Kind, Model, Mounted, OutsidePlace, PortIndex, Protocol, Reach, Replicas, TargetKind,
    UseSource, VolumeId, Workload, WorkloadId,
};
use fracht_core::plan::external::ExternalAddress;
use fracht_core::plan::facts::Facts;
use fracht_core::plan::reach::answering;

/// What decides the columns of a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum By {
    /// Who uses whom, with an area for each network.
    #[default]
    Network,
    /// The start waves, with what follows what.
    Wave,
}

/// What is drawn.
#[derive(Clone, Debug, Default)]
pub struct Choice {
    /// Only this service or task and its neighbors.
    pub only: Option<WorkloadId>,
    /// Also the configs of each service.
    pub configs: bool,
    /// Also the secrets of each service.
    pub secrets: bool,
    /// What decides the columns.
    pub by: By,
}

/// What a picture shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagram {
    /// The name of the stack.
    pub stack: String,
    /// Its title.
    pub title: Option<String>,
    /// The name of the target.
    pub target: String,
    /// Whether the target is a machine.
    pub is_machine: bool,
    /// What decides the columns.
    pub by: By,
    /// The networks that some node is in.
    pub groups: Vec<Group>,
    /// The boxes.
    pub nodes: Vec<Node>,
    /// The links between them.
    pub links: Vec<Link>,
    /// What is not drawn, as sentences.
    pub notes: Vec<String>,
}

/// A network.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Group {
    /// Its name.
    pub name: String,
    /// Whether it is the default network, which has no name of its own.
    pub is_default: bool,
    /// Whether it is closed.
    pub closed: bool,
    /// The other stacks that it admits.
    pub admits: Vec<String>,
}

/// A box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Node {
    /// What it stands for.
    pub kind: NodeKind,
    /// Its name; for a way in, the address.
    pub name: String,
    /// Words beside the name: `task`, `data store`, `×2–6`.
    pub tag: Option<String>,
    /// How many replicas run, if not one: `×3`, `×2–6`.
    pub copies: Option<String>,
    /// A line below the name.
    pub line: Option<Text>,
    /// Its ports, one row each.
    pub ports: Vec<PortRow>,
    /// Further rows.
    pub rows: Vec<Row>,
    /// Boxes in the box: sidecars.
    pub inner: Vec<Inner>,
    /// The networks that it is in, as indexes of [`Diagram::groups`].
    pub groups: Vec<usize>,
    /// Its start wave, from 1.
    pub wave: Option<usize>,
    /// Whether it never starts, since it is in a circle of waits, or behind one.
    pub is_stuck: bool,
}

/// The tag of a data store that is open to the outside.
pub const OPEN_STORE: &str = "data store, open";

/// What a box stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum NodeKind {
    /// A way into the stack.
    WayIn,
    /// A service.
    Service,
    /// A task.
    Task,
    /// A volume that several services share.
    Volume,
    /// An external service.
    Outside,
}

/// A text that may be shown in part, with the whole.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Text {
    /// What is shown.
    pub shown: String,
    /// The whole text.
    pub whole: String,
}

impl Text {
    fn whole(text: impl Into<String>) -> Self {
        let text = text.into();
        Self { shown: text.clone(), whole: text }
    }
}

/// A port of a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PortRow {
    /// Its name.
    pub name: String,
    /// Its number, with the protocol if that is not TCP.
    pub number: String,
    /// Whether it is open to the outside.
    pub open: bool,
    /// Whether something in the picture leads to it.
    pub used: bool,
}

/// A row of a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// What it is about.
    pub sign: Sign,
    /// Its name.
    pub name: String,
    /// More about it.
    pub more: String,
}

/// What a row is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Sign {
    /// A volume.
    Volume,
    /// A folder of the machine.
    Folder,
    /// A config.
    Config,
    /// A secret.
    Secret,
    /// Another service at whose address it answers as well.
    Behind,
    /// When a task runs.
    Time,
}

/// A box in a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inner {
    /// Its name.
    pub name: String,
    /// Its image.
    pub line: Text,
}

/// A link between two boxes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Link {
    /// Where it comes from.
    pub from: usize,
    /// Where it leads to.
    pub to: usize,
    /// The port that it leads to, by its row; `None` for the box as a whole.
    pub port: Option<usize>,
    /// What it says.
    pub kind: LinkKind,
}

/// What a link says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LinkKind {
    /// The world reaches it.
    Opens,
    /// One uses the other.
    Uses,
    /// One waits for the other, and does not use it.
    Waits,
    /// One mounts the other.
    Mounts,
    /// One starts before the other, which waits for it; on the longest chain or not.
    Before(bool),
}

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

    /// Hides what looks like a secret, and escapes what could act on a terminal.
    fn cover(&mut self) {
        let safe = |text: &mut String| *text = cover::prose(&escaped(text));
        safe(&mut self.stack);
        self.title.iter_mut().for_each(safe);
        for node in &mut self.nodes {
            safe(&mut node.name);
            let inner = node.inner.iter_mut().map(|inner| &mut inner.line);
            for line in node.line.iter_mut().chain(inner) {
                safe(&mut line.shown);
                safe(&mut line.whole);
            }
            for row in &mut node.rows {
                safe(&mut row.name);
                safe(&mut row.more);
            }
        }
    }

    /// Sorts everything by name, so that the order of the tables in the file says nothing about the picture.
    fn sort(&mut self) {
        let mut order: Vec<usize> = (0..self.nodes.len()).collect();
        let nodes = &self.nodes;
        let key = |index: usize| nodes.get(index).map(|node| (node.kind, &node.name, &node.line));
        let line = |index: usize| {
            key(index).map(|(kind, name, line)| (kind, name, line.as_ref().map(|line| &line.whole)))
        };
        // Two ways in can have one address until the cluster chooses: what they lead to tells them apart.
        let leads = |index: usize| {
            let link = self.links.iter().find(|link| link.from == index)?;
            Some((&nodes.get(link.to)?.name, link.port))
        };
        order.sort_by(|a, b| line(*a).cmp(&line(*b)).then_with(|| leads(*a).cmp(&leads(*b))));
        let places = inverse(&order);
        self.nodes = order.iter().filter_map(|old| self.nodes.get(*old)).cloned().collect();
        let place = |old: usize, places: &[usize]| places.get(old).copied().unwrap_or(old);
        for link in &mut self.links {
            (link.from, link.to) = (place(link.from, &places), place(link.to, &places));
        }
        let mut order: Vec<usize> = (0..self.groups.len()).collect();
        order
            .sort_by_key(|index| self.groups.get(*index).map(|group| (group.is_default, group.name.clone())));
        let places = inverse(&order);
        self.groups = order.iter().filter_map(|old| self.groups.get(*old)).cloned().collect();
        for node in &mut self.nodes {
            node.groups.iter_mut().for_each(|group| *group = place(*group, &places));
            node.groups.sort_unstable();
            node.rows.sort_by(|a, b| {
                (a.sign != Sign::Time, a.sign, &a.name).cmp(&(b.sign != Sign::Time, b.sign, &b.name))
            });
        }
    }

    /// Removes the networks that nothing in the picture is in.
    fn drop_unused_groups(&mut self) {
        let used: BTreeSet<usize> = self.nodes.iter().flat_map(|node| node.groups.iter().copied()).collect();
        let places: BTreeMap<usize, usize> = used.iter().enumerate().map(|(new, old)| (*old, new)).collect();
        for node in &mut self.nodes {
            node.groups = node.groups.iter().filter_map(|old| places.get(old).copied()).collect();
        }
        let mut index = 0;
        self.groups.retain(|_| {
            index += 1;
            used.contains(&(index - 1))
        });
    }

    /// One sentence that describes the picture, for those who do not see it.
    pub fn description(&self) -> String {
        let count = |kind| self.nodes.iter().filter(|node| node.kind == kind).count();
        let mut parts = Vec::new();
        for (kind, one, many) in [
            (NodeKind::Service, "service", "services"),
            (NodeKind::Task, "task", "tasks"),
            (NodeKind::Outside, "external service", "external services"),
            (NodeKind::WayIn, "open port", "open ports"),
        ] {
            match count(kind) {
                0 => {}
                1 => parts.push(format!("1 {one}")),
                number => parts.push(format!("{number} {many}")),
            }
        }
        let uses = self.links.iter().filter_map(|link| {
            let (from, to) = (self.nodes.get(link.from)?, self.nodes.get(link.to)?);
            Some(match link.kind {
                LinkKind::Opens => format!("{} leads to {}", from.name, to.name),
                LinkKind::Uses => format!("{} uses {}", from.name, to.name),
                LinkKind::Waits => format!("{} waits for {}", from.name, to.name),
                LinkKind::Mounts => format!("{} mounts {}", from.name, to.name),
                LinkKind::Before(_) => format!("{} starts before {}", from.name, to.name),
            })
        });
        let uses: Vec<String> = uses.collect();
        format!(
            "Stack {}, target {}: {}. {}{}",
            self.stack,
            self.target,
            parts.join(", "),
            uses.join("; "),
            if uses.is_empty() { "" } else { "." }
        )
    }
}

/// For each old index, the new one.
fn inverse(order: &[usize]) -> Vec<usize> {
    let mut places = vec![0; order.len()];
    for (new, old) in order.iter().enumerate() {
        if let Some(slot) = places.get_mut(*old) {
            *slot = new;
        }
    }
    places
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
fn services<'m>(
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
        is_default: false,
        closed: network.closed.value,
        admits: network.admits.iter().map(fracht_core::model::Admitted::words).collect(),
    });
    let common =
        Group { name: "default network".to_owned(), is_default: true, closed: false, admits: Vec::new() };
    let mut all: Vec<Group> = named.collect();
    if !all.is_empty() {
        all.push(common);
    }
    all
}

/// A reference to an image without its registry: who reads a picture knows it.
pub(crate) fn image(image: &Image) -> Text {
    let tag = image.tag().map_or_else(String::new, |tag| format!(":{tag}"));
    let digest = image
        .digest()
        .map_or_else(String::new, |digest| format!("@{}…", digest.chars().take(14).collect::<String>()));
    Text { shown: format!("{}{tag}{digest}", image.repository()), whole: image.text().to_string() }
}

struct Builder<'f> {
    facts: &'f Facts,
    model: &'f Model,
    choice: &'f Choice,
    drawn: Option<BTreeSet<WorkloadId>>,
    /// The volumes that several services and tasks mount: they get boxes of their own.
    shared: BTreeMap<VolumeId, Vec<WorkloadId>>,
    nodes: Vec<Node>,
    links: Vec<Link>,
    of_workload: BTreeMap<WorkloadId, usize>,
}

impl Builder<'_> {
    fn is_drawn(&self, id: WorkloadId) -> bool {
        self.drawn.as_ref().is_none_or(|drawn| drawn.contains(&id))
    }

    fn link(&mut self, from: usize, to: usize, port: Option<usize>, kind: LinkKind) {
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
            self.nodes.push(Node {
                kind: NodeKind::WayIn,
                tag: None,
                copies: None,
                line: Some(Text::whole(line)),
                ports: Vec::new(),
                rows: Vec::new(),
                inner: Vec::new(),
                groups: Vec::new(),
                wave: None,
                is_stuck: false,
                name,
            });
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

    fn workload(&self, id: WorkloadId, workload: &Workload) -> Node {
        let model = self.model;
        let is_store = model.store(&workload.main).is_some();
        let is_open = model.opened_ports(workload).next().is_some();
        let (kind, tag) = match &workload.kind {
            Kind::Service(_) if is_store && is_open => (NodeKind::Service, Some(OPEN_STORE)),
            Kind::Service(_) if is_store => (NodeKind::Service, Some("data store, not open")),
            Kind::Service(_) => (NodeKind::Service, None),
            Kind::Task(_) => (NodeKind::Task, Some("task")),
        };
        let copies = workload.service().and_then(|service| match service.replicas.value {
            Replicas::Fixed(1) => None,
            Replicas::Fixed(count) => Some(format!("×{count}")),
            Replicas::Growing { min, max, .. } => Some(format!("×{min}–{max}")),
        });
        let ports = workload.ports().iter().map(|port| {
            let number = match port.as_number {
                Some(inner) if inner.value != port.number.value => {
                    format!("{} as {}", port.number.value, inner.value)
                }
                _ => port.number.value.to_string(),
            };
            PortRow {
                name: port.name.to_string(),
                number: match port.protocol {
                    Protocol::Tcp => number,
                    other => format!("{number}/{}", other.word()),
                },
                open: model.is_opened(workload, port),
                used: false,
            }
        });
        let inner = workload.sidecars.iter().map(|sidecar| Inner {
            name: if sidecar.once { format!("{} (once)", sidecar.name) } else { sidecar.name.to_string() },
            line: image(&sidecar.container.image.value),
        });
        let groups = match workload.networks.as_ref() {
            [] if !model.networks.is_empty() => vec![model.networks.len()],
            networks => {
                let set: BTreeSet<usize> = networks.iter().map(|network| network.value.index()).collect();
                set.into_iter().collect()
            }
        };
        let mut rows = Vec::new();
        if let Kind::Task(task) = &workload.kind {
            let when = match task.schedule.as_ref().map(|schedule| &schedule.value) {
                None => "once, for each version".to_owned(),
                Some(Schedule::OnDemand) => "on demand".to_owned(),
                Some(Schedule::Times(times)) => format!("at {times}"),
            };
            rows.push(Row { sign: Sign::Time, name: String::new(), more: when });
        }
        rows.extend(self.rows(workload));
        Node {
            kind,
            name: workload.name.to_string(),
            tag: tag.map(str::to_owned),
            copies,
            line: Some(image(&workload.main.image.value)),
            ports: ports.collect(),
            rows,
            inner: inner.collect(),
            groups,
            wave: self.facts.order.wave(id).filter(|_| !workload.is_scheduled()),
            is_stuck: self.facts.order.wave(id).is_none(),
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

    fn rows(&self, workload: &Workload) -> Vec<Row> {
        let (model, mut rows) = (self.model, Vec::new());
        for id in volumes(workload).into_iter().filter(|id| !self.shared.contains_key(id)) {
            let volume = &model.volumes[id];
            let each = if volume.each.value { " each" } else { "" };
            rows.push(Row {
                sign: Sign::Volume,
                name: volume.name.to_string(),
                more: size(model, id) + each,
            });
        }
        let mounts = || workload.containers().flat_map(|container| &container.mounts);
        for mount in mounts() {
            if let Mounted::Folder(path) = &mount.what {
                let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                rows.push(Row { sign: Sign::Folder, name, more: "folder".to_owned() });
            }
        }
        let (mut configs, mut secrets) = (BTreeSet::new(), BTreeSet::new());
        for container in workload.containers() {
            sources(container, &mut configs, &mut secrets);
        }
        if self.choice.configs {
            let names = configs.into_iter().map(|id| model.configs[id].name.to_string());
            rows.extend(names.map(|name| Row { sign: Sign::Config, name, more: "config".to_owned() }));
        }
        if self.choice.secrets {
            let names = secrets.into_iter().map(|id| model.secrets[id].name.to_string());
            rows.extend(names.map(|name| Row { sign: Sign::Secret, name, more: "secret".to_owned() }));
        }
        for other in workload.behind() {
            let more = format!("answers at {} as well", model.workloads[other.value].name);
            rows.push(Row { sign: Sign::Behind, name: String::new(), more });
        }
        rows
    }

    fn volumes(&mut self) {
        for (id, users) in std::mem::take(&mut self.shared) {
            let volume = &self.model.volumes[id];
            let node = self.nodes.len();
            self.nodes.push(Node {
                kind: NodeKind::Volume,
                name: volume.name.to_string(),
                tag: Some("volume".to_owned()),
                copies: None,
                line: Some(Text::whole(size(self.model, id))),
                ports: Vec::new(),
                rows: Vec::new(),
                inner: Vec::new(),
                groups: Vec::new(),
                wave: None,
                is_stuck: false,
            });
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
        for (id, outside) in self.model.outsides.entries() {
            let only = self.choice.only;
            let callers =
                self.model.workloads.entries().filter(|(user, _)| only.is_none_or(|only| only == *user));
            let mut users: Vec<(usize, Option<usize>)> = Vec::new();
            for (user, workload) in callers {
                let Some(from) = self.of_workload.get(&user).copied() else { continue };
                let ports = addresses(self.model, workload).filter_map(|address| match address {
                    Address::Outside(other, port) if other == id => Some(port),
                    _ => None,
                });
                users.extend(ports.map(|port| (from, port)));
            }
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
            self.nodes.push(Node {
                kind: NodeKind::Outside,
                name: outside.name.to_string(),
                tag: None,
                copies: None,
                line: Some(Text::whole(place)),
                ports: ports.collect(),
                rows: Vec::new(),
                inner: Vec::new(),
                groups: Vec::new(),
                wave: None,
                is_stuck: false,
            });
            // With one port, it is the one that is meant.
            let single = (outside.ports.len() == 1).then_some(0);
            for (user, port) in users {
                self.link(user, node, port.or(single), LinkKind::Uses);
            }
        }
    }

    /// Who uses and who waits for whom.
    fn uses(&mut self) {
        for (id, workload) in self.model.workloads.entries() {
            let Some(from) = self.of_workload.get(&id).copied() else { continue };
            let mut used = BTreeSet::new();
            for (other, port) in services(self.model, workload) {
                let Some(to) = self.of_workload.get(&other).copied().filter(|_| other != id) else {
                    continue;
                };
                used.insert(other);
                let ports = self.model.workloads[other].ports().len();
                let port = port.map(PortIndex::index).or((ports == 1).then_some(0));
                self.link(from, to, port.filter(|port| *port < ports), LinkKind::Uses);
            }
            for after in workload.after.iter().filter(|after| !used.contains(&after.on)) {
                if let Some(to) = self.of_workload.get(&after.on).copied().filter(|to| *to != from) {
                    self.link(from, to, None, LinkKind::Waits);
                }
            }
        }
        if let Some(only) = self.choice.only.and_then(|only| self.of_workload.get(&only)).copied() {
            self.links.retain(|link| link.from == only || link.to == only || link.kind == LinkKind::Opens);
        }
    }

    /// What starts before what.
    fn waves(&mut self) {
        let chain = self.facts.order.longest_chain(self.model);
        let links = chain.map_or_else(Vec::new, |chain| chain.links);
        let is_longest = |one: WorkloadId, next: WorkloadId| links.windows(2).any(|pair| pair == [one, next]);
        for (id, workload) in self.model.workloads.entries() {
            let Some(to) = self.of_workload.get(&id).copied() else { continue };
            for after in &workload.after {
                if let Some(from) = self.of_workload.get(&after.on).copied().filter(|from| *from != to) {
                    self.link(from, to, None, LinkKind::Before(is_longest(after.on, id)));
                }
            }
        }
        if let Some(only) = self.choice.only.and_then(|only| self.of_workload.get(&only)).copied() {
            self.links.retain(|link| link.from == only || link.to == only);
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

/// The volumes that a workload mounts, each once.
fn volumes(workload: &Workload) -> BTreeSet<VolumeId> {
    let mounts = workload.containers().flat_map(|container| &container.mounts);
    mounts
        .filter_map(|mount| match mount.what {
            Mounted::Volume(id) => Some(id),
            _ => None,
        })
        .collect()
}

fn size(model: &Model, id: VolumeId) -> String {
    let volume = &model.volumes[id];
    match (&volume.size, &volume.present) {
        (Some(size), _) => size.value.to_string(),
        (None, Some(claim)) => format!("claim {}", claim.value),
        (None, None) => String::new(),
    }
}

/// Adds the configs and secrets of a container.
fn sources(
    container: &Container,
    configs: &mut BTreeSet<fracht_core::model::ConfigId>,
    secrets: &mut BTreeSet<fracht_core::model::SecretId>,
) {
    for used in &container.uses {
        match used.source {
            UseSource::Config(id) => _ = configs.insert(id),
            UseSource::Secret(id) => _ = secrets.insert(id),
        }
    }
    for mount in &container.mounts {
        match mount.what {
            Mounted::Config(id, _) => _ = configs.insert(id),
            Mounted::Secret(id, _) => _ = secrets.insert(id),
            _ => {}
        }
    }
    for part in container.texts().flat_map(|(_, text)| &text.parts) {
        match part {
            fracht_core::model::Part::Config(id, _) => _ = configs.insert(*id),
            fracht_core::model::Part::Secret(id, _) => _ = secrets.insert(*id),
            _ => {}
        }
    }
}

/// An address of the world, and a line about it.
fn address(addresses: &[ExternalAddress], protocol: Protocol) -> (String, String) {
    let protocol = match protocol {
        Protocol::Tcp => String::new(),
        other => format!(", {}", other.word()),
    };
    let range = |first: u16| match addresses.last() {
        Some(ExternalAddress::Machine(last)) if *last != first => format!("–{last}"),
        _ => String::new(),
    };
    match addresses.first() {
        None => ("?".to_owned(), "no address".to_owned()),
        Some(ExternalAddress::Machine(number)) => {
            (format!("localhost:{number}{}", range(*number)), format!("this machine{protocol}"))
        }
        Some(ExternalAddress::Node(Some(number))) => (format!(":{number}"), format!("any node{protocol}")),
        Some(ExternalAddress::Node(None)) => {
            ("a port of the nodes".to_owned(), format!("chosen by the cluster{protocol}"))
        }
        Some(ExternalAddress::Balancer(number)) => {
            (format!(":{number}"), format!("address of its own{protocol}"))
        }
        Some(ExternalAddress::Web { tls, host, path }) => {
            (format!("{}://{host}{path}", if *tls { "https" } else { "http" }), String::new())
        }
    }
}
