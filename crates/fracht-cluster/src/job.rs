//! Job and `CronJob` (batch/v1) of a task. A Job cannot be changed, so its name contains a digest of its content: a
//! changed task becomes a new Job, and an unchanged one stays done.

use fracht_core::digest::short;
use fracht_core::grammar::duration::whole_seconds;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::model::{Kind, Model, Overlap, Workload};
use k8s_openapi::api::batch::v1::{
    CronJob, CronJobSpec, Job, JobSpec, JobTemplateSpec, PodFailurePolicy,
    PodFailurePolicyOnExitCodesRequirement, PodFailurePolicyRule,
};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::name::{LABEL, in_stack, shortened};
use crate::pod::Once;
use crate::rendering::Rendering;
use crate::{gate, labels, pod};

/// A schedule for a task that only runs on demand: the object needs one, and is suspended.
const NEVER: &str = "0 0 1 1 *";

pub(crate) fn job(rendering: &Rendering<'_>, workload: &Workload) -> Job {
    let spec = spec(rendering, workload);
    Job {
        metadata: ObjectMeta {
            name: Some(job_name(rendering.model(), workload, &spec)),
            ..labels::workload_meta(rendering.model(), workload)
        },
        spec: Some(spec),
        status: None,
    }
}

/// The name of a task's Job. The names of the tasks that it waits for must be known.
pub(crate) fn name(rendering: &Rendering<'_>, workload: &Workload) -> String {
    job_name(rendering.model(), workload, &spec(rendering, workload))
}

fn job_name(model: &Model, workload: &Workload, spec: &JobSpec) -> String {
    // A struct of plain fields: writing it cannot fail.
    let content = serde_json::to_vec(spec).unwrap_or_default();
    let digest = short(&content);
    format!("{}-{digest}", shortened(&in_stack(model, &workload.name), LABEL - digest.len() - 1))
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
        metadata: labels::workload_meta(rendering.model(), workload),
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
        Kind::Task(task) => {
            (task.retries.value, task.timeout.map(|time| i64::from(whole_seconds(time.value))))
        }
        Kind::Service(_) => (0, None),
    };
    // A time limit of the Job would include the time at a gate, and end the Job for good. A limit of the pod is
    // extended by that time.
    let waiting = gate::longest_wait(rendering.model(), workload);
    let (of_job, of_pod) =
        if waiting == 0 { (timeout, None) } else { (None, timeout.map(|time| time + waiting)) };
    JobSpec {
        backoff_limit: Some(i32::try_from(retries).unwrap_or(i32::MAX)),
        active_deadline_seconds: of_job.map(|time| time.min(MOST_SECONDS)),
        pod_failure_policy: ignored_gate_failures(rendering, workload),
        template: pod::template(
            rendering,
            workload,
            Some(Once { within: of_pod.map(|time| time.min(MOST_SECONDS)) }),
        ),
        ..JobSpec::default()
    }
}

/// The longest time limit in seconds that a cluster accepts.
const MOST_SECONDS: i64 = i32::MAX as i64;

/// The rule that a gate that gives up does not count as a try: the cluster starts another pod.
fn ignored_gate_failures(rendering: &Rendering<'_>, workload: &Workload) -> Option<PodFailurePolicy> {
    /// The most rules that a policy may have.
    const MOST: usize = 20;
    let ignore = |container_name| PodFailurePolicyRule {
        action: "Ignore".into(),
        on_exit_codes: Some(PodFailurePolicyOnExitCodesRequirement {
            container_name,
            operator: "In".into(),
            values: vec![gate::GAVE_UP],
        }),
        on_pod_conditions: None,
    };
    let gates = gate::gates(rendering, workload);
    let rules = match gates.len() {
        0 => return None,
        1..=MOST => gates.into_iter().map(|gate| ignore(Some(gate.name))).collect(),
        _ => vec![ignore(None)],
    };
    Some(PodFailurePolicy { rules })
}
