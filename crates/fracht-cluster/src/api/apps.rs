//! Services that run (apps/v1).

use super::{IntOrName, LabelSelector, Metadata, PersistentVolumeClaim, PodTemplateSpec, Str, kinds, parts};

kinds! {
    /// Pods that replace each other.
    "apps/v1" Deployment {
        metadata: Metadata,
        spec: DeploymentSpec,
    }

    /// Pods that keep their names.
    "apps/v1" StatefulSet {
        metadata: Metadata,
        spec: StatefulSetSpec,
    }
}

parts! {
    DeploymentSpec {
        replicas: Option<i32>,
        selector: LabelSelector,
        strategy: Option<DeploymentStrategy>,
        template: PodTemplateSpec,
    }

    DeploymentStrategy {
        type_: Option<Str>,
        rolling_update: Option<RollingUpdateDeployment>,
    }

    RollingUpdateDeployment {
        max_surge: Option<IntOrName>,
        max_unavailable: Option<IntOrName>,
    }

    StatefulSetSpec {
        service_name: Str,
        replicas: Option<i32>,
        selector: LabelSelector,
        template: PodTemplateSpec,
        volume_claim_templates: Vec<PersistentVolumeClaim>,
    }
}
