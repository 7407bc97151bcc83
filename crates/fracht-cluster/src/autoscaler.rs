//! `HorizontalPodAutoscaler` (autoscaling/v2) of a service that scales with load.

use fracht_core::model::{Model, Replicas, Workload};
use k8s_openapi::api::autoscaling::v2::{
    CrossVersionObjectReference, HorizontalPodAutoscaler, HorizontalPodAutoscalerSpec, MetricSpec,
    MetricTarget, ResourceMetricSource,
};

use crate::labels;
use crate::name::workload_name;

pub(crate) fn autoscaler(model: &Model, workload: &Workload) -> HorizontalPodAutoscaler {
    let replicas = workload.service().map(|service| service.replicas.value);
    let (min, max, cpu) = match replicas {
        Some(Replicas::Growing { min, max, cpu }) => (min, max, cpu),
        Some(Replicas::Fixed(count)) => (count, count, 100),
        None => (1, 1, 100),
    };
    let number = |number: u32| i32::try_from(number).unwrap_or(i32::MAX);
    let kind = if model.has_stable_names(workload) { "StatefulSet" } else { "Deployment" };
    let load = ResourceMetricSource {
        name: "cpu".into(),
        target: MetricTarget {
            type_: "Utilization".into(),
            average_utilization: Some(number(cpu)),
            ..MetricTarget::default()
        },
    };
    HorizontalPodAutoscaler {
        metadata: labels::side_meta(model, workload),
        spec: Some(HorizontalPodAutoscalerSpec {
            scale_target_ref: CrossVersionObjectReference {
                api_version: Some("apps/v1".into()),
                kind: kind.into(),
                name: workload_name(model, workload),
            },
            min_replicas: Some(number(min)),
            max_replicas: number(max),
            metrics: Some(vec![MetricSpec {
                type_: "Resource".into(),
                resource: Some(load),
                ..MetricSpec::default()
            }]),
            behavior: None,
        }),
        status: None,
    }
}
