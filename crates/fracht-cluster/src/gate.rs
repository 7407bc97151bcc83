//! Start gates: init containers that hold a pod back until what it waits for is there.
//!
//! `ready` asks at the inner address of the service, which answers only while a ready pod stands behind
//! it. `done` asks the cluster for the Job itself, with a token that only the gate can read and that
//! allows nothing but reading that Job.

use fracht_core::grammar::duration::{self, whole_seconds};
use fracht_core::grammar::image::Image;
use fracht_core::model::{After, Condition, Port, Probe, Protocol, Workload, WorkloadId};
use k8s_openapi::api::core::v1::{
    ConfigMapProjection, Container, KeyToPath, ProjectedVolumeSource, ServiceAccountTokenProjection, Volume,
    VolumeMount, VolumeProjection,
};

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::security;

/// The volume with the token and the certificate of the cluster, and where it is mounted.
const TOKEN_VOLUME: &str = "fracht-gate";
const TOKEN_FOLDER: &str = "/run/fracht-gate";
/// The gates of a workload, in the order of its `after`.
pub(crate) fn gates(rendering: &Rendering<'_>, workload: &Workload) -> Vec<Container> {
    let gate = |after: &After| match after.condition {
        Condition::Started => None,
        Condition::Ready => ready(rendering, workload, after.on),
        Condition::Done => Some(done(rendering, workload, after.on)),
    };
    workload.after.iter().filter_map(gate).collect()
}

/// The tasks that a workload waits for until they are done.
pub(crate) fn awaited_tasks(workload: &Workload) -> impl Iterator<Item = WorkloadId> {
    let done = workload.after.iter().filter(|after| after.condition == Condition::Done);
    done.map(|after| after.on)
}

/// The volume that gives the token to the gates; `None` if no gate needs it.
pub(crate) fn token_volume(workload: &Workload) -> Option<Volume> {
    awaited_tasks(workload).next()?;
    let token = VolumeProjection {
        service_account_token: Some(ServiceAccountTokenProjection {
            path: "token".into(),
            expiration_seconds: Some(3600),
            audience: None,
        }),
        ..VolumeProjection::default()
    };
    let certificate = VolumeProjection {
        config_map: Some(ConfigMapProjection {
            name: "kube-root-ca.crt".into(),
            items: Some(vec![KeyToPath { key: "ca.crt".into(), path: "ca.crt".into(), mode: None }]),
            optional: None,
        }),
        ..VolumeProjection::default()
    };
    Some(Volume {
        name: TOKEN_VOLUME.into(),
        projected: Some(ProjectedVolumeSource {
            sources: Some(vec![token, certificate]),
            default_mode: None,
        }),
        ..Volume::default()
    })
}

/// The port at which readiness shows: the one that the check of health asks at, else the first TCP one.
fn readiness_port(on: &Workload) -> Option<&Port> {
    let asked = on.main.health.as_ref().and_then(|health| match health.probe {
        Probe::Http { port, .. } | Probe::Tcp { port } | Probe::Grpc { port } => on.port(port),
        Probe::Run { .. } => None,
    });
    asked
        .filter(|port| port.protocol == Protocol::Tcp)
        .or_else(|| on.ports().iter().find(|port| port.protocol == Protocol::Tcp))
}

/// The beginning of a gate's script: when it gives up.
fn until(rendering: &Rendering<'_>) -> String {
    let seconds = whole_seconds(rendering.model().target.gate.within.value);
    format!("now=`date +%s`\nend=`expr $now + {seconds}`\n")
}

/// What a gate does before it asks again: it says what it waits for, and gives up when its time is over.
fn wait(rendering: &Rendering<'_>, what: &str) -> String {
    let within = duration::show(rendering.model().target.gate.within.value);
    format!(
        "  now=`date +%s`\n  \
           if [ $now -ge $end ]; then echo \"gave up after {within} of waiting for {what}\"; exit 1; fi\n  \
           echo \"waiting for {what}\"\n  \
           sleep 2\n"
    )
}

fn ready(rendering: &Rendering<'_>, workload: &Workload, on: WorkloadId) -> Option<Container> {
    let model = rendering.model();
    let on = &model.workloads[on];
    let (name, port) = (&on.name, readiness_port(on)?.inner_number());
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
    // The condition's type and status stand side by side in the order of the API's own encoding.
    let script = format!(
        "{}job={job}\n\
         url=https://kubernetes.default.svc/apis/batch/v1/namespaces/{namespace}/jobs/$job\n\
         while :; do\n  \
           token=`cat {TOKEN_FOLDER}/token`\n  \
           answer=`curl -sS -m 10 --cacert {TOKEN_FOLDER}/ca.crt -H \"Authorization: Bearer $token\" $url | tr -d ' \\n'`\n  \
           case $answer in\n    \
             *'\"type\":\"Complete\",\"status\":\"True\"'*) echo \"{name} is done\"; exit 0 ;;\n    \
             *'\"type\":\"Failed\",\"status\":\"True\"'*) echo \"{name} failed: see the log of job $job\"; exit 1 ;;\n  \
           esac\n\
         {wait}\
         done\n",
        until(rendering)
    );
    let mut container = container(workload, name, &model.target.gate.done.value, script);
    container.volume_mounts = Some(vec![VolumeMount {
        name: TOKEN_VOLUME.into(),
        mount_path: TOKEN_FOLDER.into(),
        read_only: Some(true),
        ..VolumeMount::default()
    }]);
    container
}

fn container(workload: &Workload, on: &str, image: &Image, script: String) -> Container {
    Container {
        name: fitted(&format!("wait-for-{on}"), LABEL),
        image: Some(image.to_string()),
        command: Some(vec!["/bin/sh".into(), "-c".into(), script]),
        security_context: Some(security::of_gate(workload)),
        ..Container::default()
    }
}
