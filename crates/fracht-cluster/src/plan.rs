//! Lists the objects to generate from a stack, in the order in which to apply them. Nothing is built here.

use std::collections::BTreeSet;

use fracht_core::model::{
    ConfigId, EntryKind, Kind, Model, Mounted, NetworkId, OutsideId, OutsidePlace, PortIndex, Reach,
    Replicas, SecretId, VolumeId, Workload, WorkloadId,
};
use fracht_core::plan::order::Order;
use fracht_core::source::Span;

use crate::name::{
    claim_name, config_name, headless_name, in_stack, open_service_name, secret_name, side_name,
    workload_name,
};
use crate::passed::PassedObject;
use crate::rights::Holder;
use crate::{claim, disruption, http_route, network_policy, rights, web};

/// An object to generate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PlannedObject {
    pub(crate) group: Group,
    pub(crate) wave: usize,
    pub(crate) source: ObjectSource,
}

/// The groups of objects, in the order in which to apply them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Group {
    Namespace = 1,
    Rights = 2,
    Storage = 3,
    Settings = 4,
    Addresses = 5,
    Policies = 6,
    Workloads = 7,
    Entries = 8,
    Others = 9,
}

/// The part of the stack that an object is generated from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ObjectSource {
    Namespace,
    Account(WorkloadId),
    Role(WorkloadId, Holder),
    Binding(WorkloadId, Holder),
    PersistentVolume(VolumeId),
    Claim(VolumeId),
    ConfigMap(ConfigId),
    Secret(SecretId),
    Service(WorkloadId),
    HeadlessService(WorkloadId),
    OpenService(WorkloadId, Reach),
    Outside(OutsideId),
    EndpointSlice(OutsideId),
    Deployment(WorkloadId),
    StatefulSet(WorkloadId),
    Job(WorkloadId),
    CronJob(WorkloadId),
    Autoscaler(WorkloadId),
    DisruptionBudget(WorkloadId),
    /// A network, and whether one of its members is in a closed network as well.
    Network(NetworkId, bool),
    CommonNetwork,
    Open(WorkloadId),
    Api(WorkloadId),
    Ingress(WorkloadId),
    HttpRoute(WorkloadId, PortIndex),
    Passed(usize),
}

/// The origin of an object, for messages and comments.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ObjectOrigin {
    /// The part of the stack that it is generated from, such as `service.api`.
    pub of: String,
    /// Where that part is written, if anywhere.
    pub span: Option<Span>,
}

/// The objects of a model, in the order in which to apply them.
pub(crate) fn plan(model: &Model, order: &Order, passed: &[PassedObject]) -> Vec<PlannedObject> {
    let mut planned = Vec::new();
    let mut add = |group, wave, source| planned.push(PlannedObject { group, wave, source });
    if !model.target.namespace_present {
        add(Group::Namespace, 0, ObjectSource::Namespace);
    }
    for (id, workload) in model.workloads.entries() {
        if rights::needs_account(workload) {
            add(Group::Rights, 0, ObjectSource::Account(id));
        }
        for holder in Holder::of(workload) {
            add(Group::Rights, 0, ObjectSource::Role(id, holder));
            add(Group::Rights, 0, ObjectSource::Binding(id, holder));
        }
    }
    let claimed = claimed(model, passed);
    for (id, volume) in model.volumes.entries().filter(|(id, _)| claimed.contains(id)) {
        if volume.node_folder.is_some() {
            add(Group::Storage, 0, ObjectSource::PersistentVolume(id));
        }
        if !volume.each.value && volume.present.is_none() {
            add(Group::Storage, 0, ObjectSource::Claim(id));
        }
    }
    for (id, _) in model.configs.entries().filter(|(_, config)| config.present.is_none()) {
        add(Group::Settings, 0, ObjectSource::ConfigMap(id));
    }
    for (id, _) in model.secrets.entries().filter(|(_, secret)| secret.is_generated()) {
        add(Group::Settings, 0, ObjectSource::Secret(id));
    }
    for (id, outside) in model.outsides.entries() {
        add(Group::Addresses, 0, ObjectSource::Outside(id));
        if let OutsidePlace::Address(_) = outside.place.value {
            add(Group::Addresses, 0, ObjectSource::EndpointSlice(id));
        }
    }
    for (id, workload) in model.workloads.entries() {
        addresses(model, id, workload, &mut add);
    }
    policies(model, &mut add);
    for (wave, ids) in order.waves.iter().enumerate() {
        for id in ids.iter().copied() {
            let workload = &model.workloads[id];
            let source = match workload.kind {
                Kind::Service(_) if model.has_stable_names(workload) => ObjectSource::StatefulSet(id),
                Kind::Service(_) => ObjectSource::Deployment(id),
                Kind::Task(_) => ObjectSource::Job(id),
            };
            add(Group::Workloads, wave + 1, source);
        }
    }
    for id in order.scheduled.iter().copied() {
        add(Group::Workloads, order.waves.len().max(1), ObjectSource::CronJob(id));
    }
    for (id, workload) in model.workloads.entries() {
        scaling(id, workload, &mut add);
        entries(model, id, workload, &mut add);
    }
    for (index, object) in passed.iter().enumerate() {
        add(object.group, 0, ObjectSource::Passed(index));
    }
    // Passed objects move to the group of their kind; all others are in order already.
    planned.sort_by_key(|planned| (planned.group, planned.wave));
    planned
}

fn addresses(
    model: &Model,
    id: WorkloadId,
    workload: &Workload,
    add: &mut impl FnMut(Group, usize, ObjectSource),
) {
    if !workload.ports().is_empty() {
        add(Group::Addresses, 0, ObjectSource::Service(id));
    }
    if model.has_stable_names(workload) {
        add(Group::Addresses, 0, ObjectSource::HeadlessService(id));
    }
    for reach in [Reach::Node, Reach::Balancer] {
        if workload.ports().iter().any(|port| port.reach.value == reach) {
            add(Group::Addresses, 0, ObjectSource::OpenService(id, reach));
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

fn scaling(id: WorkloadId, workload: &Workload, add: &mut impl FnMut(Group, usize, ObjectSource)) {
    let replicas = workload.service().map(|service| service.replicas.value);
    if let Some(Replicas::Growing { .. }) = replicas {
        add(Group::Entries, 0, ObjectSource::Autoscaler(id));
    }
    if disruption::is_for(workload) {
        add(Group::Entries, 0, ObjectSource::DisruptionBudget(id));
    }
}

/// Adds the policies. They come before the pods that they protect, so that no pod is unprotected at any time.
fn policies(model: &Model, add: &mut impl FnMut(Group, usize, ObjectSource)) {
    for (id, beside_closed) in network_policy::with_members(model) {
        add(Group::Policies, 0, ObjectSource::Network(id, beside_closed));
    }
    if network_policy::has_common(model) {
        add(Group::Policies, 0, ObjectSource::CommonNetwork);
    }
    for (id, workload) in model.workloads.entries() {
        if workload.open_ports().next().is_some() {
            add(Group::Policies, 0, ObjectSource::Open(id));
        }
        if model.may_use_api(workload) {
            add(Group::Policies, 0, ObjectSource::Api(id));
        }
    }
}

fn entries(
    model: &Model,
    id: WorkloadId,
    workload: &Workload,
    add: &mut impl FnMut(Group, usize, ObjectSource),
) {
    match model.target.web.by.value {
        EntryKind::Ingress => {
            if web::ports(model, workload).next().is_some() {
                add(Group::Entries, 0, ObjectSource::Ingress(id));
            }
        }
        EntryKind::Gateway => {
            for (index, port) in workload.ports().iter().enumerate() {
                if port.reach.value == Reach::Web {
                    add(Group::Entries, 0, ObjectSource::HttpRoute(id, PortIndex(index)));
                }
            }
        }
    }
}

impl ObjectSource {
    /// The kind and the name of the object. `job_name` knows the names of Jobs.
    pub(crate) fn identity<'a>(
        self,
        model: &Model,
        passed: &'a [PassedObject],
        job_name: impl Fn(WorkloadId) -> String,
    ) -> (&'a str, String) {
        let workload = |id: WorkloadId| &model.workloads[id];
        let side = |id: WorkloadId| side_name(model, workload(id));
        match self {
            Self::Namespace => ("Namespace", model.target.namespace.value.to_string()),
            Self::Account(id) => ("ServiceAccount", side(id)),
            Self::Role(id, holder) => ("Role", holder.name(model, workload(id))),
            Self::Binding(id, holder) => ("RoleBinding", holder.name(model, workload(id))),
            Self::PersistentVolume(id) => {
                ("PersistentVolume", claim::persistent_volume_name(model, &model.volumes[id]))
            }
            Self::Claim(id) => ("PersistentVolumeClaim", claim_name(model, &model.volumes[id])),
            Self::ConfigMap(id) => ("ConfigMap", config_name(model, &model.configs[id])),
            Self::Secret(id) => ("Secret", secret_name(model, &model.secrets[id])),
            Self::Service(id) => ("Service", workload(id).name.to_string()),
            Self::HeadlessService(id) => ("Service", headless_name(model, workload(id))),
            Self::OpenService(id, reach) => ("Service", open_service_name(model, workload(id), reach)),
            Self::Outside(id) => ("Service", model.outsides[id].name.to_string()),
            Self::EndpointSlice(id) => ("EndpointSlice", in_stack(model, &model.outsides[id].name)),
            Self::Deployment(id) => ("Deployment", workload_name(model, workload(id))),
            Self::StatefulSet(id) => ("StatefulSet", workload_name(model, workload(id))),
            Self::Job(id) => ("Job", job_name(id)),
            Self::CronJob(id) => ("CronJob", workload_name(model, workload(id))),
            Self::Autoscaler(id) => ("HorizontalPodAutoscaler", side(id)),
            Self::DisruptionBudget(id) => ("PodDisruptionBudget", side(id)),
            Self::Network(id, _) => {
                ("NetworkPolicy", network_policy::network_name(model, &model.networks[id]))
            }
            Self::CommonNetwork => ("NetworkPolicy", network_policy::common_name(model)),
            Self::Open(id) => ("NetworkPolicy", network_policy::open_name(model, workload(id))),
            Self::Api(id) => ("NetworkPolicy", network_policy::api_name(model, workload(id))),
            Self::Ingress(id) => ("Ingress", side(id)),
            Self::HttpRoute(id, index) => {
                let port = workload(id).port(index);
                let name = port.map(|port| http_route::name(model, workload(id), port));
                ("HTTPRoute", name.unwrap_or_default())
            }
            Self::Passed(index) => passed
                .get(index)
                .map_or(("", String::new()), |object| (object.kind.as_str(), object.name.clone())),
        }
    }

    /// The part of the stack that the object is generated from.
    pub(crate) fn origin(self, model: &Model, passed: &[PassedObject]) -> ObjectOrigin {
        let of_workload = |id: WorkloadId| {
            let workload = &model.workloads[id];
            ObjectOrigin { of: workload.reference(), span: Some(workload.span) }
        };
        let named =
            |kind: &str, name: &str, span| ObjectOrigin { of: format!("{kind}.{name}"), span: Some(span) };
        match self {
            Self::Namespace => {
                let target = &model.target;
                ObjectOrigin { of: format!("target.{}", target.name), span: target.namespace.span() }
            }
            Self::PersistentVolume(id) | Self::Claim(id) => {
                let volume = &model.volumes[id];
                named("volume", &volume.name, volume.span)
            }
            Self::ConfigMap(id) => named("config", &model.configs[id].name, model.configs[id].span),
            Self::Secret(id) => named("secret", &model.secrets[id].name, model.secrets[id].span),
            Self::Outside(id) | Self::EndpointSlice(id) => {
                named("outside", &model.outsides[id].name, model.outsides[id].span)
            }
            Self::Network(id, _) => named("network", &model.networks[id].name, model.networks[id].span),
            Self::CommonNetwork => ObjectOrigin { of: "stack".into(), span: model.name.span() },
            Self::Passed(index) => match passed.get(index) {
                Some(object) => ObjectOrigin { of: format!("pass {}", object.file), span: None },
                None => ObjectOrigin { of: "pass".into(), span: None },
            },
            Self::Account(id)
            | Self::Role(id, _)
            | Self::Binding(id, _)
            | Self::Service(id)
            | Self::HeadlessService(id)
            | Self::OpenService(id, _)
            | Self::Deployment(id)
            | Self::StatefulSet(id)
            | Self::Job(id)
            | Self::CronJob(id)
            | Self::Autoscaler(id)
            | Self::DisruptionBudget(id)
            | Self::Open(id)
            | Self::Api(id)
            | Self::Ingress(id)
            | Self::HttpRoute(id, _) => of_workload(id),
        }
    }
}
