//! `PodDisruptionBudget` (policy/v1) of a service with several replicas: when nodes are drained, one pod at a time is
//! removed.

use fracht_core::model::{Model, Workload};

use crate::api::{IntOrName, PodDisruptionBudget, PodDisruptionBudgetSpec};
use crate::labels;

/// Whether a workload has enough replicas that some can keep running.
pub(crate) fn is_for(workload: &Workload) -> bool {
    workload.service().is_some_and(|service| service.replicas.value.least() >= 2)
}

pub(crate) fn disruption_budget(model: &Model, workload: &Workload) -> PodDisruptionBudget {
    let spec = PodDisruptionBudgetSpec {
        max_unavailable: IntOrName::Int(1),
        selector: labels::label_selector(model, workload),
    };
    PodDisruptionBudget::new(labels::side_meta(model, workload), spec)
}
