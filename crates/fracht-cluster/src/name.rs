//! Names of objects that are made of other names.
//!
//! Only Services and the names of replicas are addresses, which stacks in one namespace must not both use. All other
//! objects carry the name of their stack, so that the objects of one stack never take the place of another's.

use fracht_core::digest::short;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Config, Model, Reach, Secret, Volume, Workload};

/// The longest name of a label (RFC 1123, section 2.1), which is what most objects take.
pub(crate) const LABEL: usize = 63;

/// `name`, shortened to `most` bytes if need be: the end gives way to a digest of the whole, so that two
/// long names never become one.
pub(crate) fn shortened(name: &str, most: usize) -> String {
    if name.len() <= most {
        return name.to_owned();
    }
    let digest = short(name.as_bytes());
    let keep = most.saturating_sub(digest.len() + 1);
    let kept: String = name.chars().take(keep).collect();
    format!("{}-{digest}", kept.trim_end_matches(['-', '.', '_']))
}

/// The name of an object that belongs to something of the stack: `STACK-NAME`. A stack whose own name has a dash takes two,
/// so that `a-b` with `c` and `a` with `b-c` stay apart.
pub(crate) fn in_stack(model: &Model, name: &str) -> String {
    let stack = &*model.name.value;
    let joined = match (stack.contains("--") || name.contains("--"), stack.contains('-')) {
        (false, false) => format!("{stack}-{name}"),
        (false, true) => format!("{stack}--{name}"),
        (true, _) => format!("{stack}--{name}-{}", short(format!("{stack}\0{name}").as_bytes())),
    };
    shortened(&joined, LABEL)
}

/// The name of a further object for something of the stack: names in a stack have no dots.
pub(crate) fn for_purpose(model: &Model, name: &str, purpose: &str) -> String {
    format!("{}.{purpose}", in_stack(model, name))
}

/// The name of the object of a config: its own, or the one that is in the cluster already.
pub(crate) fn config_name(model: &Model, config: &Config) -> String {
    config.present.as_ref().map_or_else(|| in_stack(model, &config.name), |present| present.value.to_string())
}

/// The name of the object of a secret: its own, or the one that is in the cluster already.
pub fn secret_name(model: &Model, secret: &Secret) -> String {
    secret.present.as_ref().map_or_else(|| in_stack(model, &secret.name), |present| present.value.to_string())
}

/// The name of the claim of a volume: its own, or the one that is in the cluster already.
pub(crate) fn claim_name(model: &Model, volume: &Volume) -> String {
    volume.present.as_ref().map_or_else(|| in_stack(model, &volume.name), |present| present.value.to_string())
}

/// The name of the Service for a reach beyond the stack, to the nodes or to an address of its own.
pub fn outer_name(model: &Model, workload: &Workload, reach: Reach) -> String {
    unless_taken(model, in_stack(model, &format!("{}-{}", workload.name, reach.word())))
}

/// The name of the Service under which each replica has its name. Programs know it: it is an address.
pub(crate) fn headless_name(model: &Model, workload: &Workload) -> String {
    unless_taken(model, shortened(&format!("{}-pods", workload.name), LABEL))
}

/// The name of the main object of a service, and of the others that there is one of for it. That of a set is part of the
/// addresses of its replicas.
pub(crate) fn workload_name(model: &Model, workload: &Workload) -> String {
    /// What leaves room for what the cluster adds to the name in labels of pods, and in names of Jobs.
    const LONGEST: usize = LABEL - 11;
    if model.has_stable_names(workload) {
        shortened(&workload.name, LONGEST)
    } else if workload.is_scheduled() {
        shortened(&in_stack(model, &workload.name), LONGEST)
    } else {
        in_stack(model, &workload.name)
    }
}

/// The name of the further objects that there is one of for a service or a task: its entry, its account.
pub fn side_name(model: &Model, workload: &Workload) -> String {
    in_stack(model, &workload.name)
}

/// A name of a Service that nothing in the stack has: what people name comes first.
fn unless_taken(model: &Model, name: String) -> String {
    if model.host_names.contains(name.as_str()) {
        shortened(&format!("{name}-{}", short(name.as_bytes())), LABEL)
    } else {
        name
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn long_names_fit_and_stay_apart(a in "[a-z][a-z0-9-]{0,90}[a-z0-9]", b in "[a-z0-9]{1,9}") {
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
