//! Names of objects, derived from names in the stack.
//!
//! Names of Services and replicas are addresses, so two stacks in one namespace must not use the same ones. The names
//! of all other objects contain the name of the stack, so that one stack never overwrites the objects of another.

use fracht_core::digest::short;
pub(crate) use fracht_core::digest::shortened;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Config, Model, Reach, Secret, Volume, Workload, replica};

/// The longest label (RFC 1123, section 2.1), which is the limit for most names of objects.
pub(crate) const LABEL: usize = 63;

/// The name of an object for a part of the stack: `STACK-NAME`, or `STACK--NAME` if the name of the stack contains a
/// dash, so that `a-b` with `c` and `a` with `b-c` differ.
pub(crate) fn in_stack(model: &Model, name: &str) -> String {
    let stack = &*model.name.value;
    let has_dashes = |text: &str| text.contains('-') && text.contains("--");
    let joined = match (has_dashes(stack) || has_dashes(name), stack.contains('-')) {
        (false, false) => [stack, "-", name].concat(),
        (false, true) => [stack, "--", name].concat(),
        (true, _) => format!("{stack}--{name}-{}", short(format!("{stack}\0{name}").as_bytes())),
    };
    if joined.len() <= LABEL { joined } else { shortened(&joined, LABEL) }
}

/// The name of another object for a part of the stack: `NAME.PURPOSE`, as names in a stack have no dots.
pub(crate) fn for_purpose(model: &Model, name: &str, purpose: &str) -> String {
    format!("{}.{purpose}", in_stack(model, name))
}

/// The name of the `ConfigMap` of a config, generated or existing.
pub(crate) fn config_name(model: &Model, config: &Config) -> String {
    config.present.as_ref().map_or_else(|| in_stack(model, &config.name), |present| present.value.to_string())
}

/// The name of the Secret of a secret, generated or existing.
pub fn secret_name(model: &Model, secret: &Secret) -> String {
    secret.present.as_ref().map_or_else(|| in_stack(model, &secret.name), |present| present.value.to_string())
}

/// The name of the claim of a volume, generated or existing.
pub(crate) fn claim_name(model: &Model, volume: &Volume) -> String {
    volume.present.as_ref().map_or_else(|| in_stack(model, &volume.name), |present| present.value.to_string())
}

/// The name of a volume in a pod, and of the claim template that it may come from.
pub(crate) fn template_name(volume: &Volume) -> String {
    shortened(&format!("volume-{}", volume.name), LABEL)
}

/// The name of a `PersistentVolume`. It has no namespace, so its name contains that of the namespace, which has no
/// dots.
pub(crate) fn persistent_volume_name(model: &Model, volume: &Volume) -> String {
    format!("{}.{}", model.target.namespace.value, claim_name(model, volume))
}

/// The name of the Service for open ports on the nodes or on a load balancer.
pub fn open_service_name(model: &Model, workload: &Workload, reach: Reach) -> String {
    unlike_hosts(model, in_stack(model, &format!("{}-{}", workload.name, reach.word())))
}

/// The name of the headless Service of a `StatefulSet`. It is part of the addresses of the replicas.
pub(crate) fn headless_name(model: &Model, workload: &Workload) -> String {
    replica::pods_name(&workload.name, |name| model.host_names.contains(name))
}

/// The name of the main object of a workload. The name of a `StatefulSet` is part of the addresses of its replicas.
pub(crate) fn workload_name(model: &Model, workload: &Workload) -> String {
    if model.has_stable_names(workload) {
        replica::set_name(&workload.name)
    } else if workload.is_scheduled() {
        // The cluster adds a suffix in the names of Jobs, as it does in labels of pods.
        shortened(&in_stack(model, &workload.name), replica::LONGEST_SET)
    } else {
        in_stack(model, &workload.name)
    }
}

/// The name of the other objects of a service or a task, such as its Ingress and its account.
pub fn side_name(model: &Model, workload: &Workload) -> String {
    in_stack(model, &workload.name)
}

/// A name for a Service that no service or external service of the stack has.
fn unlike_hosts(model: &Model, name: String) -> String {
    replica::unlike(name, |name| model.host_names.contains(name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn long_names_are_shortened_and_stay_different(a in "[a-z][a-z0-9-]{0,90}[a-z0-9]", b in "[a-z0-9]{1,9}") {
            let long = format!("{a}{b}");
            let fit = shortened(&long, LABEL);
            prop_assert!(fit.len() <= LABEL);
            prop_assert!(!fit.ends_with('-'));
            prop_assert_eq!(fit == long, long.len() <= LABEL);
            prop_assert_ne!(shortened(&format!("{long}{}", "x".repeat(63)), LABEL),
                            shortened(&format!("{long}{}", "y".repeat(63)), LABEL));
        }
    }
}
