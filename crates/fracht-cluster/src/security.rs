//! What pods and containers may do on their nodes.
//!
//! `strict` keeps to the "restricted" profile of the Pod Security Standards, and takes away the right to
//! write to the image's file system; `normal` takes away what no ordinary image misses: a larger set of
//! system calls, and more rights than it was started with.

use fracht_core::model::{Confine, Container as Definition, Workload};
use k8s_openapi::api::core::v1::{Capabilities, PodSecurityContext, SeccompProfile, SecurityContext};

/// The group that owns what the pod mounts, where one of its containers needs it, and the system calls that all its
/// containers can do without. Users are the containers' own: one that names none has that of its image.
pub(crate) fn of_pod(workload: &Workload) -> Option<PodSecurityContext> {
    let context = PodSecurityContext {
        fs_group: workload.mount_group().map(Into::into),
        seccomp_profile: filters_whole_pod(workload).then(seccomp),
        ..PodSecurityContext::default()
    };
    (context != PodSecurityContext::default()).then_some(context)
}

/// What is particular to one container; less if the whole pod has its filter.
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
        ..SecurityContext::default()
    };
    (context != SecurityContext::default()).then_some(context)
}

/// What a container of ours may do, which needs nothing but a network.
pub(crate) fn of_gate(workload: &Workload) -> SecurityContext {
    /// Who runs the gate, whose image runs as root by itself: `nobody`.
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

/// Whether the filter of system calls is that of the whole pod: no container wants to be without.
pub(crate) fn filters_whole_pod(workload: &Workload) -> bool {
    workload.containers().all(|container| container.confine.value != Confine::Off)
}

fn seccomp() -> SeccompProfile {
    SeccompProfile { type_: "RuntimeDefault".into(), localhost_profile: None }
}

fn no_capabilities() -> Capabilities {
    Capabilities { add: None, drop: Some(vec!["ALL".into()]) }
}
