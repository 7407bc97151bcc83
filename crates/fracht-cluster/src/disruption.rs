//! `PodDisruptionBudget` (policy/v1) of a service with several replicas: when nodes are drained, one pod at a time is
//! removed.

use fracht_core::model::{Model, Workload};
use k8s_openapi::api::policy::v1::{PodDisruptionBudget, PodDisruptionBudgetSpec};
use k8s_openapi::apimachinery::pkg::util::intstr::IntOrString;

use crate::labels;

/// Whether a workload has enough replicas that some can keep running.
pub(crate) fn is_for(workload: &Workload) -> bool {
    workload.service().is_some_and(|service| service.replicas.value.least() >= 2)
}

pub(crate) fn disruption_budget(model: &Model, workload: &Workload) -> PodDisruptionBudget {
    PodDisruptionBudget {
        metadata: labels::side_meta(model, workload),
        spec: Some(PodDisruptionBudgetSpec {
            max_unavailable: Some(IntOrString::Int(1)),
            selector: Some(labels::label_selector(model, workload)),
            ..PodDisruptionBudgetSpec::default()
        }),
        status: None,
    }
}
