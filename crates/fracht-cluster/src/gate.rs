//! Start gates: init containers that hold a pod back until the services and tasks it waits for are ready or done.
//!
//! `ready` connects to the internal address of the service, which accepts connections only while one of its pods is
//! ready. `done` reads the Job from the cluster's API, with a token that only the gate can read and that allows only
//! reading this Job.

use fracht_core::digest::short;
use fracht_core::grammar::duration::{self, whole_seconds};
use fracht_core::grammar::image::Image;
use fracht_core::model::{After, Condition, Model, Port, Probe, Protocol, Workload, WorkloadId};
use k8s_openapi::api::core::v1::{Container, ResourceRequirements, Volume};
use k8s_openapi::apimachinery::pkg::api::resource::Quantity;

use crate::name::{LABEL, shortened};
use crate::rendering::Rendering;
use crate::{security, token};

/// The exit code of a gate that gives up (`EX_TEMPFAIL`, sysexits.h), which does not count as a failure of its
/// workload.
pub(crate) const GAVE_UP: i32 = 75;

/// The volume with the token and the certificate of the API, and where it is mounted.
const TOKEN_VOLUME: &str = "fracht-gate";
const TOKEN_FOLDER: &str = "/run/fracht-gate";

/// The gates of a workload, in the order of its `after`.
pub(crate) fn gates(rendering: &Rendering<'_>, workload: &Workload) -> Vec<Container> {
    let gate = |after: &After| match after.condition {
        Condition::Started => None,
        Condition::Ready => ready(rendering, workload, after.on),
        Condition::Done => Some(done(rendering, workload, after.on)),
    };
    let context = security::of_gate(workload);
    let confined = |gate| Container { security_context: Some(context.clone()), ..gate };
    workload.after.iter().filter_map(gate).map(confined).collect()
}

/// The longest time in seconds that a pod may wait at its gates, which run one after the other; 0 without gates.
pub(crate) fn longest_wait(model: &Model, workload: &Workload) -> i64 {
    let gates = workload.after.iter().filter(|after| after.condition != Condition::Started).count();
    i64::from(whole_seconds(model.target.gate.within.value))
        .saturating_mul(i64::try_from(gates).unwrap_or(i64::MAX))
}

/// The tasks that a workload waits for until they are done.
pub(crate) fn awaited_tasks(workload: &Workload) -> impl Iterator<Item = WorkloadId> {
    let done = workload.after.iter().filter(|after| after.condition == Condition::Done);
    done.map(|after| after.on)
}

/// The volume with the token for the gates; `None` if no gate needs it.
pub(crate) fn token_volume(workload: &Workload) -> Option<Volume> {
    awaited_tasks(workload).next()?;
    Some(token::projected(TOKEN_VOLUME, token::projections()))
}

/// The port that shows readiness: that of the health check, or the first TCP port.
fn readiness_port(on: &Workload) -> Option<&Port> {
    let asked = on.main.health.as_ref().and_then(|health| match health.probe {
        Probe::Http { port, .. } | Probe::Tcp { port } | Probe::Grpc { port } => on.port(port),
        Probe::Run { .. } => None,
    });
    asked
        .filter(|port| port.protocol == Protocol::Tcp)
        .or_else(|| on.ports().iter().find(|port| port.protocol == Protocol::Tcp))
}

/// The start of a gate's script: it sets the time limit.
fn until(rendering: &Rendering<'_>) -> String {
    let seconds = whole_seconds(rendering.model().target.gate.within.value);
    format!("now=`date +%s`\nend=`expr $now + {seconds}`\n")
}

/// The end of each turn of a gate: it prints what it waits for, and gives up at the time limit.
fn wait(rendering: &Rendering<'_>, what: &str) -> String {
    let within = duration::show(rendering.model().target.gate.within.value);
    format!(
        "  now=`date +%s`\n  \
           if [ $now -ge $end ]; then echo \"gave up after {within} of waiting for {what}\"; exit {GAVE_UP}; fi\n  \
           echo \"waiting for {what}\"\n  \
           sleep 2\n"
    )
}

fn ready(rendering: &Rendering<'_>, workload: &Workload, on: WorkloadId) -> Option<Container> {
    let model = rendering.model();
    let on = &model.workloads[on];
    let (name, port) = (&on.name, readiness_port(on)?.as_number());
    let wait = wait(rendering, &format!("{name}:{port} to be ready"));
    let script = format!(
        "{}until nc -z -w 2 {name} {port}; do\n{wait}done\necho \"{name} is ready\"\n",
        until(rendering)
    );
    Some(container(workload, name, &model.target.gate.ready.value, script))
}

fn done(rendering: &Rendering<'_>, workload: &Workload, on: WorkloadId) -> Container {
    let model = rendering.model();
    let name = &model.workloads[on].name;
    let namespace = &model.target.namespace.value;
    let job = rendering.job_name(on);
    let wait = wait(rendering, &format!("{name} to be done"));
    // In the encoding of the API, the type of a condition and its status are next to each other.
    let script = format!(
        "{}job={job}\n\
         url=https://kubernetes.default.svc/apis/batch/v1/namespaces/{namespace}/jobs/$job\n\
         while :; do\n  \
           token=`cat {TOKEN_FOLDER}/token`\n  \
           answer=`curl -sS -m 10 --cacert {TOKEN_FOLDER}/ca.crt -H \"Authorization: Bearer $token\" $url | tr -d ' \\n'`\n  \
           case $answer in\n    \
             *'\"type\":\"Complete\",\"status\":\"True\"'*) echo \"{name} is done\"; exit 0 ;;\n    \
             *'\"type\":\"Failed\",\"status\":\"True\"'*) echo \"{name} failed: see the log of job $job\"; exit 1 ;;\n    \
             *'\"code\":404'*) echo \"job $job not found: apply the stack again, which runs {name} again\" ;;\n    \
             *'\"code\":403'*) echo \"not allowed to read job $job: apply the stack again\" ;;\n  \
           esac\n\
         {wait}\
         done\n",
        until(rendering)
    );
    let mut container = container(workload, name, &model.target.gate.done.value, script);
    container.volume_mounts = Some(vec![token::mount_at(TOKEN_VOLUME, TOKEN_FOLDER)]);
    container
}

fn container(workload: &Workload, on: &str, image: &Image, script: String) -> Container {
    Container {
        name: name(workload, on),
        image: Some(image.to_string()),
        command: Some(vec!["/bin/sh".into(), "-c".into(), script]),
        resources: Some(resources()),
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
    let amounts = |cpu: &str, memory: &str| {
        let amounts = [("cpu", cpu), ("memory", memory)];
        Some(amounts.map(|(name, amount)| (name.to_owned(), Quantity(amount.to_owned()))).into())
    };
    ResourceRequirements { requests: amounts("10m", "16Mi"), limits: amounts("100m", "64Mi"), claims: None }
}
