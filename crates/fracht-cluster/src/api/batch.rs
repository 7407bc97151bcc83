//! Tasks (batch/v1).

use super::{Metadata, PodTemplateSpec, Str, kinds, parts};

kinds! {
    /// A task that runs once.
    "batch/v1" Job {
        metadata: Metadata,
        spec: JobSpec,
    }

    /// A task with a schedule.
    "batch/v1" CronJob {
        metadata: Metadata,
        spec: CronJobSpec,
    }
}

parts! {
    JobSpec {
        backoff_limit: i32,
        active_deadline_seconds: Option<i64>,
        pod_failure_policy: Option<PodFailurePolicy>,
        template: PodTemplateSpec,
    }

    PodFailurePolicy {
        rules: Vec<PodFailurePolicyRule>,
    }

    PodFailurePolicyRule {
        action: Str,
        on_exit_codes: PodFailurePolicyOnExitCodesRequirement,
    }

    PodFailurePolicyOnExitCodesRequirement {
        container_name: Option<Str>,
        operator: Str,
        values: Vec<i32>,
    }

    CronJobSpec {
        schedule: Str,
        time_zone: Option<Str>,
        suspend: Option<bool>,
        concurrency_policy: Option<Str>,
        job_template: JobTemplateSpec,
    }

    JobTemplateSpec {
        spec: JobSpec,
    }
}
