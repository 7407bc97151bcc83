//! What runs: services, which run for ever, and tasks, which run to their end.

use std::sync::Arc;
use std::time::Duration;

use super::{Container, Helper, Mount, NetworkId, Port, PortIndex, SecretId, Text, Variable, WorkloadId};
use crate::grammar::platform::Platform;
use crate::grammar::schedule::Schedule;
use crate::grammar::share::Share;
use crate::grammar::word::Word;
use crate::origin::Sourced;
use crate::source::Span;

/// A service or a task.
#[derive(Clone, Debug)]
pub struct Workload {
    /// Its name; services and tasks share one set of names.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// Something in it could not be read, and was reported.
    pub tainted: bool,
    /// What it is.
    pub kind: Kind,
    /// Its own container.
    pub main: Container,
    /// Containers beside it, in the order in which they start.
    pub helpers: Vec<Helper>,
    /// The networks it is in; none: the stack's common one.
    pub networks: Vec<Sourced<NetworkId>>,
    /// What it waits for.
    pub after: Vec<After>,
    /// Over what its pods are spread.
    pub spread: Option<Spread>,
    /// Labels that a node must have to run it.
    pub place: Vec<(Arc<str>, Text)>,
    /// The system and the processor that a node must have.
    pub platform: Option<Sourced<Platform>>,
    /// What it may ask of the cluster.
    pub rights: Vec<Right>,
    /// Its part in the stack, for those who look.
    pub role: Option<Sourced<Arc<str>>>,
    /// More labels.
    pub labels: Vec<(Arc<str>, Text)>,
    /// More annotations.
    pub notes: Vec<(Arc<str>, Text)>,
    /// The secrets with the logins of registries.
    pub pull: Vec<Sourced<SecretId>>,
    /// How long it has to stop by itself.
    pub stop_within: Option<Sourced<Duration>>,
}

/// What is particular to services and to tasks.
#[derive(Clone, Debug)]
pub enum Kind {
    /// Runs for ever.
    Service(ServicePart),
    /// Runs to its end.
    Task(TaskPart),
}

/// What only a service has.
#[derive(Clone, Debug)]
pub struct ServicePart {
    /// Its ports, those of its helpers behind its own.
    pub ports: Vec<Port>,
    /// How many run at once.
    pub replicas: Sourced<Replicas>,
    /// How one version gives way to the next.
    pub rollout: Rollout,
    /// Whether each replica keeps a name of its own.
    pub stable_names: Sourced<bool>,
}

/// How many replicas run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Replicas {
    /// So many.
    Fixed(u32),
    /// As many as the load asks for.
    Growing {
        /// At least so many.
        min: u32,
        /// At the most so many.
        max: u32,
        /// The share of the processor set aside that is aimed at, in percent.
        cpu: u32,
    },
}

impl Replicas {
    /// At least so many run.
    pub fn least(self) -> u32 {
        match self {
            Self::Fixed(count) => count,
            Self::Growing { min, .. } => min,
        }
    }

    /// At the most so many run.
    pub fn most(self) -> u32 {
        match self {
            Self::Fixed(count) => count,
            Self::Growing { max, .. } => max,
        }
    }
}

/// How one version of a service gives way to the next.
#[derive(Clone, Debug, Default)]
pub struct Rollout {
    /// How many more than the replicas there may be meanwhile.
    pub surge: Option<Sourced<Share>>,
    /// How many fewer there may be meanwhile.
    pub down: Option<Sourced<Share>>,
}

/// What only a task has.
#[derive(Clone, Debug)]
pub struct TaskPart {
    /// How often it is tried again after a failure.
    pub retries: Sourced<u32>,
    /// How long it may take, all tries together.
    pub timeout: Option<Sourced<Duration>>,
    /// When it runs; `None`: once for each change of it.
    pub schedule: Option<Sourced<Schedule>>,
    /// The time zone of the schedule (IANA name).
    pub zone: Option<Sourced<Arc<str>>>,
    /// What happens if it is time and the last run is not over.
    pub overlap: Sourced<Overlap>,
}

/// What happens if it is time for a task whose last run is not over.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Overlap {
    /// It does not run this time.
    #[default]
    Skip,
    /// Both run.
    Allow,
    /// The new run takes the place of the old one.
    Replace,
}

impl Word for Overlap {
    const WORDS: &'static [(&'static str, Self)] =
        &[("skip", Self::Skip), ("allow", Self::Allow), ("replace", Self::Replace)];
}

/// Over what pods are spread.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Spread {
    /// Over what.
    pub over: Sourced<Over>,
    /// Whether two in one place are refused rather than avoided.
    pub strict: Sourced<bool>,
}

/// What pods can be spread over.
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

/// Something that a workload may ask of the cluster.
#[derive(Clone, Debug)]
pub struct Right {
    /// The resource, such as `pods`.
    pub on: Sourced<Arc<str>>,
    /// Its API group; empty for the core one.
    pub group: Arc<str>,
    /// The verbs.
    pub may: Vec<Arc<str>>,
    /// The names of the objects; empty: all of the namespace.
    pub only: Vec<Arc<str>>,
}

/// Something to wait for.
#[derive(Clone, Copy, Debug)]
pub struct After {
    /// What is waited for.
    pub on: WorkloadId,
    /// What it has to reach.
    pub condition: Condition,
    /// Where it is written.
    pub span: Span,
}

/// How far something must be before what waits for it starts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Condition {
    /// It has been started.
    Started,
    /// Its health check has passed.
    Ready,
    /// It has run to its end without failing.
    Done,
}

impl Word for Condition {
    const WORDS: &'static [(&'static str, Self)] =
        &[("started", Self::Started), ("ready", Self::Ready), ("done", Self::Done)];
}

impl Workload {
    /// What only a service has.
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

    /// Those of its ports that are open to others than the members of its networks.
    pub fn open_ports(&self) -> impl Iterator<Item = &Port> {
        self.ports().iter().filter(|port| port.reach.value.is_open())
    }

    /// One of its ports.
    pub fn port(&self, index: PortIndex) -> Option<&Port> {
        self.ports().get(index.0)
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

    /// Its containers, its own first.
    pub fn containers(&self) -> impl Iterator<Item = &Container> {
        std::iter::once(&self.main).chain(self.helpers.iter().map(|helper| &helper.container))
    }

    /// The group that owns what its pods mount, where one of its containers needs a group to write to a volume, or to
    /// read files whose mode lets others not read.
    pub fn mount_group(&self) -> Option<u32> {
        self.containers().find_map(|container| {
            let user = container.user.as_ref()?.value;
            let needs = container.mounts.iter().any(Mount::needs_group);
            Some(user.gid.unwrap_or(user.uid)).filter(|group| needs && *group != 0)
        })
    }

    /// Whether it waits for anything at a start gate: for more than that something has been started.
    pub fn has_gates(&self) -> bool {
        self.after.iter().any(|after| after.condition != Condition::Started)
    }

    /// How long it has to stop by itself.
    pub fn stop_time(&self) -> Duration {
        /// What a cluster gives.
        const DEFAULT: Duration = Duration::from_secs(30);
        self.stop_within.map_or(DEFAULT, |time| time.value)
    }

    /// Every text in it, with the variable where it is one's value.
    pub fn texts(&self) -> impl Iterator<Item = (Option<&Variable>, &Text)> {
        self.containers().flat_map(Container::texts)
    }

    /// Whether it runs at times of its own, so that nobody can wait for it.
    pub fn is_scheduled(&self) -> bool {
        matches!(&self.kind, Kind::Task(task) if task.schedule.is_some())
    }
}
