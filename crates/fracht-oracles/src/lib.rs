//! Large libraries that judge what Fracht's own code does. Building them takes long, so that only the tests of this
//! crate use them.
//!
//! Fracht writes objects by small types of its own, and checks what people bring by a table. The types of the whole
//! Kubernetes API prove both: [`through_its_kind`] reads an object into the type of its kind, and [`table`] is the table
//! of all kinds. Libraries for patterns prove those of paths and inputs.

mod table;

use k8s_openapi::Resource;
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;

pub use self::table::table;

/// Reads an object as its kind, and writes it again.
type Again = fn(&Value) -> serde_json::Result<Value>;
/// The schema of a kind.
type SchemaOf = fn(&mut schemars::SchemaGenerator) -> schemars::Schema;

/// A kind of the API: its version with its group, its name, and what is known of its type.
struct ApiKind {
    version: &'static str,
    kind: &'static str,
    again: Again,
    schema: SchemaOf,
}

impl ApiKind {
    const fn of<T: Resource + Serialize + DeserializeOwned + schemars::JsonSchema>() -> Self {
        Self { version: T::API_VERSION, kind: T::KIND, again: again::<T>, schema: T::json_schema }
    }
}

fn again<T: Serialize + DeserializeOwned>(object: &Value) -> serde_json::Result<Value> {
    serde_json::to_value(serde_json::from_value::<T>(object.clone())?)
}

/// Every kind that Fracht generates, and those that stacks usually pass through.
static KINDS: &[ApiKind] = {
    use k8s_openapi::api::{
        admissionregistration::v1 as admission, apps::v1 as apps, autoscaling::v2 as autoscaling,
        batch::v1 as batch, coordination::v1 as coordination, core::v1 as core, discovery::v1 as discovery,
        networking::v1 as networking, node::v1 as node, policy::v1 as policy, rbac::v1 as rbac,
        scheduling::v1 as scheduling, storage::v1 as storage,
    };
    &[
        ApiKind::of::<core::ConfigMap>(),
        ApiKind::of::<core::Endpoints>(),
        ApiKind::of::<core::LimitRange>(),
        ApiKind::of::<core::Namespace>(),
        ApiKind::of::<core::PersistentVolume>(),
        ApiKind::of::<core::PersistentVolumeClaim>(),
        ApiKind::of::<core::Pod>(),
        ApiKind::of::<core::PodTemplate>(),
        ApiKind::of::<core::ReplicationController>(),
        ApiKind::of::<core::ResourceQuota>(),
        ApiKind::of::<core::Secret>(),
        ApiKind::of::<core::Service>(),
        ApiKind::of::<core::ServiceAccount>(),
        ApiKind::of::<admission::MutatingWebhookConfiguration>(),
        ApiKind::of::<admission::ValidatingWebhookConfiguration>(),
        ApiKind::of::<apps::DaemonSet>(),
        ApiKind::of::<apps::Deployment>(),
        ApiKind::of::<apps::ReplicaSet>(),
        ApiKind::of::<apps::StatefulSet>(),
        ApiKind::of::<autoscaling::HorizontalPodAutoscaler>(),
        ApiKind::of::<batch::CronJob>(),
        ApiKind::of::<batch::Job>(),
        ApiKind::of::<coordination::Lease>(),
        ApiKind::of::<discovery::EndpointSlice>(),
        ApiKind::of::<networking::Ingress>(),
        ApiKind::of::<networking::IngressClass>(),
        ApiKind::of::<networking::NetworkPolicy>(),
        ApiKind::of::<node::RuntimeClass>(),
        ApiKind::of::<policy::PodDisruptionBudget>(),
        ApiKind::of::<rbac::ClusterRole>(),
        ApiKind::of::<rbac::ClusterRoleBinding>(),
        ApiKind::of::<rbac::Role>(),
        ApiKind::of::<rbac::RoleBinding>(),
        ApiKind::of::<scheduling::PriorityClass>(),
        ApiKind::of::<storage::CSIDriver>(),
        ApiKind::of::<storage::StorageClass>(),
    ]
};

/// Reads an object as the type of its kind and writes it again; `None` for a kind that is not in the list.
///
/// # Errors
/// Why the object does not have the type.
pub fn through_its_kind(object: &Value) -> Option<serde_json::Result<Value>> {
    let known =
        KINDS.iter().find(|kind| object["apiVersion"] == kind.version && object["kind"] == kind.kind)?;
    Some((known.again)(object))
}
