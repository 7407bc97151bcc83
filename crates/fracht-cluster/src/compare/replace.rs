//! Fields that cannot be changed in a cluster (validation of updates, API reference of each kind): if one of them
//! differs, the object must be removed and created again by hand.

use fracht_core::grammar::quantity;
use serde_json::Value;

use super::FieldChange;

/// How to replace an object that cannot be changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Replacement {
    /// The paths of the fields that cannot change.
    pub fields: Vec<String>,
    /// The command that removes the object. Applying the rendering then creates it again.
    pub command: String,
    /// What happens to running pods and data.
    pub effect: &'static str,
}

/// The replacement that an object needs because of the fields that differ.
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
        // A changed Job has another name, unless a patch changes it.
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

/// Whether a claim shrinks. It can grow, if its class allows it, but not shrink.
fn is_smaller(change: &FieldChange) -> bool {
    let size =
        |value: &Option<Value>| quantity::bytes(value.as_ref()?.as_str()?).ok().map(|amount| amount.size);
    size(&change.new).zip(size(&change.old)).is_some_and(|(new, old)| new < old)
}
