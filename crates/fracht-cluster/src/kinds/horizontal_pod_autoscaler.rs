//! `HorizontalPodAutoscaler` (autoscaling/v2) of a service that scales with load.

use fracht_core::model::{Model, Workload};

use crate::api::{
    CrossVersionObjectReference, HorizontalPodAutoscaler, HorizontalPodAutoscalerSpec, MetricSpec,
    MetricTarget, ResourceMetricSource,
};
use crate::labels;
use crate::name::workload_name;

/// The numbers between which a service scales, and the load to aim for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Scale {
    /// The smallest number of replicas.
    pub(crate) min: u32,
    /// The largest number of replicas.
    pub(crate) max: u32,
    /// The average CPU load, in percent of the request.
    pub(crate) cpu: u32,
}

pub(crate) fn autoscaler(model: &Model, workload: &Workload, scale: Scale) -> HorizontalPodAutoscaler {
    let number = |number: u32| i32::try_from(number).unwrap_or(i32::MAX);
    let kind = if model.has_stable_names(workload) { "StatefulSet" } else { "Deployment" };
    let load = ResourceMetricSource {
        name: "cpu".into(),
        target: MetricTarget { type_: "Utilization".into(), average_utilization: number(scale.cpu) },
    };
    let spec = HorizontalPodAutoscalerSpec {
        scale_target_ref: CrossVersionObjectReference {
            api_version: "apps/v1".into(),
            kind: kind.into(),
            name: workload_name(model, workload).into(),
        },
        min_replicas: number(scale.min),
        max_replicas: number(scale.max),
        metrics: vec![MetricSpec { type_: "Resource".into(), resource: load }],
    };
    HorizontalPodAutoscaler::new(labels::side_meta(model, workload), spec)
}
