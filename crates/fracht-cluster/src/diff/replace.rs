//! Fields that a cluster lets nobody change (validation of updates, by the API reference of each kind): an object in which
//! one of them differs has to be removed and made anew, by hand.

use fracht_core::grammar::quantity;
use serde_json::Value;

use super::FieldChange;

/// An object that cannot be changed as it should be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Replacement {
    /// The paths of the fields that cannot change.
    pub fields: Vec<String>,
    /// The command that removes the object; applying the rendering then makes it anew.
    pub command: String,
    /// What that means for what runs.
    pub effect: &'static str,
}

/// What has to be replaced of an object, by the fields that differ.
pub(super) fn needed(
    kind: &str,
    name: &str,
    namespace: &str,
    changes: &[FieldChange],
) -> Option<Replacement> {
    let fields: Vec<String> =
        changes.iter().filter(|change| is_fixed(kind, change)).map(|change| change.path.clone()).collect();
    if fields.is_empty() {
        return None;
    }
    let (option, effect) = match kind {
        "StatefulSet" => {
            (" --cascade=orphan", "its pods and data stay; claims that exist keep their size and class")
        }
        "PersistentVolumeClaim" => ("", "its data is lost: copy it first, and stop what mounts it"),
        "PersistentVolume" => ("", "the folder on the node stays as it is"),
        "Deployment" => ("", "its pods stop until it is applied again"),
        "Service" => ("", "its address is gone until it is applied again"),
        _ => ("", "it is missing until it is applied again"),
    };
    let within = if kind == "PersistentVolume" { String::new() } else { format!(" -n {namespace}") };
    let command = format!("kubectl delete {} {name}{within}{option}", kind.to_lowercase());
    Some(Replacement { fields, command, effect })
}

fn is_fixed(kind: &str, change: &FieldChange) -> bool {
    let below = |field: &str| {
        change
            .path
            .strip_prefix(field)
            .is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[', ' ']))
    };
    let any = |fields: &[&str]| fields.iter().any(|field| below(field));
    match kind {
        "Deployment" => below("spec.selector"),
        "StatefulSet" => {
            below("spec")
                && !any(&[
                    "spec.replicas",
                    "spec.template",
                    "spec.updateStrategy",
                    "spec.persistentVolumeClaimRetentionPolicy",
                    "spec.minReadySeconds",
                    "spec.ordinals",
                ])
        }
        // A change is a Job of another name; only a patch of one leaves the name.
        "Job" => any(&["spec.template", "spec.selector", "spec.completions", "spec.podFailurePolicy"]),
        "PersistentVolumeClaim" if below("spec.resources.requests") => is_smaller(change),
        "PersistentVolumeClaim" => any(&[
            "spec.accessModes",
            "spec.storageClassName",
            "spec.volumeName",
            "spec.volumeMode",
            "spec.selector",
        ]),
        "PersistentVolume" => any(&["spec.hostPath", "spec.local", "spec.nodeAffinity", "spec.volumeMode"]),
        "Secret" => below("type"),
        "Service" => below("spec.clusterIP"),
        "RoleBinding" => below("roleRef"),
        "EndpointSlice" => below("addressType"),
        _ => false,
    }
}

/// A claim can grow, if its class lets it; it never shrinks.
fn is_smaller(change: &FieldChange) -> bool {
    let size =
        |value: &Option<Value>| quantity::bytes(value.as_ref()?.as_str()?).ok().map(|amount| amount.size);
    size(&change.new).zip(size(&change.old)).is_some_and(|(new, old)| new < old)
}
