//! The kinds of objects, one file each: from facts to the object.

pub(crate) mod config_map;
pub(crate) mod cron_job;
pub(crate) mod deployment;
pub(crate) mod endpoint_slice;
pub(crate) mod horizontal_pod_autoscaler;
pub(crate) mod http_route;
pub(crate) mod ingress;
pub(crate) mod job;
pub(crate) mod namespace;
pub(crate) mod network_policy;
pub(crate) mod persistent_volume;
pub(crate) mod persistent_volume_claim;
pub(crate) mod pod_disruption_budget;
pub(crate) mod role;
pub(crate) mod role_binding;
pub(crate) mod secret;
pub(crate) mod service;
pub(crate) mod service_account;
pub(crate) mod stateful_set;

use serde::Serialize;
use serde_json::Value;

pub(crate) use self::horizontal_pod_autoscaler::Scale;
pub(crate) use self::http_route::Gateway;
pub(crate) use self::role::Holder;
pub use self::secret::SecretValues;
use crate::api::{
    ConfigMap, CronJob, Deployment, EndpointSlice, HTTPRoute, HorizontalPodAutoscaler, Ingress, Job,
    Namespace, NetworkPolicy, PersistentVolume, PersistentVolumeClaim, PodDisruptionBudget, Role,
    RoleBinding, Secret, Service, ServiceAccount, StatefulSet,
};

/// A generated object.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
pub(crate) enum Object {
    Namespace(Namespace),
    ServiceAccount(ServiceAccount),
    Role(Role),
    RoleBinding(RoleBinding),
    PersistentVolume(PersistentVolume),
    PersistentVolumeClaim(PersistentVolumeClaim),
    ConfigMap(ConfigMap),
    Secret(Secret),
    Service(Service),
    EndpointSlice(EndpointSlice),
    Deployment(Deployment),
    StatefulSet(StatefulSet),
    Job(Job),
    CronJob(CronJob),
    HorizontalPodAutoscaler(HorizontalPodAutoscaler),
    PodDisruptionBudget(PodDisruptionBudget),
    NetworkPolicy(NetworkPolicy),
    Ingress(Ingress),
    HttpRoute(HTTPRoute),
    /// An object that is patched or passed through.
    Value(Value),
}
