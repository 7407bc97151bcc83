//! The desired state: what there should be on an engine, as plain data, from the model of a machine target.

mod container;
mod files;
pub mod names;
mod networks;
mod refused;
pub(crate) mod values;
mod volumes;

use std::collections::BTreeMap;
use std::time::Duration;

use fracht_core::check::Checked;
use fracht_core::model::{Condition, Fetch, Kind, Model, Probe, Workload, WorkloadId};
use fracht_core::plan::facts::Facts;

pub use files::File;
pub(crate) use files::archive;
pub use networks::Network;
pub use refused::Refusal;
pub use values::{Hidden, Secrets};
pub use volumes::Volume;

use crate::api::ContainerSpec;
use crate::ending::Ending;
use names::Owner;

/// What there should be.
#[derive(Clone, Debug)]
pub struct Desired {
    /// The stack and the target.
    pub owner: Owner,
    /// The networks, in the order of their names.
    pub networks: Vec<Network>,
    /// The volumes, in the order of their names.
    pub volumes: Vec<Volume>,
    /// The services and tasks, in the order of the stack.
    pub units: Vec<Unit>,
}

/// A service or a task.
#[derive(Clone, Debug)]
pub struct Unit {
    /// Its place in the model.
    pub id: WorkloadId,
    /// `service.NAME` or `task.NAME`.
    pub reference: String,
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: UnitKind,
    /// What it waits for, by places in [`Desired::units`].
    pub after: Vec<(usize, Condition)>,
    /// Its replicas; a task has one.
    pub replicas: Vec<Replica>,
}

/// What a unit is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UnitKind {
    /// Keeps running.
    Service,
    /// Runs to its end.
    Task {
        /// How often it is tried again after a failure.
        retries: u32,
        /// The longest time of one try.
        timeout: Option<Duration>,
        /// Whether it runs at times or on demand, so that `start` does not run it.
        is_scheduled: bool,
    },
}

/// A replica: the containers that share a network address.
#[derive(Clone, Debug)]
pub struct Replica {
    /// Its number, from 0.
    pub index: u32,
    /// The sidecars that run to their end before the main container starts.
    pub before: Vec<Container>,
    /// The main container.
    pub main: Container,
    /// The sidecars that run beside it.
    pub beside: Vec<Container>,
}

impl Replica {
    /// Its containers: those before, the main one, those beside.
    pub fn containers(&self) -> impl Iterator<Item = &Container> {
        self.before.iter().chain(std::iter::once(&self.main)).chain(&self.beside)
    }
}

/// A container.
#[derive(Clone, Debug)]
pub struct Container {
    /// Its name on the engine.
    pub name: String,
    /// Its name in output: `api`, `cache-1`, `api.exporter`.
    pub shown: String,
    /// Its definition, with the values of secrets.
    pub spec: ContainerSpec,
    /// The files to put into it.
    pub files: Vec<File>,
    /// The digest of its definition without the values of secrets.
    pub digest: String,
    /// The digest of the values of secrets; `None` if they are not known.
    pub secrets: Option<String>,
    /// Its health check.
    pub health: Option<HealthAsked>,
    /// How it is ended.
    pub ending: Ending,
    /// When its image is fetched.
    pub fetch: Option<Fetch>,
    /// The platform that its image must be of.
    pub platform: Option<String>,
    /// Whether its image is built here.
    pub is_built: bool,
    /// The numbers on the machine that lead to it, each with its protocol.
    pub published: Vec<(u16, &'static str)>,
}

/// A health check, as it is asked on a machine.
#[derive(Clone, Debug)]
pub struct HealthAsked {
    /// What is asked, and at which port of the container.
    pub probe: Asked,
    /// The time between two checks.
    pub every: Duration,
    /// The longest time of one.
    pub timeout: Duration,
    /// The longest time until one passes.
    pub boot: Duration,
}

/// What a health check asks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Asked {
    /// An HTTP GET request.
    Http {
        /// The path.
        path: String,
        /// The port.
        port: u16,
    },
    /// A TCP connection.
    Tcp {
        /// The port.
        port: u16,
    },
    /// A call of the gRPC health checking protocol.
    Grpc {
        /// The port.
        port: u16,
    },
    /// A program in the container.
    Run {
        /// The program and its arguments.
        command: Vec<String>,
    },
}

impl Asked {
    /// What a check of the model asks.
    fn of(probe: &Probe, workload: &Workload) -> Self {
        let number = |index| workload.port(index).map_or(0, |port| port.number.value);
        match probe {
            Probe::Http { path, port } => Self::Http { path: path.to_string(), port: number(*port) },
            Probe::Tcp { port } => Self::Tcp { port: number(*port) },
            Probe::Grpc { port } => Self::Grpc { port: number(*port) },
            Probe::Run { command } => {
                Self::Run { command: command.iter().map(|word| word.value.to_string()).collect() }
            }
        }
    }

    /// It in a few words: `GET /healthz at port 8080`.
    pub fn words(&self) -> String {
        match self {
            Self::Http { path, port } => format!("GET {path} at port {port}"),
            Self::Tcp { port } => format!("a connection to port {port}"),
            Self::Grpc { port } => format!("the gRPC health check at port {port}"),
            Self::Run { command } => format!("`{}`", command.join(" ")),
        }
    }
}

impl Desired {
    /// What the stack should be on a machine of the name `machine`.
    ///
    /// # Errors
    /// What cannot be on a machine: all of it.
    pub fn of(checked: Checked<'_>, machine: &str, secrets: &dyn Secrets) -> Result<Self, Vec<Refusal>> {
        let facts = checked.facts();
        let model = &facts.model;
        let owner = Owner::of(model);
        let refusals = refused::refusals(model);
        if !refusals.is_empty() {
            return Err(refusals);
        }
        let numbers = published(facts);
        let units = model.workloads.entries().map(|(id, workload)| {
            let builder = container::Builder { model, owner: &owner, machine, secrets, numbers: &numbers };
            unit(&builder, id, workload)
        });
        Ok(Self {
            networks: networks::networks(model, &owner),
            volumes: volumes::volumes(model, &owner),
            units: units.collect(),
            owner,
        })
    }

    /// Every container with its unit, in the order of the stack.
    pub fn containers(&self) -> impl Iterator<Item = (&Unit, &Replica, &Container)> {
        self.units.iter().flat_map(|unit| {
            unit.replicas.iter().flat_map(move |replica| {
                replica.containers().map(move |container| (unit, replica, container))
            })
        })
    }

    /// The units of some names and all that they wait for; all if there are no names. Those with a schedule are only
    /// in it by their names.
    pub fn chosen(&self, ids: &[WorkloadId]) -> Vec<bool> {
        let mut chosen: Vec<bool> = self
            .units
            .iter()
            .map(|unit| if ids.is_empty() { !unit.is_scheduled() } else { ids.contains(&unit.id) })
            .collect();
        let mut open: Vec<usize> =
            (0..chosen.len()).filter(|index| chosen.get(*index) == Some(&true)).collect();
        while let Some(index) = open.pop() {
            for (on, _) in self.units.get(index).map_or(&[][..], |unit| &unit.after) {
                if let Some(slot @ false) = chosen.get_mut(*on) {
                    *slot = true;
                    open.push(*on);
                }
            }
        }
        chosen
    }
}

impl Unit {
    /// Whether it is a task that `start` does not run.
    pub fn is_scheduled(&self) -> bool {
        matches!(self.kind, UnitKind::Task { is_scheduled: true, .. })
    }

    /// Whether it is a task.
    pub fn is_task(&self) -> bool {
        matches!(self.kind, UnitKind::Task { .. })
    }
}

/// The numbers on the machine of each port, one for each replica, by service and port.
type Numbers = BTreeMap<(usize, usize), Vec<u16>>;

fn published(facts: &Facts) -> Numbers {
    let entries = facts.ports.entries.iter().filter(|entry| !entry.at.is_empty());
    entries.map(|entry| ((entry.service.index(), entry.port.index()), entry.at.clone())).collect()
}

fn unit(builder: &container::Builder<'_>, id: WorkloadId, workload: &Workload) -> Unit {
    let kind = match &workload.kind {
        Kind::Service(_) => UnitKind::Service,
        Kind::Task(task) => UnitKind::Task {
            retries: task.retries.value,
            timeout: task.timeout.map(|timeout| timeout.value),
            is_scheduled: task.schedule.is_some(),
        },
    };
    let count = workload.service().map_or(1, |service| service.replicas.value.least());
    let after = workload.after.iter().map(|after| (after.on.index(), after.condition));
    Unit {
        id,
        reference: workload.reference(),
        name: workload.name.to_string(),
        kind,
        after: after.collect(),
        replicas: (0..count).map(|index| builder.replica(id, workload, index)).collect(),
    }
}

/// The name of the host of a replica.
pub(crate) fn host_of(model: &Model, workload: &Workload, index: u32) -> String {
    if workload.service().is_none() {
        return workload.name.to_string();
    }
    if model.has_stable_names(workload) {
        format!("{}-{index}", fracht_core::model::replica::set_name(&workload.name))
    } else {
        format!("{}-{index}", workload.name)
    }
}
