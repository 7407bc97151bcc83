//! The objects that can be made, as one type.

use k8s_openapi::api::apps::v1::Deployment;
use k8s_openapi::api::batch::v1::Job;
use k8s_openapi::api::core::v1::{
    ConfigMap, Namespace, PersistentVolumeClaim, Secret, Service, ServiceAccount,
};
use k8s_openapi::api::rbac::v1::{Role, RoleBinding};
use serde::Serialize;

/// A Kubernetes object.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
#[expect(missing_docs, reason = "each variant is the kind of its name")]
pub enum Object {
    Namespace(Box<Namespace>),
    ServiceAccount(Box<ServiceAccount>),
    Role(Box<Role>),
    RoleBinding(Box<RoleBinding>),
    PersistentVolumeClaim(Box<PersistentVolumeClaim>),
    ConfigMap(Box<ConfigMap>),
    Secret(Box<Secret>),
    Service(Box<Service>),
    Deployment(Box<Deployment>),
    Job(Box<Job>),
}
