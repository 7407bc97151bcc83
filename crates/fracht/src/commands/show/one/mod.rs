//! `fracht show NAME`: one service or task as it will be.

mod text;

use std::sync::Arc;

use fracht_core::grammar::duration;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{
    BeforeStop, Container, Health, Mount, Mounted, Probe, Sidecar, TargetKind, Text, Workload, WorkloadId,
};
use fracht_core::origin::Sourced;
use fracht_core::trace::Trace;
use serde::Serialize;

use super::document::{Between, Size};
use super::{Checked, bounds, runs, spread, storage};
use crate::ui::json;

/// A service or task as it will be.
#[derive(Serialize)]
pub(super) struct One<'a> {
    name: &'a str,
    kind: &'static str,
    target: &'a str,
    place: json::Place,
    replicas: Option<Between>,
    networks: Vec<&'a str>,
    /// The services at whose address it answers as well.
    behind: Vec<&'a str>,
    containers: Vec<ContainerOf<'a>>,
    waits_for: Vec<Wait<'a>>,
    /// How long each start gate waits at most, in seconds; null without gates.
    gate_seconds: Option<f64>,
    /// How long it has to stop, in seconds.
    stop_seconds: f64,
    #[serde(skip)]
    facts: Vec<(&'static str, String)>,
    #[serde(skip)]
    location: String,
}

#[derive(Serialize)]
struct ContainerOf<'a> {
    /// The name of the sidecar; null for the main container.
    sidecar: Option<&'a str>,
    /// Whether it runs once, before what follows.
    once: bool,
    image: &'a str,
    build: Option<&'a str>,
    fetch: Option<&'static str>,
    /// Null for the image's own.
    program: Option<Vec<String>>,
    args: Option<Vec<String>>,
    workdir: Option<&'a str>,
    user: Option<String>,
    confine: &'static str,
    cpu: Size<'a>,
    memory: Size<'a>,
    variables: Vec<Variable>,
    mounts: Vec<MountOf>,
    ports: Vec<PortOf<'a>>,
    health: Option<HealthOf>,
    before_stop: Option<String>,
    #[serde(skip)]
    sizes: [Option<String>; 2],
}

/// A variable with the layer that sets it.
#[derive(Serialize)]
struct Variable {
    name: String,
    /// With secrets, and what only the cluster knows, in braces.
    value: String,
    layer: String,
    place: json::Place,
    #[serde(skip)]
    location: String,
}

#[derive(Serialize)]
struct MountOf {
    path: String,
    from: String,
    read_only: bool,
    mode: Option<String>,
}

#[derive(Serialize)]
struct PortOf<'a> {
    name: &'a str,
    number: u16,
    protocol: &'static str,
    reach: &'static str,
}

/// A health check with its arithmetic, in seconds.
#[derive(Serialize)]
struct HealthOf {
    check: String,
    every_seconds: f64,
    timeout_seconds: f64,
    boot_tries: u32,
    given_up_after_seconds: f64,
    fails: u32,
    out_after_seconds: f64,
    /// 0 for never.
    restart_after: u32,
    restarted_after_seconds: Option<f64>,
}

#[derive(Serialize)]
struct Wait<'a> {
    name: &'a str,
    until: &'static str,
    place: json::Place,
    #[serde(skip)]
    location: String,
}

impl<'a> One<'a> {
    pub(super) fn of(checked: Checked<'a>, id: WorkloadId) -> Self {
        let model = checked.model();
        let workload = &model.workloads[id];
        let main = std::iter::once((None, &workload.main));
        let sidecars = workload.sidecars.iter().map(|one| (Some(one), &one.container));
        let wait = |after: &fracht_core::model::After| Wait {
            name: &model.workloads[after.on].name,
            until: after.condition.word(),
            place: json::place(after.span, checked.sources()),
            location: checked.sources().location(after.span),
        };
        let on_cluster = model.target.on.value == TargetKind::Cluster;
        let within = model.target.gate.within.value;
        Self {
            name: &workload.name,
            kind: workload.kind_word(),
            target: &model.target.name,
            place: json::place(workload.span, checked.sources()),
            replicas: workload.service().map(|service| Between::of(service.replicas.value)),
            networks: workload.networks.iter().map(|id| &*model.networks[id.value].name).collect(),
            behind: workload.behind().iter().map(|other| &*model.workloads[other.value].name).collect(),
            containers: main
                .chain(sidecars)
                .map(|(sidecar, container)| container_of(checked, workload, sidecar, container))
                .collect(),
            waits_for: workload.after.iter().map(wait).collect(),
            gate_seconds: (on_cluster && workload.has_gates()).then_some(within.as_secs_f64()),
            stop_seconds: workload.stop_time().as_secs_f64(),
            facts: facts(checked, workload),
            location: checked.sources().location(workload.span),
        }
    }
}

/// What is known of the whole service or task, each with its name.
fn facts(checked: Checked<'_>, workload: &Workload) -> Vec<(&'static str, String)> {
    let model = checked.model();
    let mut facts = vec![("runs", runs(workload))];
    let mut add = |name, value: Option<String>| facts.extend(value.map(|value| (name, value)));
    let names = |names: Vec<&str>| (!names.is_empty()).then(|| names.join(", "));
    if let Some(service) = workload.service() {
        let share = |share: fracht_core::grammar::share::Share| match share {
            fracht_core::grammar::share::Share::Number(number) => number.to_string(),
            fracht_core::grammar::share::Share::Percent(percent) => format!("{percent}%"),
        };
        if model.has_single_volume(workload) {
            add("rollout", Some("the old pods are stopped first: they share a volume".to_owned()));
        } else {
            let part = |value: Option<Sourced<_>>| {
                value.map_or_else(|| "25%".to_owned(), |value| share(value.value))
            };
            let (more, fewer) = (part(service.rollout.surge), part(service.rollout.down));
            if !model.has_stable_names(workload) {
                add("rollout", Some(format!("{more} more, {fewer} fewer at a time")));
            }
        }
        let stable = model.has_stable_names(workload);
        add("names", stable.then(|| format!("each replica keeps its own: {}-0 …", workload.name)));
    }
    add("spread over", spread(workload));
    add("networks", names(workload.networks.iter().map(|id| &*model.networks[id.value].name).collect()));
    let behind = workload.behind().iter().map(|other| &*model.workloads[other.value].name).collect();
    add("behind", names(behind));
    let answering = model.answering(workload).iter().map(|id| &*model.workloads[*id].name).collect();
    add("shares its address with", names(answering));
    add("platform", workload.platform.as_ref().map(|platform| platform.value.to_string()));
    add("role", workload.role.as_ref().map(|role| role.value.to_string()));
    let rights = workload.rights.iter().map(|right| {
        let may: Vec<&str> = right.may.iter().map(|verb| &**verb).collect();
        format!("{} {}", may.join(" "), right.on.value)
    });
    let rights: Vec<String> = rights.collect();
    add("rights", (!rights.is_empty()).then(|| rights.join("; ")));
    add("renewed by", workload.renew.as_ref().map(|text| checked.project.shown(checked.verdict, text)));
    add("time to stop", Some(duration::show(workload.stop_time()).to_string()));
    facts
}

fn container_of<'a>(
    checked: Checked<'a>,
    workload: &'a Workload,
    sidecar: Option<&'a Sidecar>,
    container: &'a Container,
) -> ContainerOf<'a> {
    let once = sidecar.is_some_and(|sidecar| sidecar.once);
    let sidecar = sidecar.map(|sidecar| &*sidecar.name);
    let model = checked.model();
    let texts = |texts: &Option<Box<[Text]>>| -> Option<Vec<String>> {
        let texts = texts.as_ref()?;
        Some(texts.iter().map(|text| checked.project.shown(checked.verdict, text)).collect())
    };
    let own = workload.ports().iter().filter(|port| {
        let of = port.sidecar.and_then(|index| workload.sidecars.get(index.index()));
        of.map(|sidecar| &*sidecar.name) == sidecar
    });
    ContainerOf {
        sidecar,
        once,
        image: container.image.value.text(),
        build: container.build.map(|build| &*model.builds[build].name),
        fetch: container.fetch.map(|fetch| fetch.value.word()),
        program: texts(&container.program),
        args: texts(&container.args),
        workdir: container.workdir.as_ref().map(|folder| &*folder.value),
        user: container.user.as_ref().map(|user| {
            let user = user.value;
            user.gid.map_or_else(|| user.uid.to_string(), |gid| format!("{}:{gid}", user.uid))
        }),
        confine: container.confine.value.word(),
        cpu: Size::of(container.cpu.as_ref()),
        memory: Size::of(container.memory.as_ref()),
        variables: variables(checked, workload, sidecar),
        mounts: container.mounts.iter().map(|mount| mount_of(checked, mount)).collect(),
        ports: own
            .map(|port| PortOf {
                name: &port.name,
                number: port.number.value,
                protocol: port.protocol.word(),
                reach: port.reach.value.word(),
            })
            .collect(),
        health: container.health.as_ref().map(|health| health_of(checked, workload, health)),
        before_stop: container.before_stop.as_ref().map(|before| match &before.value {
            BeforeStop::Wait(time) => format!("waits {}", duration::show(*time)),
            BeforeStop::Run(words) => format!("runs {}", command(&shown(checked, words))),
        }),
        sizes: [bounds(container.cpu.as_ref()), bounds(container.memory.as_ref())],
    }
}

/// Every variable of a container, with the layer that sets it.
fn variables(checked: Checked<'_>, workload: &Workload, sidecar: Option<&str>) -> Vec<Variable> {
    let Checked { project, verdict } = checked;
    let owner = [workload.kind_word(), &workload.name].map(str::to_owned);
    let below = sidecar.map(|sidecar| ["beside".to_owned(), sidecar.to_owned()]);
    let path: Vec<String> =
        owner.into_iter().chain(below.into_iter().flatten()).chain(["env".to_owned()]).collect();
    let Trace::Written(leaves) = project.trace(verdict, &path) else { return Vec::new() };
    let variable = |leaf: &fracht_core::trace::Leaf| {
        let step = leaf.steps.first()?;
        // The last key of the path.
        let name = fracht_core::grammar::path::parse(&leaf.path).ok()?.pop()?;
        Some(Variable {
            name,
            value: leaf.value().to_owned(),
            layer: project.layer_words(step.layer),
            place: json::place(step.span, checked.sources()),
            location: checked.sources().location(step.span),
        })
    };
    leaves.iter().filter_map(variable).collect()
}

fn mount_of(checked: Checked<'_>, mount: &Mount) -> MountOf {
    let model = checked.model();
    let keyed = |kind: &str, name: &str, key: &Option<Arc<str>>| match key {
        Some(key) => format!("{kind}.{name}/{key}"),
        None => format!("{kind}.{name}"),
    };
    let from = match &mount.what {
        Mounted::Volume(id) => {
            let volume = &model.volumes[*id];
            format!("volume.{}, {}", volume.name, storage(model, volume))
        }
        Mounted::Config(id, key) => keyed("config", &model.configs[*id].name, key),
        Mounted::Secret(id, key) => keyed("secret", &model.secrets[*id].name, key),
        Mounted::Scratch(scratch) => {
            let size = scratch.size.as_ref().map_or_else(String::new, |size| format!(", at most {size}"));
            let shared = scratch.shared.as_ref();
            let shared = shared.map_or_else(String::new, |name| format!(", shared as {name}"));
            format!("an empty folder{size}{shared}")
        }
        Mounted::Folder(path) => format!("folder {}", path.display()),
    };
    let part = mount.part.as_ref().map_or_else(String::new, |part| format!(", its {part}"));
    let is_file = matches!(mount.what, Mounted::Config(..) | Mounted::Secret(..));
    MountOf {
        path: mount.path.to_string(),
        from: from + &part,
        read_only: is_file || model.is_read_only(mount),
        mode: mount.mode.map(|mode| format!("{mode:04o}")),
    }
}

fn health_of(checked: Checked<'_>, workload: &Workload, health: &Health) -> HealthOf {
    let port = |index| workload.port(index).map_or("?", |port| &*port.name);
    let check = match &health.probe {
        Probe::Http { path, port: index } => format!("GET {path} at {}", port(*index)),
        Probe::Tcp { port: index } => format!("a connection to {}", port(*index)),
        Probe::Grpc { port: index } => format!("a gRPC health check at {}", port(*index)),
        Probe::Run { command: words } => command(&shown(checked, words)),
    };
    let tries = health.boot_tries();
    let restart = health.restart_after.value;
    HealthOf {
        check,
        every_seconds: health.every.value.as_secs_f64(),
        timeout_seconds: health.timeout.value.as_secs_f64(),
        boot_tries: tries,
        given_up_after_seconds: health.time_of(tries).as_secs_f64(),
        fails: health.fails.value,
        out_after_seconds: health.time_of(health.fails.value).as_secs_f64(),
        restart_after: restart,
        restarted_after_seconds: (restart > 0).then(|| health.time_of(restart).as_secs_f64()),
    }
}

/// The words of a command, with stars in place of secrets.
fn shown(checked: Checked<'_>, words: &[Sourced<Arc<str>>]) -> Vec<String> {
    words.iter().map(|word| checked.project.shown_word(checked.verdict, word)).collect()
}

/// A command as a person reads it: words with blanks in quotes.
fn command(words: &[String]) -> String {
    let word = |word: &String| {
        if word.is_empty() || word.contains(char::is_whitespace) { format!("'{word}'") } else { word.clone() }
    };
    words.iter().map(word).collect::<Vec<_>>().join(" ")
}
