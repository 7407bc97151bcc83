//! Start gates: init containers that hold a pod back until the services and tasks it waits for are ready or done.
//!
//! `ready.sh` connects to the internal address of the service, which accepts connections only while one of its pods is
//! ready. `done.sh` reads the Job from the cluster's API, with a token that only the gate can read and that allows only
//! reading this Job. In the encoding of the API, the type of a condition and its status are next to each other.
//! `current.sh` reads the Deployment or StatefulSet in the same way, and compares the counts of its status (apps/v1)
//! with what is wanted.

use fracht_core::digest::short;
use fracht_core::grammar::duration::{self, whole_seconds};
use fracht_core::grammar::image::Image;
use fracht_core::model::{After, Condition, Kind, Model, Port, Probe, Protocol, Workload, WorkloadId};

use crate::api::{Container, EnvVar, Map, ResourceRequirements, Str, Volume};
use crate::container::{security, token};
use crate::facts::ClusterFacts;
use crate::name::{LABEL, shortened, workload_name};

/// The exit code of a gate that gives up (`EX_TEMPFAIL`, sysexits.h), which does not count as a failure of its
/// workload.
pub(crate) const GAVE_UP: i32 = 75;

/// The scripts of gates. Their parameters are variables, so that all gates have the same scripts. They use backquotes:
/// the kubelet would expand `$(…)`.
const READY: &str = include_str!("ready.sh");
const DONE: &str = include_str!("done.sh");
const CURRENT: &str = include_str!("current.sh");

/// The volume with the token and the certificate of the API, and where it is mounted.
const TOKEN_VOLUME: &str = "fracht-gate";
const TOKEN_FOLDER: &str = "/run/fracht-gate";

/// The resources of the API (apps/v1) that a gate asks for the state of a rollout.
pub(crate) const DEPLOYMENTS: &str = "deployments";
pub(crate) const STATEFUL_SETS: &str = "statefulsets";

/// The gates of a workload, in the order of its `after`.
pub(crate) fn gates(facts: &ClusterFacts<'_>, workload: &Workload) -> Vec<Container> {
    let gate = |after: &After| match after.condition {
        Condition::Started => None,
        Condition::Ready => ready(facts, workload, after.on),
        Condition::Done => done(facts, workload, after.on),
        Condition::Current => Some(current(facts, workload, after.on)),
    };
    workload.after.iter().filter_map(gate).collect()
}

/// The longest time in seconds that a pod may wait at its gates, which run one after the other; 0 without gates.
pub(crate) fn longest_wait(model: &Model, workload: &Workload) -> i64 {
    let gates = workload.after.iter().filter(|after| after.condition != Condition::Started).count();
    i64::from(whole_seconds(model.target.gate.within.value))
        .saturating_mul(i64::try_from(gates).unwrap_or(i64::MAX))
}

/// What the gates of a workload ask the API for.
pub(crate) fn asked(workload: &Workload) -> impl Iterator<Item = &After> {
    workload.after.iter().filter(|after| after.condition.asks_api())
}

/// Whether a workload needs an account of its own: it or its gates have permissions.
pub(crate) fn needs_account(workload: &Workload) -> bool {
    !workload.rights.is_empty() || asked(workload).next().is_some()
}

/// The volume with the token for the gates; `None` if no gate needs it.
pub(crate) fn token_volume(workload: &Workload) -> Option<Volume> {
    asked(workload).next()?;
    Some(token::projected(TOKEN_VOLUME, token::projections()))
}

/// The port that shows readiness: that of the health check, or the first TCP port.
fn readiness_port(on: &Workload) -> Option<&Port> {
    let asked = on.main.health.as_ref().and_then(|health| match health.probe {
        Probe::Http { port, .. } | Probe::Tcp { port } | Probe::Grpc { port } => Some(&on[port]),
        Probe::Run { .. } => None,
    });
    asked
        .filter(|port| port.protocol == Protocol::Tcp)
        .or_else(|| on.ports().iter().find(|port| port.protocol == Protocol::Tcp))
}

/// The gate for a service; `None` for a service that opens no TCP port, which cannot be waited for.
fn ready(facts: &ClusterFacts<'_>, workload: &Workload, on: WorkloadId) -> Option<Container> {
    let on = &facts.model.workloads[on];
    let port = readiness_port(on)?.as_number().to_string();
    let parameters = [("HOST", Str::from(&on.name)), ("PORT", port.into())];
    Some(container(
        facts.model,
        workload,
        (READY, &facts.model.target.gate.ready.value),
        &on.name,
        parameters,
    ))
}

/// The gate for a task; `None` for a task with a schedule, which has no Job to wait for.
fn done(facts: &ClusterFacts<'_>, workload: &Workload, on: WorkloadId) -> Option<Container> {
    let model = facts.model;
    let task = &model.workloads[on].name;
    let parameters = [("TASK", task.into()), ("JOB", facts.job_name(on)?.clone())];
    Some(of_api(model, workload, (DONE, task), parameters))
}

/// The gate for a new version of a service.
fn current(facts: &ClusterFacts<'_>, workload: &Workload, on: WorkloadId) -> Container {
    let model = facts.model;
    let service = &model.workloads[on];
    let resource = if model.has_stable_names(service) { STATEFUL_SETS } else { DEPLOYMENTS };
    let mut parameters = vec![
        ("SERVICE", (&service.name).into()),
        ("RESOURCE", resource.into()),
        ("NAME", workload_name(model, service).into()),
    ];
    // A task runs again with each version. A service is not restarted: what it waits for was applied before it.
    if matches!(&workload.kind, Kind::Task(task) if task.schedule.is_none()) {
        parameters.extend(facts.version(service).map(|version| ("VERSION", version.clone())));
    }
    of_api(model, workload, (CURRENT, &service.name), parameters)
}

/// A gate that asks the API.
fn of_api(
    model: &Model,
    workload: &Workload,
    (script, on): (&'static str, &str),
    parameters: impl IntoIterator<Item = (&'static str, Str)>,
) -> Container {
    let place = [("NAMESPACE", (&model.target.namespace.value).into()), ("API_FOLDER", TOKEN_FOLDER.into())];
    let parameters = parameters.into_iter().chain(place);
    let mut gate = container(model, workload, (script, &model.target.gate.done.value), on, parameters);
    gate.volume_mounts = vec![token::mount_at(TOKEN_VOLUME, TOKEN_FOLDER)];
    gate
}

fn container(
    model: &Model,
    workload: &Workload,
    (script, image): (&'static str, &Image),
    on: &str,
    parameters: impl IntoIterator<Item = (&'static str, Str)>,
) -> Container {
    let within = model.target.gate.within.value;
    let limit = [
        ("WITHIN", duration::show(within).to_string()),
        ("WITHIN_SECONDS", whole_seconds(within).to_string()),
    ];
    let parameters = parameters.into_iter().chain(limit.map(|(name, value)| (name, value.into())));
    let variable = |(name, value): (&'static str, Str)| EnvVar {
        name: name.into(),
        value: Some(value),
        value_from: None,
    };
    Container {
        name: name(workload, on).into(),
        image: image.text().into(),
        command: Some(vec!["/bin/sh".into(), "-c".into(), script.into()]),
        env: parameters.map(variable).collect(),
        resources: Some(resources()),
        security_context: Some(security::of_gate(workload)),
        ..Container::default()
    }
}

/// The name of a gate. No sidecar may have such a name, but the workload itself may.
fn name(workload: &Workload, on: &str) -> String {
    let name = shortened(&format!("wait-for-{on}"), LABEL);
    if name == *workload.name {
        shortened(&format!("{name}-{}", short(name.as_bytes())), LABEL)
    } else {
        name
    }
}

/// The requests and limits of a gate. A namespace with a quota refuses a pod with a container that has none. Those of
/// the other containers are larger, so that the pod needs no more.
fn resources() -> ResourceRequirements {
    let amounts =
        |cpu: &'static str, memory: &'static str| Map::from_iter([("cpu", cpu), ("memory", memory)]);
    ResourceRequirements { requests: amounts("10m", "16Mi"), limits: amounts("100m", "64Mi") }
}
