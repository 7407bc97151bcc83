//! Limits of disruptions (policy/v1).

use super::{IntOrName, LabelSelector, Metadata, kinds, parts};

kinds! {
    /// How many pods may be missing while nodes are drained.
    "policy/v1" PodDisruptionBudget {
        metadata: Metadata,
        spec: PodDisruptionBudgetSpec,
    }
}

parts! {
    PodDisruptionBudgetSpec {
        max_unavailable: IntOrName,
        selector: LabelSelector,
    }
}
