//! The objects that can be generated, as one type.

use k8s_openapi::api::apps::v1::{Deployment, StatefulSet};
use k8s_openapi::api::autoscaling::v2::HorizontalPodAutoscaler;
use k8s_openapi::api::batch::v1::{CronJob, Job};
use k8s_openapi::api::core::v1::{
    ConfigMap, Namespace, PersistentVolume, PersistentVolumeClaim, Secret, Service, ServiceAccount,
};
use k8s_openapi::api::discovery::v1::EndpointSlice;
use k8s_openapi::api::networking::v1::{Ingress, NetworkPolicy};
use k8s_openapi::api::policy::v1::PodDisruptionBudget;
use k8s_openapi::api::rbac::v1::{Role, RoleBinding};
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;

use crate::http_route::HttpRoute;

/// A Kubernetes object.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
#[expect(missing_docs, reason = "each variant is the kind of its name")]
pub enum Object {
    Namespace(Box<Namespace>),
    ServiceAccount(Box<ServiceAccount>),
    Role(Box<Role>),
    RoleBinding(Box<RoleBinding>),
    PersistentVolume(Box<PersistentVolume>),
    PersistentVolumeClaim(Box<PersistentVolumeClaim>),
    ConfigMap(Box<ConfigMap>),
    Secret(Box<Secret>),
    Service(Box<Service>),
    EndpointSlice(Box<EndpointSlice>),
    Deployment(Box<Deployment>),
    StatefulSet(Box<StatefulSet>),
    Job(Box<Job>),
    CronJob(Box<CronJob>),
    HorizontalPodAutoscaler(Box<HorizontalPodAutoscaler>),
    PodDisruptionBudget(Box<PodDisruptionBudget>),
    NetworkPolicy(Box<NetworkPolicy>),
    Ingress(Box<Ingress>),
    HttpRoute(Box<HttpRoute>),
    /// An object that is patched or passed through.
    Raw(Value),
}

/// The text at a JSON Pointer (RFC 6901) in an object, such as `/metadata/name`; empty if there is none.
pub fn text_at<'v>(object: &'v Value, place: &str) -> &'v str {
    object.pointer(place).and_then(Value::as_str).unwrap_or_default()
}

/// Reads an object as the type of its kind and writes it again; `None` for a kind that is not generated.
///
/// # Errors
/// Why the object does not have the type.
pub fn through_its_kind(object: &Value) -> Option<serde_json::Result<Value>> {
    fn again<T: Serialize + DeserializeOwned>(object: &Value) -> serde_json::Result<Value> {
        serde_json::to_value(serde_json::from_value::<T>(object.clone())?)
    }
    let read = match (text_at(object, "/apiVersion"), text_at(object, "/kind")) {
        ("v1", "Namespace") => again::<Namespace>,
        ("v1", "ServiceAccount") => again::<ServiceAccount>,
        ("v1", "PersistentVolume") => again::<PersistentVolume>,
        ("v1", "PersistentVolumeClaim") => again::<PersistentVolumeClaim>,
        ("v1", "ConfigMap") => again::<ConfigMap>,
        ("v1", "Secret") => again::<Secret>,
        ("v1", "Service") => again::<Service>,
        ("rbac.authorization.k8s.io/v1", "Role") => again::<Role>,
        ("rbac.authorization.k8s.io/v1", "RoleBinding") => again::<RoleBinding>,
        ("discovery.k8s.io/v1", "EndpointSlice") => again::<EndpointSlice>,
        ("apps/v1", "Deployment") => again::<Deployment>,
        ("apps/v1", "StatefulSet") => again::<StatefulSet>,
        ("batch/v1", "Job") => again::<Job>,
        ("batch/v1", "CronJob") => again::<CronJob>,
        ("autoscaling/v2", "HorizontalPodAutoscaler") => again::<HorizontalPodAutoscaler>,
        ("policy/v1", "PodDisruptionBudget") => again::<PodDisruptionBudget>,
        ("networking.k8s.io/v1", "NetworkPolicy") => again::<NetworkPolicy>,
        ("networking.k8s.io/v1", "Ingress") => again::<Ingress>,
        ("gateway.networking.k8s.io/v1", "HTTPRoute") => again::<HttpRoute>,
        _ => return None,
    };
    Some(read(object))
}

/// What in an object does not have the type of its kind, in words; `None` if all does, or if the kind is not fully
/// known.
pub(crate) fn unknown_field(object: &Value) -> Option<String> {
    // The type of routes has only the fields that are generated.
    if text_at(object, "/kind") == "HTTPRoute" {
        return None;
    }
    match through_its_kind(object)? {
        Err(error) => Some(error.to_string()),
        Ok(known) => lost(object, &known, "").map(|path| format!("unknown field `{path}`")),
    }
}

/// The path of the first field that is in `all` but not in `known`. Empty values may have been left out.
fn lost(all: &Value, known: &Value, path: &str) -> Option<String> {
    match (all, known) {
        (Value::Object(all), Value::Object(known)) => all.iter().find_map(|(name, value)| {
            let path = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
            match known.get(name) {
                Some(known) => lost(value, known, &path),
                None if is_empty(value) => None,
                None => Some(path),
            }
        }),
        (Value::Array(all), Value::Array(known)) => {
            let mut items = all.iter().zip(known).enumerate();
            items.find_map(|(index, (value, known))| lost(value, known, &format!("{path}.{index}")))
        }
        _ => None,
    }
}

fn is_empty(value: &Value) -> bool {
    match value {
        Value::Null => true,
        Value::Array(items) => items.is_empty(),
        Value::Object(fields) => fields.is_empty(),
        _ => false,
    }
}
