//! What is to be made of a stack, in the order to apply it.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use fracht_core::check::{Checked, is_made};
use fracht_core::model::{ConfigId, Kind, Model, PortIndex, Reach, SecretId, VolumeId, Workload, WorkloadId};
use fracht_core::plan::order::Order;
use fracht_core::plan::ports::PortPlan;

use crate::object::Object;
use crate::{claim, config_map, deployment, gate, job, namespace, rights, secret, service};

/// The values of the secrets that are made, by key.
pub type SecretValues = BTreeMap<SecretId, BTreeMap<String, Vec<u8>>>;

/// What is asked for.
#[derive(Default)]
pub struct Options {
    /// The values of secrets; without them no Secret is made.
    pub secrets: Option<SecretValues>,
}

/// A checked stack with all that its objects are made of.
pub struct Rendering<'m> {
    model: &'m Model,
    secrets: Option<SecretValues>,
    outer: BTreeMap<(WorkloadId, PortIndex), u16>,
    job_names: BTreeMap<WorkloadId, String>,
    config_digests: Vec<String>,
    pieces: Vec<Piece>,
    /// Digits of the largest wave.
    wave_digits: usize,
}

/// An object that is to be made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Piece {
    group: Group,
    wave: usize,
    source: Source,
}

/// The order in which to apply.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Group {
    Namespace = 1,
    Rights = 2,
    Storage = 3,
    Settings = 4,
    Addresses = 5,
    Workloads = 6,
}

/// What an object is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Source {
    Namespace,
    Account(WorkloadId),
    Role(WorkloadId),
    Binding(WorkloadId),
    Claim(VolumeId),
    ConfigMap(ConfigId),
    Secret(SecretId),
    Inner(WorkloadId),
    Outer(WorkloadId, Reach),
    Deployment(WorkloadId),
    Job(WorkloadId),
}

impl<'m> Rendering<'m> {
    /// Plans the objects of a checked stack.
    pub fn new(checked: Checked<'m>, options: Options) -> Self {
        let model = checked.model();
        let order = Order::of(model);
        let mut outer = BTreeMap::new();
        if model.workloads.iter().flat_map(Workload::ports).any(|port| port.reach.value.is_open()) {
            for entry in PortPlan::of(model).entries {
                outer.extend(entry.at.first().map(|at| ((entry.service, entry.port), *at)));
            }
        }
        let mut rendering = Self {
            model,
            secrets: options.secrets,
            outer,
            job_names: BTreeMap::new(),
            config_digests: model.configs.iter().map(config_map::config_digest).collect(),
            pieces: Vec::new(),
            wave_digits: order.waves.len().max(1).ilog10() as usize + 1,
        };
        rendering.name_jobs(&order);
        rendering.pieces = rendering.plan(&order);
        rendering
    }

    /// The model that is rendered.
    pub fn model(&self) -> &'m Model {
        self.model
    }

    /// The objects to be made, in the order to apply them.
    pub fn pieces(&self) -> &[Piece] {
        &self.pieces
    }

    /// The secrets that would be made if their values had been given.
    pub fn left_out(&self) -> Vec<SecretId> {
        let made = self.model.secrets.entries().filter(|(_, secret)| is_made(secret));
        made.map(|(id, _)| id).filter(|_| self.secrets.is_none()).collect()
    }

    /// The number at which a port is to be found from outside.
    pub(crate) fn outer_number(&self, service: WorkloadId, port: PortIndex) -> Option<u16> {
        self.outer.get(&(service, port)).copied()
    }

    /// The name of a task's Job.
    pub(crate) fn job_name(&self, task: WorkloadId) -> &str {
        self.job_names.get(&task).map_or("", String::as_str)
    }

    /// The digest of a config's content.
    pub(crate) fn config_digest(&self, config: ConfigId) -> &str {
        self.config_digests.get(config.index()).map_or("", String::as_str)
    }

    /// Names the Jobs, earlier ones first: a name depends on those that it waits for.
    fn name_jobs(&mut self, order: &Order) {
        for id in order.waves.iter().flatten().copied() {
            let workload = &self.model.workloads[id];
            if let Kind::Task(_) = workload.kind {
                let name = job::name(self, workload);
                self.job_names.insert(id, name);
            }
        }
    }

    fn plan(&self, order: &Order) -> Vec<Piece> {
        let model = self.model;
        let mut pieces = Vec::new();
        let mut add = |group, wave, source| pieces.push(Piece { group, wave, source });
        if !model.target.namespace_present {
            add(Group::Namespace, 0, Source::Namespace);
        }
        for (id, workload) in model.workloads.entries() {
            if gate::awaited_tasks(workload).next().is_some() {
                add(Group::Rights, 0, Source::Account(id));
                add(Group::Rights, 0, Source::Role(id));
                add(Group::Rights, 0, Source::Binding(id));
            }
        }
        for (id, _) in model.volumes.entries() {
            add(Group::Storage, 0, Source::Claim(id));
        }
        for (id, _) in model.configs.entries() {
            add(Group::Settings, 0, Source::ConfigMap(id));
        }
        for id in self.secrets.iter().flat_map(BTreeMap::keys) {
            add(Group::Settings, 0, Source::Secret(*id));
        }
        for (id, workload) in model.workloads.entries() {
            if !workload.ports().is_empty() {
                add(Group::Addresses, 0, Source::Inner(id));
            }
            for reach in [Reach::Node, Reach::Balancer] {
                if workload.ports().iter().any(|port| port.reach.value == reach) {
                    add(Group::Addresses, 0, Source::Outer(id, reach));
                }
            }
        }
        for (wave, ids) in order.waves.iter().enumerate() {
            for id in ids.iter().copied() {
                let source = match model.workloads[id].kind {
                    Kind::Service(_) => Source::Deployment(id),
                    Kind::Task(_) => Source::Job(id),
                };
                add(Group::Workloads, wave + 1, source);
            }
        }
        pieces
    }

    /// Makes an object.
    pub fn build(&self, piece: Piece) -> Object {
        let model = self.model;
        let workload = |id: WorkloadId| &model.workloads[id];
        match piece.source {
            Source::Namespace => Object::Namespace(namespace::namespace(model).into()),
            Source::Account(id) => Object::ServiceAccount(rights::account(model, workload(id)).into()),
            Source::Role(id) => Object::Role(rights::role(self, id).into()),
            Source::Binding(id) => Object::RoleBinding(rights::binding(model, workload(id)).into()),
            Source::Claim(id) => {
                Object::PersistentVolumeClaim(claim::claim(model, &model.volumes[id]).into())
            }
            Source::ConfigMap(id) => {
                Object::ConfigMap(config_map::config_map(model, &model.configs[id]).into())
            }
            Source::Secret(id) => {
                let none = BTreeMap::new();
                let values = self.secrets.as_ref().and_then(|all| all.get(&id)).unwrap_or(&none);
                Object::Secret(secret::secret(model, &model.secrets[id], values).into())
            }
            Source::Inner(id) => Object::Service(service::inner(model, workload(id)).into()),
            Source::Outer(id, reach) => Object::Service(service::outer(self, id, reach).into()),
            Source::Deployment(id) => Object::Deployment(deployment::deployment(self, workload(id)).into()),
            Source::Job(id) => Object::Job(job::job(self, workload(id)).into()),
        }
    }

    /// The name of an object's file, without an ending: a number that sorts in the order to apply, the
    /// kind, and the name in the stack. Another service changes it only if a wave comes between.
    pub fn file_stem(&self, piece: Piece) -> String {
        let workload = |id: WorkloadId| self.model.workloads[id].name.to_string();
        let (kind, name) = match piece.source {
            Source::Namespace => ("namespace", self.model.target.namespace.value.to_string()),
            Source::Account(id) => ("serviceaccount", rights::gate_name(&self.model.workloads[id])),
            Source::Role(id) => ("role", rights::gate_name(&self.model.workloads[id])),
            Source::Binding(id) => ("rolebinding", rights::gate_name(&self.model.workloads[id])),
            Source::Claim(id) => ("claim", self.model.volumes[id].name.to_string()),
            Source::ConfigMap(id) => ("configmap", self.model.configs[id].name.to_string()),
            Source::Secret(id) => ("secret", self.model.secrets[id].name.to_string()),
            Source::Inner(id) => ("service", workload(id)),
            Source::Outer(id, reach) => ("service", service::outer_name(&self.model.workloads[id], reach)),
            Source::Deployment(id) => ("deployment", workload(id)),
            // Without the digest: a changed Job is a changed file, not another one.
            Source::Job(id) => ("job", workload(id)),
        };
        let mut stem = format!("{}", piece.group as u8);
        // Writing to a string can't fail.
        let _ = write!(stem, "{:0digits$}-{kind}-{name}", piece.wave, digits = self.wave_digits);
        stem
    }

    /// Whether the object holds the value of a secret.
    pub fn is_secret(piece: Piece) -> bool {
        matches!(piece.source, Source::Secret(_))
    }
}
