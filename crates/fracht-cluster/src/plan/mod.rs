//! The plan of a rendering: which objects a stack becomes, in the order in which to apply them, and whether they fit
//! together.

pub(crate) mod beside;
mod clash;
mod object;
mod patches;
mod source;

use std::collections::BTreeSet;

use fracht_core::diag::Diagnostic;
use fracht_core::model::{
    EntryKind, Kind, Model, Mounted, OutsidePlace, Reach, Replicas, VolumeId, Workload, WorkloadId,
};
use fracht_core::plan::facts::Facts;

pub use self::object::PlannedObject;
pub(crate) use self::object::complete_names;
pub use self::source::ObjectOrigin;
pub(crate) use self::source::Source;
use crate::brought::PassedObject;
use crate::facts::{ClusterFacts, Digests};
use crate::gate;
use crate::kinds::{Holder, Scale, SecretValues, ingress, job, network_policy, pod_disruption_budget};
use crate::name::claim_name;
use crate::pod;

/// The facts from which objects are built.
pub(crate) fn facts(core: &Facts) -> ClusterFacts<'_> {
    ClusterFacts::of(core, Digests { name_job: job::name, version: pod::version })
}

/// The problems of all objects together: clashes of names, and patches that do not fit. Patches are applied. Jobs may
/// still have no digest in their names: only another Job and a patch can tell.
pub(crate) fn check(
    objects: &mut [PlannedObject<'_>],
    facts: &ClusterFacts<'_>,
    secrets: Option<&SecretValues>,
) -> Vec<Diagnostic> {
    let model = facts.model;
    if model.patches.iter().any(|patch| &*patch.kind == "Job")
        || objects.iter().any(|object| matches!(object.source, Source::Passed(_)) && object.kind() == "Job")
    {
        complete_names(objects, facts);
    }
    let mut problems = clash::names(objects, model);
    problems.extend(clash::claims(model));
    problems.extend(patches::apply(objects, facts, secrets));
    problems
}

/// Collects objects.
struct Planner<'m> {
    model: &'m Model,
    objects: Vec<PlannedObject<'m>>,
}

/// The objects of a stack, in the order in which to apply them. Nothing is built yet, and the names of Jobs have no
/// digest yet.
pub(crate) fn objects(core: &Facts, passed: Vec<PassedObject>) -> Vec<PlannedObject<'_>> {
    let model = &core.model;
    let mut plan = Planner { model, objects: Vec::with_capacity(model.workloads.len() * 4) };
    if !model.target.namespace_present {
        plan.add(Source::Namespace);
    }
    for workload in &model.workloads {
        plan.rights(workload);
    }
    plan.storage(&claimed(model, &passed));
    for config in model.configs.iter().filter(|config| config.present.is_none()) {
        plan.add(Source::ConfigMap(config));
    }
    for (id, secret) in model.secrets.entries().filter(|(_, secret)| secret.is_generated()) {
        plan.add(Source::Secret(id, secret));
    }
    for outside in &model.outsides {
        if !matches!(outside.place.value, OutsidePlace::Service(..)) {
            plan.add(Source::OutsideService(outside));
        }
        if let OutsidePlace::Address(address) = outside.place.value {
            plan.add(Source::EndpointSlice(outside, address));
        }
    }
    for (id, workload) in model.workloads.entries() {
        plan.addresses(id, workload);
    }
    plan.policies();
    for (wave, ids) in core.order.waves.iter().enumerate() {
        for id in ids.iter().copied() {
            plan.workload(wave + 1, id);
        }
    }
    for id in core.order.scheduled.iter().copied() {
        plan.workload(core.order.waves.len().max(1), id);
    }
    for workload in &model.workloads {
        plan.scaling(workload);
        plan.entries(workload);
    }
    for object in passed {
        plan.add(Source::Passed(Box::new(object)));
    }
    // Passed objects move to the group of their kind; all others are in order already.
    if !plan.objects.is_sorted_by_key(|object| (object.group, object.wave)) {
        plan.objects.sort_by_key(|object| (object.group, object.wave));
    }
    plan.objects
}

impl<'m> Planner<'m> {
    fn add(&mut self, source: Source<'m>) {
        self.add_in_wave(0, source);
    }

    fn add_in_wave(&mut self, wave: usize, source: Source<'m>) {
        let (name, group) = (source.name(self.model), source.group());
        let wave = u32::try_from(wave).unwrap_or(u32::MAX);
        self.objects.push(PlannedObject { name, group, wave, source, patched: None });
    }

    fn rights(&mut self, workload: &'m Workload) {
        if gate::needs_account(workload) {
            self.add(Source::ServiceAccount(workload));
        }
        for holder in Holder::of(workload) {
            self.add(Source::Role(workload, holder));
            self.add(Source::RoleBinding(workload, holder));
        }
    }

    fn storage(&mut self, claimed: &BTreeSet<VolumeId>) {
        for (_, volume) in self.model.volumes.entries().filter(|(id, _)| claimed.contains(id)) {
            if let Some(folder) = &volume.node_folder {
                self.add(Source::PersistentVolume(volume, &folder.value));
            }
            if !volume.each.value && volume.present.is_none() {
                self.add(Source::PersistentVolumeClaim(volume));
            }
        }
    }

    fn addresses(&mut self, id: WorkloadId, workload: &'m Workload) {
        if !workload.ports().is_empty() {
            self.add(Source::Service(workload));
        }
        if self.model.has_stable_names(workload) {
            self.add(Source::HeadlessService(workload));
        }
        for reach in [Reach::Node, Reach::Balancer] {
            if workload.ports().iter().any(|port| port.reach.value == reach) {
                self.add(Source::OpenService(id, workload, reach));
            }
        }
    }

    fn policies(&mut self) {
        for (id, beside_closed) in network_policy::with_members(self.model) {
            self.add(Source::Network(&self.model.networks[id], beside_closed));
        }
        if network_policy::has_common(self.model) {
            self.add(Source::CommonNetwork);
        }
        for workload in &self.model.workloads {
            if self.model.opened_ports(workload).next().is_some() {
                self.add(Source::OpenPorts(workload));
            }
            if self.model.may_use_api(workload) {
                self.add(Source::Api(workload));
            }
        }
    }

    fn workload(&mut self, wave: usize, id: WorkloadId) {
        let workload = &self.model.workloads[id];
        let source = match &workload.kind {
            Kind::Service(_) if self.model.has_stable_names(workload) => Source::StatefulSet(workload),
            Kind::Service(_) => Source::Deployment(workload),
            Kind::Task(task) => match &task.schedule {
                Some(schedule) => Source::CronJob(workload, task, &schedule.value),
                None => Source::Job(id, workload, task),
            },
        };
        self.add_in_wave(wave, source);
    }

    fn scaling(&mut self, workload: &'m Workload) {
        let replicas = workload.service().map(|service| service.replicas.value);
        if let Some(Replicas::Growing { min, max, cpu }) = replicas {
            self.add(Source::HorizontalPodAutoscaler(workload, Scale { min, max, cpu }));
        }
        if pod_disruption_budget::is_for(workload) {
            self.add(Source::PodDisruptionBudget(workload));
        }
    }

    fn entries(&mut self, workload: &'m Workload) {
        let web = &self.model.target.web;
        match (web.by.value, &web.gateway) {
            (EntryKind::Ingress, _) => {
                if ingress::ports(self.model, workload).next().is_some() {
                    self.add(Source::Ingress(workload));
                }
            }
            (EntryKind::Gateway, Some(gateway)) => {
                for port in workload.ports().iter().filter(|port| port.reach.value == Reach::Web) {
                    self.add(Source::HttpRoute(workload, port, gateway));
                }
            }
            // Reading requires the name of the gateway.
            (EntryKind::Gateway, None) => {}
        }
    }
}

/// The volumes that need a claim: those that a workload or a passed object mounts.
fn claimed(model: &Model, passed: &[PassedObject]) -> BTreeSet<VolumeId> {
    let mounts =
        model.workloads.iter().flat_map(Workload::containers).flat_map(|container| &container.mounts);
    let mounted = mounts.filter_map(|mount| match mount.what {
        Mounted::Volume(id) => Some(id),
        _ => None,
    });
    let of_a_name = |c: char| c.is_ascii_alphanumeric() || "-.".contains(c);
    let words = passed.iter().flat_map(|object| object.text.split(|c| !of_a_name(c)));
    let words: BTreeSet<&str> = words.collect();
    let named = model.volumes.entries().filter(|(_, volume)| words.contains(&*claim_name(model, volume)));
    mounted.chain(named.map(|(id, _)| id)).collect()
}
