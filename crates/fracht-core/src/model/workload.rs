//! What runs: services, which run for ever, and tasks, which run to their end.

use std::sync::Arc;
use std::time::Duration;

use super::{Health, Mount, NetworkId, Port, PortIndex, Text, WorkloadId};
use crate::grammar::image::Image;
use crate::grammar::quantity::Bounds;
use crate::grammar::user::User;
use crate::origin::At;
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
    /// The image.
    pub image: At<Image>,
    /// What is run instead of the image's own program.
    pub program: Option<Vec<Text>>,
    /// The arguments; `None` leaves the image's own.
    pub args: Option<Vec<Text>>,
    /// The folder to start in.
    pub workdir: Option<At<Arc<str>>>,
    /// The user to run as.
    pub user: Option<At<User>>,
    /// The environment variables, in the order of the file.
    pub env: Vec<Variable>,
    /// What is mounted where.
    pub mounts: Vec<Mount>,
    /// The networks it is in; none: the stack's common one.
    pub networks: Vec<At<NetworkId>>,
    /// What it waits for.
    pub after: Vec<After>,
    /// Processor.
    pub cpu: Option<At<Bounds>>,
    /// Memory.
    pub memory: Option<At<Bounds>>,
}

/// What is particular to services and to tasks.
#[expect(clippy::large_enum_variant, reason = "nearly all of them are services")]
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
    /// Its ports, in the order of the file.
    pub ports: Vec<Port>,
    /// How many run at once.
    pub replicas: At<u32>,
    /// How to see that it works.
    pub health: Option<Health>,
}

/// What only a task has.
#[derive(Clone, Debug)]
pub struct TaskPart {
    /// How often it is tried again after a failure.
    pub retries: At<u32>,
    /// How long it may take, all tries together.
    pub timeout: Option<At<Duration>>,
}

/// An environment variable.
#[derive(Clone, Debug)]
pub struct Variable {
    /// Its name.
    pub name: Arc<str>,
    /// Where the name is written.
    pub name_span: Span,
    /// Its value.
    pub value: Text,
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

impl Condition {
    /// Every condition, by the word for it.
    pub const WORDS: [(&'static str, Condition); 3] =
        [("started", Self::Started), ("ready", Self::Ready), ("done", Self::Done)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Started => "started",
            Self::Ready => "ready",
            Self::Done => "done",
        }
    }
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

    /// Every text in it, with the name of the variable where it is one's value.
    pub fn texts(&self) -> impl Iterator<Item = (Option<&Variable>, &Text)> {
        let lists = self.program.iter().chain(&self.args).flatten();
        lists.map(|text| (None, text)).chain(self.env.iter().map(|var| (Some(var), &var.value)))
    }
}
