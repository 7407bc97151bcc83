//! Security contexts: restrictions of pods and containers on their nodes.
//!
//! `strict` follows the "restricted" profile of the Pod Security Standards, and makes the file system of the image
//! read-only. `normal` removes rights that ordinary images do not need: rare system calls, and gaining more rights than
//! at the start.

use fracht_core::model::{Confine, Container as Definition, Workload};

use crate::api::{Capabilities, PodSecurityContext, SeccompProfile, SecurityContext};

/// The security context of a pod: the group of its mounts, if a container needs it, and the filter of system calls,
/// if it is the same for all containers. Users are set per container; one without a user runs as that of its image.
pub(crate) fn of_pod(workload: &Workload) -> Option<PodSecurityContext> {
    let context = PodSecurityContext {
        fs_group: workload.mount_group().map(Into::into),
        seccomp_profile: filters_whole_pod(workload).then(seccomp),
    };
    (context != PodSecurityContext::default()).then_some(context)
}

/// The security context of one container, without the filter of system calls if the whole pod has it.
pub(crate) fn of_container(container: &Definition, whole_pod: bool) -> Option<SecurityContext> {
    let confine = container.confine.value;
    let user = container.user.as_ref().map(|user| user.value);
    let strict = confine == Confine::Strict;
    let not_root = strict || user.is_some_and(|user| user.uid != 0);
    let context = SecurityContext {
        run_as_user: user.map(|user| user.uid.into()),
        run_as_group: user.and_then(|user| user.gid).map(Into::into),
        run_as_non_root: not_root.then_some(true),
        allow_privilege_escalation: (confine != Confine::Off).then_some(false),
        capabilities: strict.then(no_capabilities),
        read_only_root_filesystem: strict.then_some(true),
        seccomp_profile: (confine != Confine::Off && !whole_pod).then(seccomp),
    };
    (context != SecurityContext::default()).then_some(context)
}

/// The security context of a gate, which needs only a network.
pub(crate) fn of_gate(workload: &Workload) -> SecurityContext {
    /// The user of a gate, `nobody`: the image itself runs as root.
    const NOBODY: i64 = 65534;
    SecurityContext {
        allow_privilege_escalation: Some(false),
        capabilities: Some(no_capabilities()),
        read_only_root_filesystem: Some(true),
        run_as_non_root: Some(true),
        run_as_user: Some(NOBODY),
        seccomp_profile: (!filters_whole_pod(workload)).then(seccomp),
        ..SecurityContext::default()
    }
}

/// Whether the whole pod has a filter of system calls: no container turns it off.
pub(crate) fn filters_whole_pod(workload: &Workload) -> bool {
    workload.containers().all(|container| container.confine.value != Confine::Off)
}

fn seccomp() -> SeccompProfile {
    SeccompProfile { type_: "RuntimeDefault".into() }
}

fn no_capabilities() -> Capabilities {
    Capabilities { drop: vec!["ALL".into()] }
}
