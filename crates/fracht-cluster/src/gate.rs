//! Start gates: init containers that hold a pod back until what it waits for is there.
//!
//! `ready` asks at the inner address of the service, which answers only while a ready pod stands behind
//! it. `done` asks the cluster for the Job itself, with a token that only the gate can read and that
//! allows nothing but reading that Job.

use fracht_core::model::{After, Condition, Model, Port, Probe, Protocol, Workload, WorkloadId};
use k8s_openapi::api::core::v1::{
    Capabilities, ConfigMapProjection, Container, KeyToPath, ProjectedVolumeSource, SecurityContext,
    ServiceAccountTokenProjection, Volume, VolumeMount, VolumeProjection,
};

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;

/// Has a shell and `nc`.
const READY_IMAGE: &str = "busybox:1.37.0";
/// Has a shell and `curl`.
const DONE_IMAGE: &str = "curlimages/curl:8.11.1";
/// The volume with the token and the certificate of the cluster, and where it is mounted.
const TOKEN_VOLUME: &str = "fracht-gate";
const TOKEN_FOLDER: &str = "/run/fracht-gate";
/// Who runs the gate where the stack does not say: `nobody`.
const NOBODY: i64 = 65534;

/// The gates of a workload, in the order of its `after`.
pub(crate) fn gates(rendering: &Rendering<'_>, workload: &Workload) -> Vec<Container> {
    let gate = |after: &After| match after.condition {
        Condition::Started => None,
        Condition::Ready => ready(rendering.model(), workload, after.on),
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
    let asked = on.service()?.health.as_ref().and_then(|health| match health.probe {
        Probe::Http { port, .. } | Probe::Tcp { port } => on.port(port),
        Probe::Run { .. } => None,
    });
    asked
        .filter(|port| port.protocol == Protocol::Tcp)
        .or_else(|| on.ports().iter().find(|port| port.protocol == Protocol::Tcp))
}

fn ready(model: &Model, workload: &Workload, on: WorkloadId) -> Option<Container> {
    let on = &model.workloads[on];
    let (name, port) = (&on.name, readiness_port(on)?.inner_number());
    let script = format!(
        "until nc -z -w 2 {name} {port}; do\n  \
           echo \"waiting for {name}:{port} to be ready\"\n  \
           sleep 2\n\
         done\n\
         echo \"{name} is ready\"\n"
    );
    Some(container(workload, name, READY_IMAGE, script))
}

fn done(rendering: &Rendering<'_>, workload: &Workload, on: WorkloadId) -> Container {
    let model = rendering.model();
    let name = &model.workloads[on].name;
    let namespace = &model.target.namespace.value;
    let job = rendering.job_name(on);
    // The condition's type and status stand side by side in the order of the API's own encoding.
    let script = format!(
        "url=https://kubernetes.default.svc/apis/batch/v1/namespaces/{namespace}/jobs/{job}\n\
         while :; do\n  \
           token=`cat {TOKEN_FOLDER}/token`\n  \
           job=`curl -sS -m 10 --cacert {TOKEN_FOLDER}/ca.crt -H \"Authorization: Bearer $token\" $url | tr -d ' \\n'`\n  \
           case $job in\n    \
             *'\"type\":\"Complete\",\"status\":\"True\"'*) echo \"{name} is done\"; exit 0 ;;\n    \
             *'\"type\":\"Failed\",\"status\":\"True\"'*) echo \"{name} failed: see the log of job {job}\"; exit 1 ;;\n  \
           esac\n  \
           echo \"waiting for {name} to be done\"\n  \
           sleep 2\n\
         done\n"
    );
    let mut container = container(workload, name, DONE_IMAGE, script);
    container.volume_mounts = Some(vec![VolumeMount {
        name: TOKEN_VOLUME.into(),
        mount_path: TOKEN_FOLDER.into(),
        read_only: Some(true),
        ..VolumeMount::default()
    }]);
    container
}

fn container(workload: &Workload, on: &str, image: &str, script: String) -> Container {
    // Both images run as root by themselves; root may also be what the stack asks for.
    let user = workload.user.is_none_or(|user| user.value.uid == 0).then_some(NOBODY);
    Container {
        name: fitted(&format!("wait-for-{on}"), LABEL),
        image: Some(image.into()),
        command: Some(vec!["/bin/sh".into(), "-c".into(), script]),
        security_context: Some(SecurityContext {
            allow_privilege_escalation: Some(false),
            capabilities: Some(Capabilities { add: None, drop: Some(vec!["ALL".into()]) }),
            read_only_root_filesystem: Some(true),
            run_as_non_root: Some(true),
            run_as_user: user,
            ..SecurityContext::default()
        }),
        ..Container::default()
    }
}
