//! What an object is generated from: its identity, its place in the stack, and the object itself.

use std::net::IpAddr;
use std::sync::Arc;

use fracht_core::grammar::schedule::Schedule;
use fracht_core::model::{
    Config, Model, Network, Outside, Port, Reach, Secret, SecretId, TaskPart, Volume, Workload, WorkloadId,
};
use fracht_core::source::Span;

use crate::api::Str;
use crate::brought::PassedObject;
use crate::facts::ClusterFacts;
use crate::group::Group;
use crate::kinds::{
    Gateway, Holder, Object, Scale, SecretValues, config_map, cron_job, deployment, endpoint_slice,
    horizontal_pod_autoscaler, http_route, ingress, job, namespace, network_policy, persistent_volume,
    persistent_volume_claim, pod_disruption_budget, role, role_binding, secret, service, service_account,
    stateful_set,
};
use crate::name::{
    claim_name, config_name, headless_name, in_stack, open_service_name, persistent_volume_name, secret_name,
    side_name, workload_name,
};

/// The part of the stack that an object is generated from, with all that only this kind of object needs.
#[derive(Clone, Debug)]
pub(crate) enum Source<'m> {
    Namespace,
    ServiceAccount(&'m Workload),
    Role(&'m Workload, Holder),
    RoleBinding(&'m Workload, Holder),
    /// A volume with its folder on a node.
    PersistentVolume(&'m Volume, &'m Arc<str>),
    PersistentVolumeClaim(&'m Volume),
    ConfigMap(&'m Config),
    Secret(SecretId, &'m Secret),
    Service(&'m Workload),
    HeadlessService(&'m Workload),
    OpenService(WorkloadId, &'m Workload, Reach),
    OutsideService(&'m Outside),
    EndpointSlice(&'m Outside, IpAddr),
    Deployment(&'m Workload),
    StatefulSet(&'m Workload),
    Job(WorkloadId, &'m Workload, &'m TaskPart),
    CronJob(&'m Workload, &'m TaskPart, &'m Schedule),
    HorizontalPodAutoscaler(&'m Workload, Scale),
    PodDisruptionBudget(&'m Workload),
    /// A network, and whether one of its members is in a closed network as well.
    Network(&'m Network, bool),
    CommonNetwork,
    OpenPorts(&'m Workload),
    Api(&'m Workload),
    Ingress(&'m Workload),
    HttpRoute(&'m Workload, &'m Port, &'m Gateway),
    Passed(Box<PassedObject>),
}

/// The origin of an object, for messages and comments.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ObjectOrigin {
    /// The part of the stack that it is generated from, such as `service.api`.
    pub of: String,
    /// Where that part is written, if anywhere.
    pub span: Option<Span>,
}

impl Source<'_> {
    /// The kind of the object.
    pub(super) fn kind(&self) -> &str {
        match self {
            Self::Namespace => "Namespace",
            Self::ServiceAccount(_) => "ServiceAccount",
            Self::Role(..) => "Role",
            Self::RoleBinding(..) => "RoleBinding",
            Self::PersistentVolume(..) => "PersistentVolume",
            Self::PersistentVolumeClaim(_) => "PersistentVolumeClaim",
            Self::ConfigMap(_) => "ConfigMap",
            Self::Secret(..) => "Secret",
            Self::Service(_) | Self::HeadlessService(_) | Self::OpenService(..) | Self::OutsideService(_) => {
                "Service"
            }
            Self::EndpointSlice(..) => "EndpointSlice",
            Self::Deployment(_) => "Deployment",
            Self::StatefulSet(_) => "StatefulSet",
            Self::Job(..) => "Job",
            Self::CronJob(..) => "CronJob",
            Self::HorizontalPodAutoscaler(..) => "HorizontalPodAutoscaler",
            Self::PodDisruptionBudget(_) => "PodDisruptionBudget",
            Self::Network(..) | Self::CommonNetwork | Self::OpenPorts(_) | Self::Api(_) => "NetworkPolicy",
            Self::Ingress(_) => "Ingress",
            Self::HttpRoute(..) => "HTTPRoute",
            Self::Passed(object) => &object.kind,
        }
    }

    /// The name of the object; that of a Job has no digest yet.
    pub(super) fn name(&self, model: &Model) -> Str {
        match self {
            Self::Namespace => (&model.target.namespace.value).into(),
            Self::ServiceAccount(workload)
            | Self::Job(_, workload, _)
            | Self::HorizontalPodAutoscaler(workload, _)
            | Self::PodDisruptionBudget(workload)
            | Self::Ingress(workload) => side_name(model, workload).into(),
            Self::Role(workload, holder) | Self::RoleBinding(workload, holder) => {
                holder.name(model, workload).into()
            }
            Self::PersistentVolume(volume, _) => persistent_volume_name(model, volume).into(),
            Self::PersistentVolumeClaim(volume) => claim_name(model, volume).into(),
            Self::ConfigMap(config) => config_name(model, config).into(),
            Self::Secret(_, secret) => secret_name(model, secret).into(),
            Self::Service(workload) => (&workload.name).into(),
            Self::HeadlessService(workload) => headless_name(model, workload).into(),
            Self::OpenService(_, workload, reach) => open_service_name(model, workload, *reach).into(),
            Self::OutsideService(outside) => (&outside.name).into(),
            Self::EndpointSlice(outside, _) => in_stack(model, &outside.name).into(),
            Self::Deployment(workload) | Self::StatefulSet(workload) | Self::CronJob(workload, ..) => {
                workload_name(model, workload).into()
            }
            Self::Network(network, _) => network_policy::network_name(model, network).into(),
            Self::CommonNetwork => network_policy::common_name(model).into(),
            Self::OpenPorts(workload) => network_policy::open_name(model, workload).into(),
            Self::Api(workload) => network_policy::api_name(model, workload).into(),
            Self::HttpRoute(workload, port, _) => http_route::name(model, workload, port).into(),
            Self::Passed(object) => object.name.clone().into(),
        }
    }

    /// The group in which the object is applied.
    pub(super) fn group(&self) -> Group {
        match self {
            Self::Namespace => Group::Namespace,
            Self::ServiceAccount(_) | Self::Role(..) | Self::RoleBinding(..) => Group::Rights,
            Self::PersistentVolume(..) | Self::PersistentVolumeClaim(_) => Group::Storage,
            Self::ConfigMap(_) | Self::Secret(..) => Group::Settings,
            Self::Service(_)
            | Self::HeadlessService(_)
            | Self::OpenService(..)
            | Self::OutsideService(_)
            | Self::EndpointSlice(..) => Group::Addresses,
            Self::Network(..) | Self::CommonNetwork | Self::OpenPorts(_) | Self::Api(_) => Group::Policies,
            Self::Deployment(_) | Self::StatefulSet(_) | Self::Job(..) | Self::CronJob(..) => {
                Group::Workloads
            }
            Self::HorizontalPodAutoscaler(..)
            | Self::PodDisruptionBudget(_)
            | Self::Ingress(_)
            | Self::HttpRoute(..) => Group::Entries,
            Self::Passed(object) => object.group,
        }
    }

    /// The part of the stack that the object is generated from.
    pub(crate) fn origin(&self, model: &Model) -> ObjectOrigin {
        let named =
            |kind: &str, name: &str, span| ObjectOrigin { of: format!("{kind}.{name}"), span: Some(span) };
        match self {
            Self::Namespace => {
                let target = &model.target;
                ObjectOrigin { of: format!("target.{}", target.name), span: target.namespace.span() }
            }
            Self::PersistentVolume(volume, _) | Self::PersistentVolumeClaim(volume) => {
                named("volume", &volume.name, volume.span)
            }
            Self::ConfigMap(config) => named("config", &config.name, config.span),
            Self::Secret(_, secret) => named("secret", &secret.name, secret.span),
            Self::OutsideService(outside) | Self::EndpointSlice(outside, _) => {
                named("outside", &outside.name, outside.span)
            }
            Self::Network(network, _) => named("network", &network.name, network.span),
            Self::CommonNetwork => ObjectOrigin { of: "stack".into(), span: model.name.span() },
            Self::Passed(object) => ObjectOrigin { of: format!("pass {}", object.file), span: None },
            Self::ServiceAccount(workload)
            | Self::Role(workload, _)
            | Self::RoleBinding(workload, _)
            | Self::Service(workload)
            | Self::HeadlessService(workload)
            | Self::OpenService(_, workload, _)
            | Self::Deployment(workload)
            | Self::StatefulSet(workload)
            | Self::Job(_, workload, _)
            | Self::CronJob(workload, ..)
            | Self::HorizontalPodAutoscaler(workload, _)
            | Self::PodDisruptionBudget(workload)
            | Self::OpenPorts(workload)
            | Self::Api(workload)
            | Self::Ingress(workload)
            | Self::HttpRoute(workload, ..) => {
                ObjectOrigin { of: workload.reference(), span: Some(workload.span) }
            }
        }
    }

    /// The object, before its patches. `values` are those of the secrets; a Secret without values has no keys.
    pub(super) fn build(&self, facts: &ClusterFacts<'_>, values: Option<&SecretValues>) -> Object {
        let model = facts.model;
        match self {
            Self::Namespace => Object::Namespace(namespace::namespace(model)),
            Self::ServiceAccount(workload) => {
                Object::ServiceAccount(service_account::service_account(model, workload))
            }
            Self::Role(workload, holder) => Object::Role(role::role(facts, workload, *holder)),
            Self::RoleBinding(workload, holder) => {
                Object::RoleBinding(role_binding::role_binding(model, workload, *holder))
            }
            Self::PersistentVolume(volume, folder) => {
                Object::PersistentVolume(persistent_volume::persistent_volume(model, volume, folder))
            }
            Self::PersistentVolumeClaim(volume) => {
                Object::PersistentVolumeClaim(persistent_volume_claim::claim(model, volume))
            }
            Self::ConfigMap(config) => Object::ConfigMap(config_map::config_map(model, config)),
            Self::Secret(id, secret) => {
                Object::Secret(secret::secret(model, secret, values.and_then(|all| all.get(id))))
            }
            Self::Service(workload) => Object::Service(service::internal(model, workload)),
            Self::HeadlessService(workload) => Object::Service(service::headless(model, workload)),
            Self::OpenService(id, workload, reach) => {
                Object::Service(service::open(facts, *id, workload, *reach))
            }
            Self::OutsideService(outside) => Object::Service(service::outside(model, outside)),
            Self::EndpointSlice(outside, address) => {
                Object::EndpointSlice(endpoint_slice::endpoint_slice(model, outside, *address))
            }
            Self::Deployment(workload) => Object::Deployment(deployment::deployment(facts, workload)),
            Self::StatefulSet(workload) => Object::StatefulSet(stateful_set::stateful_set(facts, workload)),
            Self::Job(id, workload, task) => {
                Object::Job(job::job(facts, workload, task, facts.job_name(*id).cloned()))
            }
            Self::CronJob(workload, task, schedule) => {
                Object::CronJob(cron_job::cron_job(facts, workload, task, schedule))
            }
            Self::HorizontalPodAutoscaler(workload, scale) => Object::HorizontalPodAutoscaler(
                horizontal_pod_autoscaler::autoscaler(model, workload, *scale),
            ),
            Self::PodDisruptionBudget(workload) => {
                Object::PodDisruptionBudget(pod_disruption_budget::disruption_budget(model, workload))
            }
            Self::Network(network, beside_closed) => {
                Object::NetworkPolicy(network_policy::network(model, network, *beside_closed))
            }
            Self::CommonNetwork => Object::NetworkPolicy(network_policy::common(model)),
            Self::OpenPorts(workload) => Object::NetworkPolicy(network_policy::open(model, workload)),
            Self::Api(workload) => Object::NetworkPolicy(network_policy::api(model, workload)),
            Self::Ingress(workload) => Object::Ingress(ingress::ingress(model, workload)),
            Self::HttpRoute(workload, port, gateway) => {
                Object::HttpRoute(http_route::http_route(model, workload, port, gateway))
            }
            Self::Passed(object) => Object::Value(object.value.clone()),
        }
    }
}
