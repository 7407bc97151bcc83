//! Rules on sizes, requests and limits.

use super::Rule;
use super::written::Owner;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Container, Model, Mounted, Replicas, Scratch, TargetKind};

pub(super) static SIZE_INVERTED: Rule = Rule {
    name: "size-inverted",
    summary: "A request is higher than its limit",
    why: "The cluster refuses a request that is above its limit.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"1Gi..512Mi\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"512Mi..1Gi\"\n",
    ..Rule::BASE
};

pub(super) fn size_inverted(model: &Model, sink: &mut Sink) {
    let containers =
        model.workloads.iter().flat_map(|workload| workload.containers().map(move |c| (workload, c)));
    for (workload, container) in containers {
        for (key, bounds) in [("cpu", &container.cpu), ("memory", &container.memory)] {
            let Some(bounds) = bounds.as_ref().filter(|bounds| bounds.value.is_inverted()) else { continue };
            let (Some(request), Some(limit)) = (&bounds.value.request, &bounds.value.limit) else { continue };
            let message = format!("the {key} request of `{}` is higher than its limit", workload.reference());
            let problem = Diagnostic::new(&SIZE_INVERTED, message)
                .at(bounds.span(), format!("{request} is more than {limit}"));
            sink.push(match bounds.span() {
                Some(span) => {
                    problem.likely_fix(span, format!("\"{limit}..{request}\""), "swap request and limit")
                }
                None => problem.help("write request..limit, the smaller one first"),
            });
        }
    }
}

pub(super) static LOAD_UNMEASURED: Rule = Rule {
    name: "load-unmeasured",
    summary: "A service scales with load but has no CPU request",
    why: "Load is measured as a percentage of the CPU request; without a request there is nothing to measure against.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = { min = 2, max = 8 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = { min = 2, max = 8 }\ncpu = \"100m..1\"\n",
    ..Rule::BASE
};

pub(super) fn load_unmeasured(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.unread.has(&["cpu", "replicas"])) {
        let Some(service) = workload.service() else { continue };
        let Replicas::Growing { .. } = service.replicas.value else { continue };
        let measured = |container: &Container| {
            container.cpu.as_ref().is_some_and(|cpu| cpu.value.request.is_some() || cpu.value.limit.is_some())
        };
        if !workload.running().all(measured) {
            let message = format!("`{}` scales with load but has no CPU request", workload.reference());
            sink.push(
                Diagnostic::new(&LOAD_UNMEASURED, message)
                    .at(service.replicas.span(), "scales on the CPU request")
                    .also(workload.span, "has a container without `cpu`")
                    .help("set `cpu`, for example `cpu = \"100m..1\"`, for the service and each sidecar"),
            );
        }
    }
}

pub(super) static SIZE_MISSING: Rule = Rule {
    name: "size-missing",
    severity: Severity::Hint,
    summary: "A container without CPU or memory beside others that have them",
    why: "Without a request it is placed on any node, however full; without a memory limit it can take all of it.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\ncpu = \"100m..1\"\nmemory = \"64Mi..128Mi\"\n\
            [service.b]\nimage = \"b:1.0\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\ncpu = \"100m..1\"\nmemory = \"64Mi..128Mi\"\n\
             [service.b]\nimage = \"b:1.0\"\ncpu = \"100m..1\"\nmemory = \"64Mi..128Mi\"\n",
    ..Rule::BASE
};

pub(super) fn size_missing(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    // Where few have a size, it is those that need one.
    let (mut all, mut sized, mut with_memory) = (0, 0, 0);
    for (_, container) in Owner::containers(model) {
        all += 1;
        sized += usize::from(container.cpu.is_some() || container.memory.is_some());
        with_memory += usize::from(container.memory.is_some());
    }
    if sized == 0 || sized * 2 < all {
        return;
    }
    for (owner, container) in Owner::containers(model) {
        let Some(workload) = owner.workload() else { continue };
        if workload.unread.has(&["cpu", "memory"]) {
            continue;
        }
        // CPU alone only makes it slow.
        let (what, help) = match (&container.cpu, &container.memory) {
            (None, None) => ("CPU and memory", "cpu = \"50m..1\"` and `memory = \"64Mi..128Mi\""),
            (Some(_), None) if with_memory > 0 && with_memory * 2 >= sized => {
                ("memory", "memory = \"64Mi..128Mi\"")
            }
            _ => continue,
        };
        let message = format!("`{}` has no {what} request and limit", owner.reference());
        let problem = Diagnostic::new(&SIZE_MISSING, message)
            .at(owner.span(), format!("no {what}"))
            .help(format!("set what it needs, for example `{help}` in `[{}]`", owner.reference()));
        sink.push(owner.owns(problem));
    }
}

pub(super) static AMOUNT_UNLIKELY: Rule = Rule {
    name: "amount-unlikely",
    severity: Severity::Warning,
    summary: "An amount that is probably meant in another unit",
    why: "With too little the container is killed at once or the volume is full; with too much no node has room.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"256\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"256Mi\"\n",
    ..Rule::BASE
};

/// The least memory that a container runtime gives a process (6 MiB), less some room, and more than any node has.
const MEMORY: std::ops::RangeInclusive<u64> = (4 << 20)..=(24 << 40);
/// A thousandth of a CPU, and more than any node has, in thousandths.
const CPU: std::ops::RangeInclusive<u64> = 1..=255_000;
/// The least size of a volume, and more than any storage system makes.
const VOLUME: std::ops::RangeInclusive<u64> = (1 << 20)..=(1 << 50);
/// The least size of a scratch folder.
const SCRATCH: std::ops::RangeInclusive<u64> = (64 << 10)..=(24 << 40);

/// A number of bytes in words.
fn bytes(size: u64) -> String {
    match size {
        0..1024 => format!("{size} bytes"),
        1024..1_048_576 => format!("{} KiB", size >> 10),
        1_048_576..1_099_511_627_776 => format!("{} MiB", size >> 20),
        _ => format!("{} TiB", size >> 40),
    }
}

pub(super) fn amount_unlikely(model: &Model, sink: &mut Sink) {
    let problem = |owner: &str, key: &str, text: &str, label: String, span, is_small: bool| {
        let number = text.trim_end_matches(|c: char| !c.is_ascii_digit());
        let help = match (key, is_small) {
            ("CPU", _) => format!("write thousandths with `m`: `{number}m`"),
            (_, true) => format!("write the unit: `{number}Mi` or `{number}Gi`"),
            (_, false) => "write a smaller unit".to_owned(),
        };
        Diagnostic::new(&AMOUNT_UNLIKELY, format!("the {key} of `{owner}` is probably not meant: `{text}`"))
            .at(span, label)
            .help(help)
    };
    for (owner, container) in Owner::containers(model) {
        let kinds = [("memory", &container.memory, MEMORY), ("CPU", &container.cpu, CPU)];
        for (key, bounds, likely) in kinds {
            let Some(bounds) = bounds.as_ref().filter(|bounds| !bounds.value.is_inverted()) else { continue };
            let amounts = [&bounds.value.request, &bounds.value.limit].into_iter().flatten();
            let Some(amount) = amounts.into_iter().find(|amount| !likely.contains(&amount.size)) else {
                continue;
            };
            let label =
                if key == "CPU" { format!("{} processors", amount.size / 1000) } else { bytes(amount.size) };
            let is_small = amount.size < *likely.start();
            sink.push(owner.owns(problem(
                &owner.reference(),
                key,
                &amount.text,
                label,
                bounds.span(),
                is_small,
            )));
        }
        for mount in &container.mounts {
            let Mounted::Scratch(Scratch { size: Some(size), .. }) = &mount.what else { continue };
            if !SCRATCH.contains(&size.size) {
                let is_small = size.size < *SCRATCH.start();
                let problem = problem(
                    &owner.reference(),
                    "scratch folder",
                    &size.text,
                    bytes(size.size),
                    mount.origin.span(),
                    is_small,
                );
                sink.push(owner.owns(problem));
            }
        }
    }
    for volume in &model.volumes {
        let Some(size) = volume.size.as_ref().filter(|size| !VOLUME.contains(&size.value.size)) else {
            continue;
        };
        let is_small = size.value.size < *VOLUME.start();
        let owner = format!("volume.{}", volume.name);
        sink.push(
            problem(&owner, "size", &size.value.text, bytes(size.value.size), size.span(), is_small)
                .of(volume.span),
        );
    }
}
