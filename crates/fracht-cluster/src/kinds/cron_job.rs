//! `CronJob` (batch/v1) of a task with a schedule, or that runs on demand.

use fracht_core::grammar::schedule::Schedule;
use fracht_core::model::{Overlap, TaskPart, Workload};

use super::job;
use crate::api::{CronJob, CronJobSpec, JobTemplateSpec};
use crate::facts::ClusterFacts;
use crate::labels;

/// A schedule for a task that only runs on demand: the object needs one, and is suspended.
const NEVER: &str = "0 0 1 1 *";

pub(crate) fn cron_job(
    facts: &ClusterFacts<'_>,
    workload: &Workload,
    task: &TaskPart,
    schedule: &Schedule,
) -> CronJob {
    let (schedule, suspend) = match schedule {
        Schedule::Times(times) => (times.to_string().into(), None),
        Schedule::OnDemand => (NEVER.into(), Some(true)),
    };
    let spec = CronJobSpec {
        schedule,
        time_zone: task.zone.as_ref().map(|zone| (&zone.value).into()),
        suspend,
        concurrency_policy: match task.overlap.value {
            Overlap::Skip => Some("Forbid".into()),
            Overlap::Replace => Some("Replace".into()),
            Overlap::Allow => None,
        },
        job_template: JobTemplateSpec { spec: job::spec(facts, workload, task) },
    };
    CronJob::new(labels::workload_meta(facts.model, workload), spec)
}
