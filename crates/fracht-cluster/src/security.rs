//! What pods and containers may do on their nodes.
//!
//! `strict` keeps to the "restricted" profile of the Pod Security Standards, and takes away the right to
//! write to the image's file system; `normal` takes away what no ordinary image misses: a larger set of
//! system calls, and more rights than it was started with.

use fracht_core::model::{Confine, Container as Definition, Mounted, Workload};
use k8s_openapi::api::core::v1::{Capabilities, PodSecurityContext, SeccompProfile, SecurityContext};

/// The user for every container of the pod, the group that owns its volumes, so that it can write there, and
/// the system calls that all its containers can do without.
pub(crate) fn of_pod(workload: &Workload) -> Option<PodSecurityContext> {
    let user = workload.main.user.as_ref().map(|user| user.value);
    let group = user.map(|user| user.gid.unwrap_or(user.uid)).filter(|group| *group != 0);
    let has_volume = |container: &Definition| {
        container.mounts.iter().any(|mount| matches!(mount.what, Mounted::Volume(_)))
    };
    let context = PodSecurityContext {
        run_as_user: user.map(|user| user.uid.into()),
        run_as_group: user.and_then(|user| user.gid).map(Into::into),
        run_as_non_root: user.filter(|user| user.uid != 0).map(|_| true),
        fs_group: group.filter(|_| workload.containers().any(has_volume)).map(Into::into),
        seccomp_profile: filters_whole_pod(workload).then(seccomp),
        ..PodSecurityContext::default()
    };
    (context != PodSecurityContext::default()).then_some(context)
}

/// What is particular to one container.
pub(crate) fn of_container(workload: &Workload, container: &Definition) -> Option<SecurityContext> {
    let confine = container.confine.value;
    // The user of the pod is that of the workload; a helper may have another one.
    let is_main = std::ptr::eq(container, &raw const workload.main);
    let user = container.user.as_ref().filter(|_| !is_main).map(|user| user.value);
    let strict = confine == Confine::Strict;
    let context = SecurityContext {
        run_as_user: user.map(|user| user.uid.into()),
        run_as_group: user.and_then(|user| user.gid).map(Into::into),
        run_as_non_root: if strict { Some(true) } else { user.map(|user| user.uid != 0) },
        allow_privilege_escalation: (confine != Confine::Off).then_some(false),
        capabilities: strict.then(no_capabilities),
        read_only_root_filesystem: strict.then_some(true),
        seccomp_profile: (confine != Confine::Off && !filters_whole_pod(workload)).then(seccomp),
        ..SecurityContext::default()
    };
    (context != SecurityContext::default()).then_some(context)
}

/// What a container of ours may do, which needs nothing but a network.
pub(crate) fn of_gate(workload: &Workload) -> SecurityContext {
    /// Who runs the gate where the stack does not say: `nobody`.
    const NOBODY: i64 = 65534;
    // The images run as root by themselves; root may also be what the stack asks for.
    let user = workload.main.user.is_none_or(|user| user.value.uid == 0).then_some(NOBODY);
    SecurityContext {
        allow_privilege_escalation: Some(false),
        capabilities: Some(no_capabilities()),
        read_only_root_filesystem: Some(true),
        run_as_non_root: Some(true),
        run_as_user: user,
        seccomp_profile: (!filters_whole_pod(workload)).then(seccomp),
        ..SecurityContext::default()
    }
}

fn filters_whole_pod(workload: &Workload) -> bool {
    workload.containers().all(|container| container.confine.value != Confine::Off)
}

fn seccomp() -> SeccompProfile {
    SeccompProfile { type_: "RuntimeDefault".into(), localhost_profile: None }
}

fn no_capabilities() -> Capabilities {
    Capabilities { add: None, drop: Some(vec!["ALL".into()]) }
}
