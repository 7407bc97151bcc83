//! What builders of objects know: the facts of the stack, and what is computed once for several objects.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use fracht_core::model::{
    After, Condition, ConfigId, Kind, Model, PortIndex, TaskPart, Workload, WorkloadId,
};
use fracht_core::plan::facts::Facts;

use crate::api::Str;
use crate::config_digest::ConfigDigest;

/// How objects get the digests of their content.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Digests {
    /// The name of a task's Job.
    pub(crate) name_job: fn(&ClusterFacts<'_>, &Workload, &TaskPart) -> Str,
    /// The version of a service: a digest of its pods.
    pub(crate) version: fn(&ClusterFacts<'_>, &Workload) -> Str,
}

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
    digests: Digests,
    /// The versions of the services that a task waits for until they are current, once they are needed.
    versions: BTreeMap<&'f str, OnceLock<Str>>,
    /// The digests of each generated `ConfigMap`, once they are needed.
    config_digests: BTreeMap<ConfigId, OnceLock<ConfigDigest<'f>>>,
}

impl<'f> ClusterFacts<'f> {
    /// The facts for objects.
    pub(crate) fn of(facts: &'f Facts, digests: Digests) -> Self {
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
            digests,
            versions: awaited_versions(model).map(|service| (&*service.name, OnceLock::new())).collect(),
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
                name.get_or_init(|| (self.digests.name_job)(self, workload, task));
            }
        }
    }

    /// The version of a service; `None` if no Job waits for it to be current.
    pub(crate) fn version(&self, service: &Workload) -> Option<&Str> {
        let version = self.versions.get(&*service.name)?;
        Some(version.get_or_init(|| (self.digests.version)(self, service)))
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

/// The services of which a Job asks for the version: those that a task without a schedule waits for until they are
/// current.
fn awaited_versions(model: &Model) -> impl Iterator<Item = &Workload> {
    let jobs =
        model.workloads.iter().filter(|workload| workload.service().is_none() && !workload.is_scheduled());
    let current = |after: &&After| after.condition == Condition::Current;
    jobs.flat_map(move |job| job.after.iter().filter(current)).map(|after| &model.workloads[after.on])
}
