//! Data: who mounts it, and whether that can be.

use std::collections::BTreeMap;

use super::{Check, Rule};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Access, Confine, Container, Model, Mount, Mounted, Place, Volume, VolumeId, Workload};

/// Every mount with its service or task.
fn all_mounts(model: &Model) -> impl Iterator<Item = (&Workload, &Mount)> {
    model.workloads.iter().filter(|workload| !workload.tainted).flat_map(|workload| {
        workload
            .containers()
            .flat_map(move |container| container.mounts.iter().map(move |mount| (workload, mount)))
    })
}

pub(super) static FOLDER_IN_CLUSTER: Rule = Rule {
    name: "folder-in-cluster",
    severity: Severity::Error,
    summary: "A folder of this machine is mounted, and the target is a cluster.",
    why: "The nodes of a cluster do not have it.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmount.\"/src\" = { folder = \"app\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
             [target.laptop]\non = \"machine\"\nservice.a.mount.\"/src\" = { folder = \"app\" }\n\
             [target.prod]\non = \"cluster\"\n",
    fixed: true,
    check: Check::Model(folder_in_cluster),
};

fn folder_in_cluster(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster {
        return;
    }
    for (workload, mount) in all_mounts(model) {
        if let Mounted::Folder(_) = mount.what {
            let message = format!(
                "{} mounts a folder of this machine, which the cluster of {} does not have.",
                workload.reference(),
                model.target.name
            );
            sink.push(Diagnostic::new("folder-in-cluster", message).at(mount.origin.span(), "").help(
                "Mount it under the target of a machine only, or put the files into the image or a config.",
            ));
        }
    }
}

pub(super) static VOLUME_SHARED: Rule = Rule {
    name: "volume-shared",
    severity: Severity::Error,
    summary: "Several replicas mount a volume that is for one node or one pod.",
    why: "Replicas on other nodes would wait for it for ever, and those on one would write over each other.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1\"\nreplicas = 2\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\neach = true\n\
             [service.a]\nimage = \"a:1\"\nreplicas = 2\nmount.\"/data\" = \"volume.v\"\n",
    fixed: false,
    check: Check::Model(volume_shared),
};

fn volume_shared(model: &Model, sink: &mut Sink) {
    if model.target.on.value == Place::Cluster {
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
            || model.target.on.value == Place::Machine
        {
            continue;
        }
        let message = format!("{} has {replicas} replicas and one volume for all.", workload.reference());
        let access = if volume.access.value == Access::OnePod { "one pod" } else { "one node" };
        sink.push(
            Diagnostic::new("volume-shared", message)
                .at(mount.origin.span(), format!("volume.{} is for {access}", volume.name))
                .also(service.replicas.span(), format!("{replicas} replicas"))
                .help(format!("Give each replica one of its own: each = true in [volume.{}].", volume.name))
                .help("Or let many nodes mount it, access = \"many-nodes\", if its class can do that."),
        );
    }
}

/// A volume for one pod that several services or tasks mount: the second pod never starts.
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
            Diagnostic::new("volume-shared", message)
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
    severity: Severity::Error,
    summary: "Files of a config or secret that the program cannot read.",
    why: "They belong to root; with such a mode others read them by their group only, and no user is named.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.k = \"x\"\n\
            [service.a]\nimage = \"a:1\"\nconfine = \"strict\"\nmount.\"/c\" = { from = \"config.c\", mode = \"0440\" }\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.k = \"x\"\n\
             [service.a]\nimage = \"a:1\"\nconfine = \"strict\"\nuser = 10001\n\
             mount.\"/c\" = { from = \"config.c\", mode = \"0440\" }\n",
    fixed: false,
    check: Check::Model(mode_unreadable),
};

fn mode_unreadable(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster {
        return;
    }
    for workload in
        model.workloads.iter().filter(|workload| !workload.tainted && workload.mount_group().is_none())
    {
        let strict = |container: &&Container| container.confine.value == Confine::Strict;
        for container in workload.containers().filter(strict).filter(|container| container.user.is_none()) {
            for mount in &container.mounts {
                let Some(mode) = mount.mode.filter(|_| mount.needs_group()) else { continue };
                let message = format!("`{}` cannot read the files at `{}`", workload.reference(), mount.path);
                sink.push(
                    Diagnostic::new("mode-unreadable", message)
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
    severity: Severity::Error,
    summary: "A volume that each replica has one of is mounted by a task.",
    why: "Only services have replicas with names of their own, by which their volumes are found again.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\neach = true\n\
            [task.a]\nimage = \"a:1\"\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
             [task.a]\nimage = \"a:1\"\nmount.\"/data\" = \"volume.v\"\n",
    fixed: true,
    check: Check::Model(each_misplaced),
};

fn each_misplaced(model: &Model, sink: &mut Sink) {
    for (workload, mount) in all_mounts(model).filter(|(workload, _)| workload.service().is_none()) {
        let Mounted::Volume(id) = mount.what else { continue };
        let volume = &model.volumes[id];
        if volume.each.value {
            let message = format!("{} mounts a volume that replicas of services have.", workload.reference());
            sink.push(
                Diagnostic::new("each-misplaced", message)
                    .at(mount.origin.span(), "which one?")
                    .also(volume.each.span(), "one for each replica")
                    .help("Give the task a volume of its own, or let it ask the service."),
            );
        }
    }
}

pub(super) static ROLLOUT_UNUSED: Rule = Rule {
    name: "rollout-unused",
    severity: Severity::Warning,
    summary: "A rollout of a service whose versions can't run side by side.",
    why: "With a volume for one node, or names of their own, the old pods go before the new ones come.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1\"\nrollout = { surge = 1 }\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nrollout = { surge = 1 }\n",
    fixed: false,
    check: Check::Model(rollout_unused),
};

fn rollout_unused(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        let Some(service) = workload.service() else { continue };
        let rollout = [&service.rollout.surge, &service.rollout.down];
        let Some(share) = rollout.into_iter().flatten().next() else { continue };
        let why = if model.has_stable_names(workload) {
            "its replicas have names of their own, and change one by one"
        } else if model.has_single_volume(workload) {
            "it mounts a volume that no second pod could mount"
        } else {
            continue;
        };
        sink.push(
            Diagnostic::new("rollout-unused", format!("{} can't be rolled out so.", workload.reference()))
                .at(share.span(), "does nothing")
                .also(workload.span, why)
                .help("Remove `rollout`: the cluster stops the old pod before it starts the new one."),
        );
    }
}
