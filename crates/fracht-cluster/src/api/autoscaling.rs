//! Scaling with load (autoscaling/v2).

use super::{Metadata, Str, kinds, parts};

kinds! {
    /// Sets the number of replicas by their load.
    "autoscaling/v2" HorizontalPodAutoscaler {
        metadata: Metadata,
        spec: HorizontalPodAutoscalerSpec,
    }
}

parts! {
    HorizontalPodAutoscalerSpec {
        scale_target_ref: CrossVersionObjectReference,
        min_replicas: i32,
        max_replicas: i32,
        metrics: Vec<MetricSpec>,
    }

    CrossVersionObjectReference {
        api_version: Str,
        kind: Str,
        name: Str,
    }

    MetricSpec {
        type_: Str,
        resource: ResourceMetricSource,
    }

    ResourceMetricSource {
        name: Str,
        target: MetricTarget,
    }

    MetricTarget {
        type_: Str,
        average_utilization: i32,
    }
}
