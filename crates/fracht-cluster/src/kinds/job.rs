//! Job (batch/v1) of a task. A Job cannot be changed, so its name contains a digest of its content: a changed task
//! becomes a new Job, and an unchanged one stays done.

use fracht_core::digest::short;
use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{TaskPart, Workload};

use crate::api::{
    Job, JobSpec, Metadata, PodFailurePolicy, PodFailurePolicyOnExitCodesRequirement, PodFailurePolicyRule,
    Str, json, json_bytes,
};
use crate::facts::ClusterFacts;
use crate::name::{LABEL, in_stack, shortened};
use crate::pod::Once;
use crate::{gate, labels, pod};

/// The Job of a task that runs once, with its name.
pub(crate) fn job(facts: &ClusterFacts<'_>, workload: &Workload, task: &TaskPart, name: Option<Str>) -> Job {
    let metadata = Metadata { name, ..labels::workload_meta(facts.model, workload) };
    Job::new(metadata, spec(facts, workload, task))
}

/// The name of a task's Job. The names of the tasks that it waits for must be known.
pub(crate) fn name(facts: &ClusterFacts<'_>, workload: &Workload, task: &TaskPart) -> Str {
    let mut content = json(&spec(facts, workload, task));
    // In the order of the alphabet, so that the digest does not depend on the order in which fields are written.
    content.sort_all_objects();
    let digest = short(&json_bytes(&content));
    format!("{}-{digest}", shortened(&in_stack(facts.model, &workload.name), LABEL - digest.len() - 1)).into()
}

pub(super) fn spec(facts: &ClusterFacts<'_>, workload: &Workload, task: &TaskPart) -> JobSpec {
    let timeout = task.timeout.map(|time| i64::from(whole_seconds(time.value)));
    // A time limit of the Job would include the time at a gate, and end the Job for good. A limit of the pod is
    // extended by that time.
    let waiting = gate::longest_wait(facts.model, workload);
    let (of_job, of_pod) =
        if waiting == 0 { (timeout, None) } else { (None, timeout.map(|time| time + waiting)) };
    let once = Once { within: of_pod.map(|time| time.min(MOST_SECONDS)) };
    JobSpec {
        backoff_limit: i32::try_from(task.retries.value).unwrap_or(i32::MAX),
        active_deadline_seconds: of_job.map(|time| time.min(MOST_SECONDS)),
        pod_failure_policy: ignored_gate_failures(facts, workload),
        template: pod::template(facts, workload, Some(once)),
    }
}

/// The longest time limit in seconds that a cluster accepts.
const MOST_SECONDS: i64 = i32::MAX as i64;

/// The rule that a gate that gives up does not count as a try: the cluster starts another pod.
fn ignored_gate_failures(facts: &ClusterFacts<'_>, workload: &Workload) -> Option<PodFailurePolicy> {
    /// The most rules that a policy may have.
    const MOST: usize = 20;
    let ignore = |container_name| PodFailurePolicyRule {
        action: "Ignore".into(),
        on_exit_codes: PodFailurePolicyOnExitCodesRequirement {
            container_name,
            operator: "In".into(),
            values: vec![gate::GAVE_UP],
        },
    };
    let gates = gate::gates(facts, workload);
    let rules = match gates.len() {
        0 => return None,
        1..=MOST => gates.into_iter().map(|gate| ignore(Some(gate.name))).collect(),
        _ => vec![ignore(None)],
    };
    Some(PodFailurePolicy { rules })
}
