//! The groups of objects, in the order in which to apply them.

/// A group of objects.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Group {
    Namespace = 1,
    Rights = 2,
    Storage = 3,
    Settings = 4,
    Addresses = 5,
    /// Before the pods that they protect, so that no pod is unprotected at any time.
    Policies = 6,
    Workloads = 7,
    Entries = 8,
    Others = 9,
}

impl Group {
    /// The group in which objects of a kind are applied. Unknown kinds come last.
    pub(crate) fn of(kind: &str) -> Self {
        match kind {
            "Namespace" | "CustomResourceDefinition" | "PriorityClass" | "ResourceQuota" | "LimitRange" => {
                Self::Namespace
            }
            "ServiceAccount" | "Role" | "RoleBinding" | "ClusterRole" | "ClusterRoleBinding" => Self::Rights,
            "StorageClass" | "PersistentVolume" | "PersistentVolumeClaim" => Self::Storage,
            "ConfigMap" | "Secret" => Self::Settings,
            "Service" | "EndpointSlice" | "Endpoints" => Self::Addresses,
            "Pod" | "Deployment" | "StatefulSet" | "DaemonSet" | "ReplicaSet" | "Job" | "CronJob" => {
                Self::Workloads
            }
            "NetworkPolicy" => Self::Policies,
            "Ingress" | "IngressClass" | "HTTPRoute" | "PodDisruptionBudget" | "HorizontalPodAutoscaler" => {
                Self::Entries
            }
            _ => Self::Others,
        }
    }
}
