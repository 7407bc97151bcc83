//! Job (batch/v1) of a task. A Job can't be changed: its name has a digest of what it does, so that a
//! changed task is a new Job and an unchanged one stays done.

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{Kind, Workload};
use k8s_openapi::api::batch::v1::{Job, JobSpec};

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::{labels, pod};
use fracht_core::digest::short;

pub(crate) fn job(rendering: &Rendering<'_>, workload: &Workload) -> Job {
    let model = rendering.model();
    let spec = spec(rendering, workload);
    Job {
        metadata: labels::meta(model, job_name(workload, &spec), labels::of_workload(model, workload)),
        spec: Some(spec),
        status: None,
    }
}

/// The name of a task's Job. Those of the tasks that it waits for must be known.
pub(crate) fn name(rendering: &Rendering<'_>, workload: &Workload) -> String {
    job_name(workload, &spec(rendering, workload))
}

fn job_name(workload: &Workload, spec: &JobSpec) -> String {
    // A struct of plain fields: writing it can't fail.
    let content = serde_json::to_vec(spec).unwrap_or_default();
    let digest = short(&content);
    format!("{}-{digest}", fitted(&workload.name, LABEL - digest.len() - 1))
}

fn spec(rendering: &Rendering<'_>, workload: &Workload) -> JobSpec {
    let (retries, timeout) = match &workload.kind {
        Kind::Task(task) => (task.retries.value, task.timeout),
        Kind::Service(_) => (0, None),
    };
    JobSpec {
        backoff_limit: Some(i32::try_from(retries).unwrap_or(i32::MAX)),
        active_deadline_seconds: timeout.map(|timeout| whole_seconds(timeout.value).into()),
        template: pod::template(rendering, workload, Some("Never")),
        ..JobSpec::default()
    }
}
