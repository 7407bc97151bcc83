//! What a service or a task uses: that whose address the stack gives it, and that to which its start gates connect.

use std::collections::BTreeSet;

use crate::model::{Address, Condition, Model, OutsideId, Workload, WorkloadId};

/// The services and external services that a workload uses.
pub(super) fn used(model: &Model, workload: &Workload) -> (BTreeSet<WorkloadId>, BTreeSet<OutsideId>) {
    let (mut services, mut outside) = (BTreeSet::new(), BTreeSet::new());
    let sure = model.addresses(workload).map(|(address, _)| address);
    for address in sure.chain(model.addresses_of_whole(workload)) {
        match address {
            Address::Service(id, _) => _ = services.insert(id),
            Address::Outside(id, _) => _ = outside.insert(id),
        }
    }
    let waits = workload.after.iter().filter(|after| after.condition == Condition::Ready);
    services.extend(waits.map(|after| after.on));
    (services, outside)
}
