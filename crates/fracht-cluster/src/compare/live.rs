//! Compares with objects from a cluster: these have defaults, a status, and include objects of others.
//!
//! Only fields that Fracht can set are compared. A field that is in the cluster but not in the rendering is a
//! difference only if Fracht could have set it and the value is not the cluster's default (API reference of each
//! kind).

use fracht_core::grammar::quantity;
use serde_json::{Value, json};

use crate::object::text_at;

/// Whether an object was read from a cluster: only a server sets these fields.
pub(super) fn is_live(object: &Value) -> bool {
    let meta = &object["metadata"];
    ["uid", "resourceVersion", "managedFields", "creationTimestamp"]
        .iter()
        .any(|field| !meta[*field].is_null())
}

/// Whether an object belongs to others: a controller, another stack, another tool.
pub(super) fn is_foreign(object: &Value, stacks: &[&str]) -> bool {
    let label = |name: &str| text_at(object, &format!("/metadata/labels/app.kubernetes.io~1{name}"));
    let owners = object.pointer("/metadata/ownerReferences").and_then(Value::as_array);
    let owned = owners.is_some_and(|owners| !owners.is_empty());
    owned || label("managed-by") != "fracht" || !stacks.contains(&label("part-of"))
}

/// Fields that Fracht can set and that have no default in a cluster.
const SET: [&str; 45] = [
    "activeDeadlineSeconds",
    "affinity",
    "allowPrivilegeEscalation",
    "annotations",
    "args",
    "binaryData",
    "capabilities",
    "command",
    "data",
    "egress",
    "env",
    "envFrom",
    "exec",
    "fsGroup",
    "httpGet",
    "imagePullSecrets",
    "ingress",
    "ingressClassName",
    "initContainers",
    "labels",
    "lifecycle",
    "limits",
    "livenessProbe",
    "nodeSelector",
    "podFailurePolicy",
    "ports",
    "prefix",
    "readOnly",
    "readOnlyRootFilesystem",
    "readinessProbe",
    "requests",
    "resourceNames",
    "runAsGroup",
    "runAsNonRoot",
    "runAsUser",
    "seccompProfile",
    "sizeLimit",
    "startupProbe",
    "subPath",
    "timeZone",
    "tls",
    "topologySpreadConstraints",
    "value",
    "volumeMounts",
    "volumes",
];

/// Fields that Fracht can set, with their defaults in a cluster.
fn defaults(field: &str) -> Option<Vec<Value>> {
    Some(match field {
        "replicas" | "minReplicas" | "timeoutSeconds" => vec![json!(1)],
        "protocol" => vec![json!("TCP")],
        "type" => vec![json!("ClusterIP"), json!("RollingUpdate"), json!("Opaque"), json!("")],
        "maxSurge" | "maxUnavailable" => vec![json!("25%")],
        "terminationGracePeriodSeconds" => vec![json!(30)],
        "suspend" => vec![json!(false)],
        "concurrencyPolicy" => vec![json!("Allow")],
        "periodSeconds" => vec![json!(10)],
        "failureThreshold" => vec![json!(3)],
        "defaultMode" => vec![json!(420)],
        "serviceAccountName" => vec![json!("default"), json!("")],
        _ => return None,
    })
}

/// Maps with keys of the author's own, in which a cluster sets nothing by default.
const OF_PEOPLE: [&str; 5] = ["data", "binaryData", "nodeSelector", "limits", "requests"];

/// Whether the cluster itself sets a value at a path that the rendering does not have.
pub(super) fn is_filled_in(path: &str, value: &Value) -> bool {
    if value.is_null() {
        return true;
    }
    // Names of labels and annotations contain dots.
    let of_names = ["metadata.labels.", "metadata.annotations.", "selector.matchLabels."];
    if let Some((_, name)) = of_names.iter().find_map(|table| path.split_once(table)) {
        return is_name_of_cluster(name);
    }
    if path.split('.').rev().skip(1).any(|table| OF_PEOPLE.contains(&table)) {
        return false;
    }
    let field = path.rsplit('.').next().unwrap_or(path);
    // An item of a list whose items are matched by name.
    if field.ends_with(']') {
        return false;
    }
    match (defaults(field), value) {
        (Some(known), _) if known.contains(value) => true,
        (_, Value::Object(fields)) if !SET.contains(&field) => {
            fields.iter().all(|(name, value)| is_filled_in(&format!("{path}.{name}"), value))
        }
        (Some(_), _) => false,
        (None, Value::Object(fields)) => {
            fields.is_empty()
                || matches!(field, "labels" | "annotations")
                    && fields.keys().all(|name| is_name_of_cluster(name))
        }
        (None, Value::Array(items)) if SET.contains(&field) => items.is_empty(),
        (None, _) => !SET.contains(&field),
    }
}

/// Whether Kubernetes itself sets a label or an annotation.
fn is_name_of_cluster(name: &str) -> bool {
    let prefix = name.split_once('/').map_or("", |(prefix, _)| prefix);
    let of_cluster = prefix.ends_with("kubernetes.io") || prefix.ends_with("k8s.io");
    of_cluster && prefix != "app.kubernetes.io" || matches!(name, "controller-uid" | "job-name")
}

/// Whether two quantities are equal: the cluster normalizes them, such as `1024Mi` to `1Gi`.
pub(super) fn is_same_quantity(path: &str, old: &Value, new: &Value) -> bool {
    let (Value::String(old), Value::String(new)) = (old, new) else { return false };
    let of_quantities =
        ["limits.", "requests.", "capacity.", "sizeLimit"].iter().any(|field| path.contains(field));
    let cpu = |text: &str| quantity::cpu(text).map(|amount| amount.size).ok();
    let bytes = |text: &str| quantity::bytes(text).map(|amount| amount.size).ok();
    let same = |read: &dyn Fn(&str) -> Option<u64>| read(old).is_some_and(|size| Some(size) == read(new));
    of_quantities && if path.rsplit('.').next() == Some("cpu") { same(&cpu) } else { same(&bytes) }
}
