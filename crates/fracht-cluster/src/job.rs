//! Job and `CronJob` (batch/v1) of a task. A Job can't be changed: its name has a digest of what it does, so
//! that a changed task is a new Job and an unchanged one stays done.

use fracht_core::digest::short;
use fracht_core::grammar::duration::whole_seconds;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::model::{Kind, Overlap, Workload};
use k8s_openapi::api::batch::v1::{CronJob, CronJobSpec, Job, JobSpec, JobTemplateSpec};

use crate::name::{LABEL, fitted};
use crate::rendering::Rendering;
use crate::{labels, pod};

/// The longest name that leaves room for what the cluster adds to it in the names of its Jobs.
const LONGEST: usize = LABEL - 11;
/// A time for a task that only runs when somebody asks: the object needs one, and is suspended.
const NEVER: &str = "0 0 1 1 *";

pub(crate) fn job(rendering: &Rendering<'_>, workload: &Workload) -> Job {
    let spec = spec(rendering, workload);
    Job {
        metadata: labels::workload_meta(rendering.model(), workload, job_name(workload, &spec)),
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

/// The name of a scheduled task's `CronJob`.
pub(crate) fn cron_name(workload: &Workload) -> String {
    fitted(&workload.name, LONGEST)
}

pub(crate) fn cron_job(rendering: &Rendering<'_>, workload: &Workload) -> CronJob {
    let task = match &workload.kind {
        Kind::Task(task) => Some(task),
        Kind::Service(_) => None,
    };
    let schedule = task.and_then(|task| task.schedule.as_ref()).map(|schedule| &schedule.value);
    let (schedule, asleep) = match schedule {
        Some(Schedule::Times(times)) => (times.to_string(), None),
        Some(Schedule::OnDemand) | None => (NEVER.to_owned(), Some(true)),
    };
    let overlap = task.map(|task| task.overlap.value);
    CronJob {
        metadata: labels::workload_meta(rendering.model(), workload, cron_name(workload)),
        spec: Some(CronJobSpec {
            schedule,
            suspend: asleep,
            time_zone: task.and_then(|task| task.zone.as_ref()).map(|zone| zone.value.to_string()),
            concurrency_policy: match overlap {
                Some(Overlap::Skip) => Some("Forbid".into()),
                Some(Overlap::Replace) => Some("Replace".into()),
                Some(Overlap::Allow) | None => None,
            },
            job_template: JobTemplateSpec { metadata: None, spec: Some(spec(rendering, workload)) },
            ..CronJobSpec::default()
        }),
        status: None,
    }
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
