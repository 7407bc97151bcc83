//! The names of a stack. They are gathered first, since any table can refer to any other.

use std::collections::{BTreeMap, BTreeSet};
use std::hash::BuildHasherDefault;
use std::sync::Arc;

use indexmap::{IndexMap, IndexSet};
use rustc_hash::FxHasher;

use crate::grammar::image::Image;
use crate::grammar::name::NameKind;
use crate::grammar::reference::RefKind;
use crate::language::{
    Field, Table, config, container, mount, outside, port, secret, service, stack, task, volume,
};
use crate::model::{
    BuildId, ConfigId, Id, NetworkId, OutsideId, PortIndex, SecretId, VolumeId, WorkloadId, replica,
};
use crate::ordered_map::OrderedMap;
use crate::source::Span;
use crate::tree::{Entries, Entry, Node, Value};

pub(crate) type Names<T> = IndexMap<Arc<str>, T, BuildHasherDefault<FxHasher>>;

/// The names of the keys of a config or a secret, in their order.
pub(crate) type KeyNames = IndexSet<Arc<str>, BuildHasherDefault<FxHasher>>;

/// The ports of a service or of an external service: the position of each, and its number. Of two ports with one name,
/// the first one counts.
pub(crate) type PortNames = OrderedMap<(PortIndex, u16)>;

/// The names of a stack.
#[derive(Clone, Debug, Default)]
pub(crate) struct Symbols {
    workloads: Names<WorkloadSymbol>,
    volumes: Names<()>,
    networks: Names<()>,
    configs: Names<KeyNames>,
    secrets: Names<KeyNames>,
    /// The external services.
    pub(crate) outsides: Names<OutsideSymbol>,
    /// The values of the inputs; `None` for one without a value, which has been reported.
    pub(crate) inputs: Names<Option<Arc<str>>>,
    /// The builds.
    builds: Names<BuildSymbol>,
    /// The kinds whose tables could not be read at all.
    unread: BTreeSet<RefKind>,
    /// The tables whose keys or ports could not all be read, by kind and name.
    incomplete: BTreeMap<RefKind, BTreeSet<Arc<str>>>,
    /// The values of `{stack.…}` and `{target.…}`.
    pub(crate) facts: Facts,
}

/// The image of a build.
#[derive(Clone, Debug, Default)]
pub(crate) enum BuildSymbol {
    /// It is not known yet.
    #[default]
    Later,
    /// It could not be read, which has been reported.
    Unread,
    /// This one.
    Known(Image),
}

/// A service or a task.
#[derive(Clone, Debug)]
pub(crate) struct WorkloadSymbol {
    /// Where its name is written.
    pub(crate) span: Span,
    /// Whether it is a task.
    pub(crate) is_task: bool,
    /// Whether it is a task with a schedule.
    pub(crate) is_scheduled: bool,
    /// Its ports and those of its sidecars, with the number for clients inside the stack.
    pub(crate) ports: PortNames,
    /// The numbers on which its containers listen, by the positions of its ports.
    pub(crate) listens: Vec<u16>,
    /// How many replicas it has; `None` if that could not be read.
    pub(crate) replicas: Option<ReplicaCount>,
    /// Whether its replicas keep their names.
    pub(crate) has_stable_names: bool,
}

/// How many replicas a service has.
#[derive(Clone, Copy, Debug)]
pub(crate) enum ReplicaCount {
    /// This number.
    Fixed(u32),
    /// At least this number; more with the load.
    Growing(u32),
}

/// An external service.
#[derive(Clone, Debug)]
pub(crate) struct OutsideSymbol {
    /// The host name or address at which services reach it.
    pub(crate) host: Arc<str>,
    /// Its ports.
    pub(crate) ports: PortNames,
}

/// The values of `{stack.…}` and `{target.…}`.
#[derive(Clone, Debug, Default)]
pub(crate) struct Facts {
    pub(crate) stack: Arc<str>,
    pub(crate) target: Arc<str>,
    pub(crate) namespace: Arc<str>,
    pub(crate) domain: Option<Arc<str>>,
    pub(crate) registry: Option<Arc<str>>,
    /// Whether the target is a machine, where a service is reached at the numbers on which it listens.
    pub(crate) is_machine: bool,
}

impl Symbols {
    /// Gathers the names of a merged tree. The keys of configs are added as they are read.
    pub(crate) fn collect(root: &Node, facts: Facts) -> Self {
        let mut symbols = Self {
            facts,
            builds: names(root, &stack::BUILD),
            volumes: names(root, &stack::VOLUME),
            networks: names(root, &stack::NETWORK),
            configs: names(root, &stack::CONFIG),
            secrets: tables(root, &stack::SECRET)
                .map(|(name, entry)| (Arc::clone(name), secret_keys(&entry.node)))
                .collect(),
            ..Self::default()
        };
        let is_each = |entry: &&(&Arc<str>, &Entry)| {
            volume::EACH.node(&entry.1.node).is_some_and(|each| matches!(each.value, Value::Boolean(true)))
        };
        let each: BTreeSet<&str> =
            tables(root, &stack::VOLUME).filter(|entry| is_each(&entry)).map(|(name, _)| &**name).collect();
        for (name, entry) in tables(root, &stack::SERVICE) {
            symbols.add_workload(name, entry, (false, &each));
        }
        for (name, entry) in tables(root, &stack::TASK) {
            symbols.add_workload(name, entry, (true, &each));
        }
        symbols.mark_unread(root);
        symbols
    }

    /// Adds a service or a task; `each` are the volumes of which each replica has its own.
    fn add_workload(&mut self, name: &Arc<str>, entry: &Entry, (is_task, each): (bool, &BTreeSet<&str>)) {
        let sidecars = service::BESIDE.node(&entry.node).and_then(Node::table);
        let sidecars = sidecars.into_iter().flat_map(Entries::values);
        let containers = std::iter::once(entry).chain(sidecars);
        let tables = containers.clone().filter_map(|entry| port::PORT.node(&entry.node)?.table());
        let stable_names = service::STABLE_NAMES.node(&entry.node);
        let mut mounts = containers.filter_map(|entry| mount::MOUNT.node(&entry.node)?.table());
        let symbol = WorkloadSymbol {
            span: entry.key_span,
            is_task,
            is_scheduled: is_task && task::SCHEDULE.node(&entry.node).is_some(),
            listens: tables.clone().flat_map(Entries::values).map(listens).collect(),
            ports: port_names(tables.flat_map(|entries| ports(entries, !self.facts.is_machine))),
            replicas: replicas(&entry.node),
            has_stable_names: stable_names.is_some_and(|node| !matches!(node.value, Value::Boolean(false)))
                || !each.is_empty() && mounts.any(|mounts| mounts.values().any(|mount| is_of(mount, each))),
        };
        // Of two with one name, the first one stays; the reader reports the second.
        self.workloads.entry(Arc::clone(name)).or_insert(symbol);
    }

    /// Marks the kinds and tables that could not be read whole.
    fn mark_unread(&mut self, root: &Node) {
        for (kind, field) in [
            (RefKind::Service, &stack::SERVICE),
            (RefKind::Task, &stack::TASK),
            (RefKind::Volume, &stack::VOLUME),
            (RefKind::Config, &stack::CONFIG),
            (RefKind::Secret, &stack::SECRET),
            (RefKind::Network, &stack::NETWORK),
            (RefKind::Outside, &stack::OUTSIDE),
            (RefKind::Input, &stack::INPUT),
            (RefKind::Build, &stack::BUILD),
        ] {
            if !is_table(field.node(root)) {
                self.unread.insert(kind);
            }
        }
        let has_ports = |node: &Node| is_table(port::PORT.node(node)) && has_keys(node);
        // Without an image, it is probably a misspelt name of another one.
        let has_image = |node: &Node| container::IMAGE.node(node).or(container::BUILD.node(node)).is_some();
        let has_all_ports = |node: &Node| {
            let sidecars = service::BESIDE.node(node);
            let mut all = sidecars.and_then(Node::table).into_iter().flat_map(Entries::values);
            has_image(node)
                && has_ports(node)
                && is_table(sidecars)
                && all.all(|sidecar| has_ports(&sidecar.node))
        };
        let is_text = |item: &Node| item.text().is_some_and(|name| NameKind::Key.check(name).is_ok());
        let are_names = |keys: &Node| matches!(&keys.value, Value::List(keys) if !keys.is_empty() && keys.iter().all(is_text));
        // What exists in the cluster lists its keys.
        let lists_keys = |present: Option<&Node>, keys: Option<&Node>| present.is_none() || keys.is_some();
        let has_names = |node: &Node| {
            has_keys(node)
                && is_table(secret::KEY.node(node))
                && secret::KEYS.node(node).is_none_or(are_names)
                && lists_keys(secret::PRESENT.node(node), secret::KEYS.node(node))
        };
        self.mark_incomplete(RefKind::Service, tables(root, &stack::SERVICE), has_all_ports);
        self.mark_incomplete(RefKind::Secret, tables(root, &stack::SECRET), has_names);
        self.mark_incomplete(RefKind::Config, tables(root, &stack::CONFIG), |node| {
            has_keys(node) && lists_keys(config::PRESENT.node(node), config::KEYS.node(node))
        });
        self.mark_incomplete(RefKind::Outside, tables(root, &stack::OUTSIDE), |node| {
            has_keys(node) && is_table(outside::PORT.node(node))
        });
    }

    fn mark_incomplete<'n>(
        &mut self,
        kind: RefKind,
        tables: impl Iterator<Item = (&'n Arc<str>, &'n Entry)>,
        is_whole: impl Fn(&Node) -> bool,
    ) {
        for (name, _) in tables.filter(|(_, entry)| !is_whole(&entry.node)) {
            self.set_incomplete(kind, name);
        }
    }

    pub(crate) fn workload(&self, name: &str) -> Option<(WorkloadId, &WorkloadSymbol)> {
        let (index, _, symbol) = self.workloads.get_full(name)?;
        Some((Id::new(index), symbol))
    }

    pub(crate) fn volume(&self, name: &str) -> Option<VolumeId> {
        self.volumes.get_index_of(name).map(Id::new)
    }

    pub(crate) fn network(&self, name: &str) -> Option<NetworkId> {
        self.networks.get_index_of(name).map(Id::new)
    }

    pub(crate) fn config(&self, name: &str) -> Option<(ConfigId, &KeyNames)> {
        let (index, _, keys) = self.configs.get_full(name)?;
        Some((Id::new(index), keys))
    }

    pub(crate) fn secret(&self, name: &str) -> Option<(SecretId, &KeyNames)> {
        let (index, _, keys) = self.secrets.get_full(name)?;
        Some((Id::new(index), keys))
    }

    pub(crate) fn outside(&self, name: &str) -> Option<(OutsideId, &OutsideSymbol)> {
        let (index, _, symbol) = self.outsides.get_full(name)?;
        Some((Id::new(index), symbol))
    }

    /// Marks a table some of whose keys or ports could not be read.
    pub(crate) fn set_incomplete(&mut self, kind: RefKind, name: &Arc<str>) {
        self.incomplete.entry(kind).or_default().insert(Arc::clone(name));
    }

    /// Whether some keys or ports of a table could not be read, so that an unknown one may exist.
    pub(crate) fn is_incomplete(&self, kind: RefKind, name: &str) -> bool {
        self.incomplete.get(&kind).is_some_and(|names| names.contains(name))
    }

    /// Whether the tables of a kind could not be read at all, so that any name may exist.
    pub(crate) fn is_unread(&self, kind: RefKind) -> bool {
        self.unread.contains(&kind)
    }

    /// The name that leads to all replicas of a service.
    pub(crate) fn pods_name(&self, service: &str) -> String {
        replica::pods_name(service, |name| {
            self.workloads.contains_key(name) || self.outsides.contains_key(name)
        })
    }

    pub(crate) fn build(&self, name: &str) -> Option<(BuildId, &BuildSymbol)> {
        let (index, _, symbol) = self.builds.get_full(name)?;
        Some((Id::new(index), symbol))
    }

    /// Sets the image of a build; `None` for one that could not be read.
    pub(crate) fn set_build(&mut self, name: &str, image: Option<Image>) {
        if let Some(known) = self.builds.get_mut(name) {
            *known = image.map_or(BuildSymbol::Unread, BuildSymbol::Known);
        }
    }

    /// Sets the keys of a config.
    pub(crate) fn set_config_keys(&mut self, name: &str, keys: KeyNames) {
        if let Some(known) = self.configs.get_mut(name) {
            *known = keys;
        }
    }

    /// Adds the keys of a secret that are not written in the stack.
    pub(crate) fn add_secret_keys(&mut self, name: &str, keys: impl Iterator<Item = Arc<str>>) {
        if let Some(known) = self.secrets.get_mut(name) {
            known.extend(keys);
        }
    }

    /// The names of services and tasks.
    pub(crate) fn workload_names(&self) -> impl Iterator<Item = &str> + Clone {
        self.workloads.keys().map(|name| &**name)
    }

    /// The names of a kind of table. There may be very many, of which few are looked at.
    pub(crate) fn names(&self, kind: RefKind) -> impl Iterator<Item = &str> + Clone {
        fn keys<T>(names: &Names<T>, wanted: bool) -> impl Iterator<Item = &str> + Clone {
            wanted.then(|| names.keys()).into_iter().flatten().map(|name| &**name)
        }
        let workloads = |is_task, wanted: bool| {
            let all = wanted.then(|| self.workloads.iter()).into_iter().flatten();
            all.filter(move |(_, symbol)| symbol.is_task == is_task).map(|(name, _)| &**name)
        };
        workloads(false, kind == RefKind::Service)
            .chain(workloads(true, kind == RefKind::Task))
            .chain(keys(&self.volumes, kind == RefKind::Volume))
            .chain(keys(&self.networks, kind == RefKind::Network))
            .chain(keys(&self.outsides, kind == RefKind::Outside))
            .chain(keys(&self.inputs, kind == RefKind::Input))
            .chain(keys(&self.configs, kind == RefKind::Config))
            .chain(keys(&self.secrets, kind == RefKind::Secret))
            .chain(keys(&self.builds, kind == RefKind::Build))
    }
}

/// The tables of a kind, by name.
fn tables<'n>(
    root: &'n Node,
    field: &'static Field<Table>,
) -> impl Iterator<Item = (&'n Arc<str>, &'n Entry)> {
    field.node(root).and_then(Node::table).into_iter().flatten()
}

/// The names of the tables of a kind.
fn names<T: Default>(root: &Node, field: &'static Field<Table>) -> Names<T> {
    tables(root, field).map(|(name, _)| (Arc::clone(name), T::default())).collect()
}

/// Whether a key is a table, or not set.
fn is_table(node: Option<&Node>) -> bool {
    node.is_none_or(|node| node.table().is_some())
}

/// Whether a table is one, and all its keys could be read.
fn has_keys(node: &Node) -> bool {
    node.table().is_some_and(|keys| !keys.values().any(Entry::has_broken_key))
}

/// The names of the ports of a service, and their numbers for clients inside the stack: those of `as`, if the service has
/// an address of its own. 0 for one that cannot be read.
fn ports(entries: &Entries, has_address: bool) -> impl Iterator<Item = (Arc<str>, u16)> {
    entries.iter().map(move |(name, entry)| {
        let node = port::AS.node(&entry.node).filter(|_| has_address);
        let node = node.or_else(|| port::NUMBER.node(&entry.node));
        let number = port::NUMBER.takes.read(&node.unwrap_or(&entry.node).value, "");
        (Arc::clone(name), number.unwrap_or_default())
    })
}

/// The number on which a container listens; 0 if it cannot be read.
fn listens(entry: &Entry) -> u16 {
    let node = port::NUMBER.node(&entry.node).unwrap_or(&entry.node);
    port::NUMBER.takes.read(&node.value, "").unwrap_or_default()
}

/// How many replicas a service has.
fn replicas(service: &Node) -> Option<ReplicaCount> {
    let Some(node) = service::REPLICAS.node(service) else { return Some(ReplicaCount::Fixed(1)) };
    if node.table().is_none() {
        return service::COUNT.read(&node.value, "").map(ReplicaCount::Fixed);
    }
    let min = service::MIN.node(node).map_or(Some(1), |min| service::MIN.takes.read(&min.value, ""));
    min.map(ReplicaCount::Growing)
}

/// Whether a mount is of one of some volumes.
fn is_of(mount: &Entry, volumes: &BTreeSet<&str>) -> bool {
    let from = mount::FROM.node(&mount.node).unwrap_or(&mount.node).text();
    from.and_then(|from| from.strip_prefix("volume.")).is_some_and(|name| volumes.contains(name))
}

/// The ports by name.
pub(crate) fn port_names(ports: impl Iterator<Item = (Arc<str>, u16)>) -> PortNames {
    let mut names = PortNames::default();
    for (index, (name, number)) in ports.enumerate() {
        names.get_or_insert(&name, || (PortIndex::new(index), number));
    }
    names
}

fn secret_keys(secret: &Node) -> KeyNames {
    let made = secret::KEY.node(secret).and_then(Node::table).into_iter().flat_map(OrderedMap::keys);
    let listed = secret::KEYS.node(secret).map(|node| &node.value);
    let listed: &[Node] = if let Some(Value::List(keys)) = listed { keys } else { &[] };
    made.chain(listed.iter().filter_map(Node::text)).map(Arc::clone).collect()
}
