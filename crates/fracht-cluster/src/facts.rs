//! What builders of objects know: the facts of the stack, and what is computed once for several objects.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use fracht_core::model::{ConfigId, Kind, Model, PortIndex, TaskPart, Workload, WorkloadId};
use fracht_core::plan::facts::Facts;

use crate::api::Str;
use crate::config_digest::ConfigDigest;

/// What gives the Job of a task its name.
pub(crate) type NameJob = fn(&ClusterFacts<'_>, &Workload, &TaskPart) -> Str;

/// The facts from which objects are built.
#[derive(Debug)]
pub(crate) struct ClusterFacts<'f> {
    pub(crate) model: &'f Model,
    /// The external numbers of open ports.
    open_numbers: BTreeMap<(WorkloadId, PortIndex), u16>,
    /// The groups of workloads that must share a node, by the name of the workload.
    one_node: BTreeMap<&'f str, &'f str>,
    /// The tasks that become Jobs, in start order.
    tasks: Vec<WorkloadId>,
    /// The names of their Jobs, once they are needed: a name contains a digest of the whole Job.
    job_names: BTreeMap<WorkloadId, OnceLock<Str>>,
    name_job: NameJob,
    /// The digests of each generated `ConfigMap`, once they are needed.
    config_digests: BTreeMap<ConfigId, OnceLock<ConfigDigest<'f>>>,
}

impl<'f> ClusterFacts<'f> {
    /// The facts for objects.
    pub(crate) fn of(facts: &'f Facts, name_job: NameJob) -> Self {
        let model = &facts.model;
        let is_task = |id: &WorkloadId| matches!(model.workloads[*id].kind, Kind::Task(_));
        let tasks: Vec<WorkloadId> = facts.order.waves.iter().flatten().copied().filter(is_task).collect();
        let configs = model.configs.entries();
        let entries = facts.ports.entries.iter();
        let open = entries.filter(|entry| entry.port(model).is_some_and(|port| port.reach.value.is_open()));
        let groups = facts.one_node.iter();
        Self {
            model,
            open_numbers: open
                .filter_map(|entry| Some(((entry.service, entry.port), *entry.at.first()?)))
                .collect(),
            one_node: groups
                .map(|(id, volume)| (&*model.workloads[*id].name, &*model.volumes[*volume].name))
                .collect(),
            job_names: tasks.iter().map(|id| (*id, OnceLock::new())).collect(),
            tasks,
            name_job,
            config_digests: configs
                .filter(|(_, config)| config.present.is_none())
                .map(|(id, _)| (id, OnceLock::new()))
                .collect(),
        }
    }

    /// The name of a task's Job; `None` for a task with a schedule, which has a `CronJob`.
    pub(crate) fn job_name(&self, task: WorkloadId) -> Option<&Str> {
        let name = self.job_names.get(&task)?;
        if name.get().is_none() {
            self.name_jobs();
        }
        name.get()
    }

    /// Names all Jobs. A name depends on those of the Jobs that it waits for: in start order, these have theirs.
    fn name_jobs(&self) {
        for id in &self.tasks {
            let workload = &self.model.workloads[*id];
            if let (Some(name), Kind::Task(task)) = (self.job_names.get(id), &workload.kind) {
                name.get_or_init(|| (self.name_job)(self, workload, task));
            }
        }
    }

    /// The external number of an open port; `None` if the cluster chooses it.
    pub(crate) fn open_number(&self, service: WorkloadId, port: PortIndex) -> Option<u16> {
        self.open_numbers.get(&(service, port)).copied()
    }

    /// The group with which a workload must share a node.
    pub(crate) fn one_node(&self, workload: &Workload) -> Option<&'f str> {
        self.one_node.get(&*workload.name).copied()
    }

    /// The digests of a config; `None` for an existing `ConfigMap`, whose content is not known.
    pub(crate) fn config_digest(&self, config: ConfigId) -> Option<&ConfigDigest<'f>> {
        let digest = self.config_digests.get(&config)?;
        Some(digest.get_or_init(|| ConfigDigest::of(&self.model.configs[config])))
    }
}
