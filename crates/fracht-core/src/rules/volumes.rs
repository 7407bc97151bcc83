//! Rules on volumes and mounts.

use std::collections::BTreeMap;

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{
    Access, Confine, Container, Model, Mount, Mounted, TargetKind, Volume, VolumeId, Workload,
};

/// Every mount with its service or task.
fn all_mounts(model: &Model) -> impl Iterator<Item = (&Workload, &Mount)> {
    model.workloads.iter().flat_map(|workload| {
        let containers = workload.containers();
        containers.flat_map(move |container| container.mounts.iter().map(move |mount| (workload, mount)))
    })
}

pub(super) static FOLDER_IN_CLUSTER: Rule = Rule {
    name: "folder-in-cluster",
    summary: "A local folder is mounted in a cluster target",
    why: "The nodes of a cluster do not have it.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmount.\"/src\" = { folder = \"app\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             [target.laptop]\non = \"machine\"\nservice.a.mount.\"/src\" = { folder = \"app\" }\n\
             [target.prod]\non = \"cluster\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn folder_in_cluster(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for (workload, mount) in all_mounts(model) {
        if let Mounted::Folder(_) = mount.what {
            let message = format!(
                "`{}` mounts a local folder, but target `{}` is a cluster",
                workload.reference(),
                model.target.name
            );
            sink.push(Diagnostic::new(&FOLDER_IN_CLUSTER, message).at(mount.origin.span(), "not in the cluster").help(
                "mount it in a machine target only: `[target.NAME]`, or put the files into the image or a config",
            ));
        }
    }
}

pub(super) static VOLUME_SHARED: Rule = Rule {
    name: "volume-shared",
    summary: "Several replicas share a volume that only one node or pod can mount",
    why: "Replicas on other nodes would wait forever, and those on one node would overwrite each other's data.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1.0\"\nreplicas = 2\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\neach = true\n\
             [service.a]\nimage = \"a:1.0\"\nreplicas = 2\nmount.\"/data\" = \"volume.v\"\n",
    ..Rule::BASE
};

pub(super) fn volume_shared(model: &Model, sink: &mut Sink) {
    if model.target.on.value == TargetKind::Cluster {
        one_pod_of_several(model, sink);
    }
    let single = |volume: &Volume| matches!(volume.access.value, Access::OneNode | Access::OnePod);
    for (workload, mount) in all_mounts(model) {
        let (Mounted::Volume(id), Some(service)) = (&mount.what, workload.service()) else { continue };
        let volume = &model.volumes[*id];
        let replicas = service.replicas.value.most();
        if volume.tainted
            || replicas < 2
            || volume.each.value
            || !single(volume)
            || model.target.on.value == TargetKind::Machine
        {
            continue;
        }
        let message = format!("the {replicas} replicas of `{}` share one volume", workload.reference());
        let access = if volume.access.value == Access::OnePod { "one pod" } else { "one node" };
        let mounted = (mount.origin.span(), format!("`volume.{}` is for {access}", volume.name));
        let several = (service.replicas.span(), format!("{replicas} replicas"));
        // What a target changes is what has to change.
        let by_target = service.replicas.origin.is_in_target() && !mount.origin.is_in_target();
        let (first, second) = if by_target { (several, mounted) } else { (mounted, several) };
        sink.push(
            Diagnostic::new(&VOLUME_SHARED, message)
                .at(first.0, first.1)
                .also(second.0, second.1)
                .help(format!("give each replica its own: `each = true` in `[volume.{}]`", volume.name))
                .help("or let many nodes mount it, if its class supports it: `access = \"many-nodes\"`"),
        );
    }
}

/// Reports a volume for one pod that several services or tasks mount: the second pod never starts.
fn one_pod_of_several(model: &Model, sink: &mut Sink) {
    let mut first: BTreeMap<VolumeId, (&Workload, &Mount)> = BTreeMap::new();
    for (workload, mount) in all_mounts(model) {
        let Mounted::Volume(id) = mount.what else { continue };
        let volume = &model.volumes[id];
        let none = workload.service().is_some_and(|service| service.replicas.value.most() == 0);
        if volume.tainted || volume.each.value || volume.access.value != Access::OnePod || none {
            continue;
        }
        let (other, known) = *first.entry(id).or_insert((workload, mount));
        if std::ptr::eq(other, workload) {
            continue;
        }
        let (one, two) = (other.reference(), workload.reference());
        let message =
            format!("`{one}` and `{two}` both mount `volume.{}`, which is for one pod", volume.name);
        sink.push(
            Diagnostic::new(&VOLUME_SHARED, message)
                .at(mount.origin.span(), format!("mounted by `{}` already", other.name))
                .also(known.origin.span(), "first mounted here")
                .also(volume.access.span(), "for one pod")
                .help(format!(
                    "let the pods of one node mount it: `access = \"one-node\"` in `[volume.{}]`",
                    volume.name
                ))
                .help("or give each a volume of its own"),
        );
    }
}

pub(super) static MODE_UNREADABLE: Rule = Rule {
    name: "mode-unreadable",
    summary: "The program cannot read files of a config or secret",
    why: "They belong to root; with such a mode others read them by their group only, and no user is named.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.k = \"x\"\n\
            [service.a]\nimage = \"a:1.0\"\nconfine = \"strict\"\nmount.\"/c\" = { from = \"config.c\", mode = \"0440\" }\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.k = \"x\"\n\
             [service.a]\nimage = \"a:1.0\"\nconfine = \"strict\"\nuser = 10001\n\
             mount.\"/c\" = { from = \"config.c\", mode = \"0440\" }\n",
    ..Rule::BASE
};

pub(super) fn mode_unreadable(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    let known = |workload: &&Workload| !workload.unread.has(&["user", "confine"]);
    for workload in model.workloads.iter().filter(known).filter(|workload| workload.mount_group().is_none()) {
        let strict = |container: &&Container| container.confine.value == Confine::Strict;
        for container in workload.containers().filter(strict).filter(|container| container.user.is_none()) {
            for mount in &container.mounts {
                let Some(mode) = mount.mode.filter(|_| mount.needs_group()) else { continue };
                let message = format!("`{}` cannot read the files at `{}`", workload.reference(), mount.path);
                sink.push(
                    Diagnostic::new(&MODE_UNREADABLE, message)
                        .at(mount.origin.span(), format!("root reads them, by the mode {mode:04o}"))
                        .also(container.confine.span(), "is not root")
                        .help("name the user, whose group then reads them: `user = 10001`")
                        .help(format!("or let all read them: `mode = \"{:04o}\"`", mode | 0o444)),
                );
            }
        }
    }
}

pub(super) static EACH_MISPLACED: Rule = Rule {
    name: "each-misplaced",
    summary: "A task mounts a per-replica volume",
    why: "Only replicas of services have stable names, which tie each replica to its volume.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\neach = true\n\
            [task.a]\nimage = \"a:1.0\"\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
             [task.a]\nimage = \"a:1.0\"\nmount.\"/data\" = \"volume.v\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn each_misplaced(model: &Model, sink: &mut Sink) {
    for (workload, mount) in all_mounts(model).filter(|(workload, _)| workload.service().is_none()) {
        let Mounted::Volume(id) = mount.what else { continue };
        let volume = &model.volumes[id];
        if volume.each.value {
            let message =
                format!("`{}` is a task and cannot mount a per-replica volume", workload.reference());
            sink.push(
                Diagnostic::new(&EACH_MISPLACED, message)
                    .at(mount.origin.span(), "no replica to choose")
                    .also(volume.each.span(), "one for each replica")
                    .help("give the task its own volume, or have it call the service"),
            );
        }
    }
}

pub(super) static ROLLOUT_UNUSED: Rule = Rule {
    name: "rollout-unused",
    severity: Severity::Warning,
    summary: "`rollout` has no effect on this service",
    why: "With a one-node volume or stable names, an old pod is stopped before its replacement starts.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1.0\"\nrollout = { surge = 1 }\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nrollout = { surge = 1 }\n",
    ..Rule::BASE
};

pub(super) fn rollout_unused(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        let Some(service) = workload.service() else { continue };
        let rollout = [&service.rollout.surge, &service.rollout.down];
        let Some(share) = rollout.into_iter().flatten().next() else { continue };
        let why = if model.has_stable_names(workload) {
            "replicas with stable names change one by one"
        } else if model.has_single_volume(workload) {
            "mounts a volume for one pod at a time"
        } else {
            continue;
        };
        sink.push(
            Diagnostic::new(
                &ROLLOUT_UNUSED,
                format!("`rollout` has no effect in `{}`", workload.reference()),
            )
            .at(share.span(), "no effect")
            .also(workload.span, why)
            .help("remove `rollout`: the cluster stops the old pod before it starts the new one"),
        );
    }
}
