//! What a service or a task uses: that whose address the stack gives it, and that for which it waits.

use std::collections::BTreeSet;

use crate::model::{Address, OutsideId, Part, Workload, WorkloadId};

/// The services and external services that a workload uses.
pub(super) fn used(workload: &Workload) -> (BTreeSet<WorkloadId>, BTreeSet<OutsideId>) {
    let (mut services, mut outside) = (BTreeSet::new(), BTreeSet::new());
    for part in workload.texts().flat_map(|(_, text)| &text.parts) {
        match part {
            Part::Known { address: Some(Address::Service(id, _)), .. } => _ = services.insert(*id),
            Part::Known { address: Some(Address::Outside(id)), .. } => _ = outside.insert(*id),
            _ => {}
        }
    }
    let waits = workload.after.iter().filter(|after| after.condition.is_of_health());
    services.extend(waits.map(|after| after.on));
    (services, outside)
}
