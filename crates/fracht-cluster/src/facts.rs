//! What builders of objects know: the facts of the stack, and what is computed once for several objects.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use fracht_core::model::{ConfigId, Model, PortIndex, Workload, WorkloadId};
use fracht_core::plan::facts::Facts;

use crate::api::Str;
use crate::config_digest::ConfigDigest;

/// The facts from which objects are built.
#[derive(Debug)]
pub(crate) struct ClusterFacts<'f> {
    pub(crate) model: &'f Model,
    /// The external numbers of open ports.
    open_numbers: BTreeMap<(WorkloadId, PortIndex), u16>,
    /// The groups of workloads that must share a node, by the name of the workload.
    one_node: BTreeMap<&'f str, &'f str>,
    /// The names of Jobs. A name depends on those of the Jobs that it waits for, so they are set in start order.
    job_names: BTreeMap<WorkloadId, Str>,
    /// The digests of each generated `ConfigMap`, once they are needed.
    config_digests: BTreeMap<ConfigId, OnceLock<ConfigDigest<'f>>>,
}

impl<'f> ClusterFacts<'f> {
    /// The facts for objects, without the names of Jobs.
    pub(crate) fn of(facts: &'f Facts) -> Self {
        let model = &facts.model;
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
            job_names: BTreeMap::new(),
            config_digests: configs
                .filter(|(_, config)| config.present.is_none())
                .map(|(id, _)| (id, OnceLock::new()))
                .collect(),
        }
    }

    /// Sets the name of a task's Job.
    pub(crate) fn set_job_name(&mut self, task: WorkloadId, name: Str) {
        self.job_names.insert(task, name);
    }

    /// The name of a task's Job; `None` for a task with a schedule, which has a `CronJob`.
    pub(crate) fn job_name(&self, task: WorkloadId) -> Option<&Str> {
        self.job_names.get(&task)
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
