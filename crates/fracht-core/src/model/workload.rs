//! Workloads: services, which keep running, and tasks, which run to their end.

use std::ops::Index;
use std::sync::Arc;
use std::time::Duration;

use super::{Container, Mount, NetworkId, Port, PortIndex, SecretId, Sidecar, Text, Variable, WorkloadId};
use crate::grammar::platform::Platform;
use crate::grammar::schedule::Schedule;
use crate::grammar::share::Share;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A service or a task.
#[derive(Clone, Debug)]
pub struct Workload {
    /// Its name, which no other service or task has.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Set if something in it could not be read, which has been reported.
    pub tainted: bool,
    /// The keys that could not be read, in it or one of its sidecars.
    pub unread: Unread,
    /// Set if one of its keys or ports could not be read at all, so that what seems to be missing may be there.
    pub incomplete: bool,
    /// A service or a task, with what only that one has.
    pub kind: Kind,
    /// Its main container.
    pub main: Container,
    /// Its sidecars, in the order in which they start.
    pub sidecars: Box<[Sidecar]>,
    /// Its networks; empty for the default network.
    pub networks: Box<[Sourced<NetworkId>]>,
    /// The services and tasks that it waits for before it starts.
    pub after: Box<[After]>,
    /// A text whose change restarts it, or runs it again.
    pub renew: Option<Text>,
    /// How its pods are spread.
    pub spread: Option<Spread>,
    /// Labels that a node must have to run it.
    pub place: Box<[(Arc<str>, Text)]>,
    /// The operating system and processor architecture that a node must have.
    pub platform: Option<Sourced<Platform>>,
    /// Its permissions in the cluster's API.
    pub rights: Box<[Right]>,
    /// Its role in the stack, as a label.
    pub role: Option<Sourced<Arc<str>>>,
    /// More labels.
    pub labels: Box<[(Arc<str>, Text)]>,
    /// More annotations.
    pub notes: Box<[(Arc<str>, Text)]>,
    /// The secrets with registry logins.
    pub pull: Box<[Sourced<SecretId>]>,
    /// How long it has to stop before it is killed.
    pub stop_within: Option<Sourced<Duration>>,
}

/// The keys of a service or task that could not be read: what seems to be missing there may be set.
#[derive(Clone, Debug, Default)]
pub struct Unread(Vec<&'static str>);

impl Unread {
    /// Adds a key.
    pub(crate) fn add(&mut self, key: &'static str) {
        self.0.push(key);
    }

    /// Notes that a key was lost whose name is not known, so that it may be any.
    pub(crate) fn add_any(&mut self) {
        self.0.push("");
    }

    /// Whether one of some keys could not be read.
    pub fn has(&self, keys: &[&str]) -> bool {
        self.0.iter().any(|own| own.is_empty() || keys.contains(own))
    }
}

/// A service or a task.
#[derive(Clone, Debug)]
pub enum Kind {
    /// Keeps running.
    Service(ServicePart),
    /// Runs to its end.
    Task(TaskPart),
}

/// What only a service has.
#[derive(Clone, Debug)]
pub struct ServicePart {
    /// Its ports, first those of the main container, then those of the sidecars.
    pub ports: Box<[Port]>,
    /// How many replicas run.
    pub replicas: Sourced<Replicas>,
    /// How a new version replaces the old one.
    pub rollout: Rollout,
    /// Whether replicas keep their names across restarts.
    pub stable_names: Sourced<bool>,
    /// The services at whose address it answers as well.
    pub behind: Box<[Sourced<WorkloadId>]>,
}

/// How many replicas run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Replicas {
    /// A fixed number.
    Fixed(u32),
    /// A number that scales with load.
    Growing {
        /// The smallest number.
        min: u32,
        /// The largest number.
        max: u32,
        /// The average CPU load to aim for, in percent of the request.
        cpu: u32,
    },
}

impl Replicas {
    /// The smallest number of replicas.
    pub fn least(self) -> u32 {
        match self {
            Self::Fixed(count) => count,
            Self::Growing { min, .. } => min,
        }
    }

    /// The largest number of replicas.
    pub fn most(self) -> u32 {
        match self {
            Self::Fixed(count) => count,
            Self::Growing { max, .. } => max,
        }
    }
}

/// How a new version of a service replaces the old one.
#[derive(Clone, Debug, Default)]
pub struct Rollout {
    /// How many extra replicas may run during an update.
    pub surge: Option<Sourced<Share>>,
    /// How many replicas may be missing during an update.
    pub down: Option<Sourced<Share>>,
}

/// What only a task has.
#[derive(Clone, Debug)]
pub struct TaskPart {
    /// How often it is retried after a failure.
    pub retries: Sourced<u32>,
    /// The time limit of all tries together.
    pub timeout: Option<Sourced<Duration>>,
    /// When it runs; `None` for once per change of the task.
    pub schedule: Option<Sourced<Schedule>>,
    /// The time zone of the schedule (IANA name).
    pub zone: Option<Sourced<Arc<str>>>,
    /// What happens if the previous run has not finished when it is due.
    pub overlap: Sourced<Overlap>,
}

/// What happens if a task is due and its previous run has not finished.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Overlap {
    /// The new run is skipped.
    #[default]
    Skip,
    /// Both run.
    Allow,
    /// The new run replaces the old one.
    Replace,
}

impl Word for Overlap {
    const WORDS: &'static [(&'static str, Self)] =
        &[("skip", Self::Skip), ("allow", Self::Allow), ("replace", Self::Replace)];
}

/// How pods are spread.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Spread {
    /// What they are spread over.
    pub over: Sourced<Over>,
    /// Whether two pods in one place are refused, not only avoided.
    pub strict: Sourced<bool>,
}

/// The places over which pods can be spread.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Over {
    /// Nodes.
    Node,
    /// Zones of nodes.
    Zone,
}

impl Word for Over {
    const WORDS: &'static [(&'static str, Self)] = &[("node", Self::Node), ("zone", Self::Zone)];
}

/// A permission in the cluster's API.
#[derive(Clone, Debug)]
pub struct Right {
    /// The resource, such as `pods`.
    pub on: Sourced<Arc<str>>,
    /// Its API group; empty for the core group.
    pub group: Arc<str>,
    /// The verbs.
    pub may: Vec<Arc<str>>,
    /// The names of the objects; empty for all objects of the namespace.
    pub only: Vec<Arc<str>>,
}

/// A service or task to wait for.
#[derive(Clone, Copy, Debug)]
pub struct After {
    /// The service or task.
    pub on: WorkloadId,
    /// The state that it must reach.
    pub condition: Condition,
    /// Where it is written.
    pub span: Span,
}

/// The state in which a service or task must be before another one starts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Condition {
    /// It has been started.
    Started,
    /// Its health check has passed.
    Ready,
    /// It has ended successfully.
    Done,
    /// All its replicas are of the new version and available, and none of an older one is left.
    Current,
}

impl Condition {
    /// Whether a start gate asks the cluster's API for it.
    pub fn asks_api(self) -> bool {
        matches!(self, Self::Done | Self::Current)
    }
}

impl Word for Condition {
    const WORDS: &'static [(&'static str, Self)] = &[
        ("started", Self::Started),
        ("ready", Self::Ready),
        ("done", Self::Done),
        ("current", Self::Current),
    ];
}

#[expect(clippy::indexing_slicing, reason = "the index of a health check, or of the list of ports itself")]
impl Index<PortIndex> for Workload {
    type Output = Port;

    fn index(&self, index: PortIndex) -> &Port {
        &self.ports()[index.index()]
    }
}

impl Workload {
    /// The part that only a service has; `None` for a task.
    pub fn service(&self) -> Option<&ServicePart> {
        match &self.kind {
            Kind::Service(service) => Some(service),
            Kind::Task(_) => None,
        }
    }

    /// Its ports; a task has none.
    pub fn ports(&self) -> &[Port] {
        self.service().map_or(&[], |service| &service.ports)
    }

    /// The services at whose address it answers as well.
    pub fn behind(&self) -> &[Sourced<WorkloadId>] {
        self.service().map_or(&[], |service| &service.behind)
    }

    /// Its ports that are open themselves to clients outside the stack.
    pub fn open_ports(&self) -> impl Iterator<Item = &Port> {
        self.ports().iter().filter(|port| port.reach.value.is_open())
    }

    /// Its ports, each with its index.
    pub fn port_entries(&self) -> impl Iterator<Item = (PortIndex, &Port)> {
        self.ports().iter().enumerate().map(|(index, port)| (PortIndex::new(index), port))
    }

    /// One of its ports. A text may refer to a port that could not be read.
    pub fn port(&self, index: PortIndex) -> Option<&Port> {
        self.ports().get(index.index())
    }

    /// `service.NAME` or `task.NAME`.
    pub fn reference(&self) -> String {
        format!("{}.{}", self.kind_word(), self.name)
    }

    /// `service` or `task`.
    pub fn kind_word(&self) -> &'static str {
        match self.kind {
            Kind::Service(_) => "service",
            Kind::Task(_) => "task",
        }
    }

    /// Its containers, the main one first.
    pub fn containers(&self) -> impl Iterator<Item = &Container> {
        std::iter::once(&self.main).chain(self.sidecars.iter().map(|sidecar| &sidecar.container))
    }

    /// Its containers that keep running, the main one first.
    pub fn running(&self) -> impl Iterator<Item = &Container> {
        let sidecars = self.sidecars.iter().filter(|sidecar| !sidecar.once);
        std::iter::once(&self.main).chain(sidecars.map(|sidecar| &sidecar.container))
    }

    /// The group of everything that its pods mount; `None` if no container needs it to write to a volume or to read
    /// files.
    pub fn mount_group(&self) -> Option<u32> {
        self.containers().find_map(|container| {
            let user = container.user.as_ref()?.value;
            let needs = container.mounts.iter().any(Mount::needs_group);
            Some(user.gid.unwrap_or(user.uid)).filter(|group| needs && *group != 0)
        })
    }

    /// Whether it has a start gate: it waits for more than a start.
    pub fn has_gates(&self) -> bool {
        self.after.iter().any(|after| after.condition != Condition::Started)
    }

    /// How long it has to stop before it is killed.
    pub fn stop_time(&self) -> Duration {
        /// The default of a cluster.
        const DEFAULT: Duration = Duration::from_secs(30);
        self.stop_within.map_or(DEFAULT, |time| time.value)
    }

    /// Every text in it, with the variable if it is the value of one.
    pub fn texts(&self) -> impl Iterator<Item = (Option<&Variable>, &Text)> {
        self.containers().flat_map(Container::texts)
    }

    /// Whether it is a task with a schedule. Others cannot wait for it.
    pub fn is_scheduled(&self) -> bool {
        matches!(&self.kind, Kind::Task(task) if task.schedule.is_some())
    }
}
