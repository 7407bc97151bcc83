//! When each service and task starts at the latest, as far as the limits of the stack tell.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use super::order::{Order, allowed_time};
use crate::model::{Condition, Model, WorkloadId};

/// When a service or task starts at the latest, and when it is ready or done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Slot {
    /// The service or task.
    pub id: WorkloadId,
    /// The time from the start of the stack to its own start.
    pub start: Duration,
    /// How long it may take; `None` if no limit is set.
    pub takes: Option<Duration>,
    /// Whether it waits, maybe through others, for something without a limit, so that it may start later.
    pub after_unknown: bool,
}

impl Slot {
    /// The time from the start of the stack until it is ready or done, as far as it is known.
    pub fn end(&self) -> Duration {
        self.start.saturating_add(self.takes.unwrap_or_default())
    }
}

/// The slots of everything in a wave, wave by wave.
pub fn timeline(model: &Model, order: &Order) -> Vec<Slot> {
    let mut slots: BTreeMap<WorkloadId, Slot> = BTreeMap::new();
    let mut all = Vec::new();
    for id in order.waves.iter().flatten().copied() {
        let workload = &model.workloads[id];
        let (mut start, mut after_unknown) = (Duration::ZERO, false);
        for after in &workload.after {
            let Some(before) = slots.get(&after.on) else { continue };
            let is_started = after.condition == Condition::Started;
            start = start.max(if is_started { before.start } else { before.end() });
            after_unknown |= before.after_unknown || (!is_started && before.takes.is_none());
        }
        let slot = Slot { id, start, takes: allowed_time(workload), after_unknown };
        slots.insert(id, slot);
        all.push(slot);
    }
    all
}

/// A service or task, and all that it waits for, directly or through others.
pub fn needed_by(model: &Model, id: WorkloadId) -> BTreeSet<WorkloadId> {
    closure(id, |id| model.workloads[id].after.iter().map(|after| after.on).collect())
}

/// A service or task, and all that waits for it, directly or through others.
pub fn waiting_for(model: &Model, id: WorkloadId) -> BTreeSet<WorkloadId> {
    let mut followers: BTreeMap<WorkloadId, Vec<WorkloadId>> = BTreeMap::new();
    for (id, workload) in model.workloads.entries() {
        for after in &workload.after {
            followers.entry(after.on).or_default().push(id);
        }
    }
    closure(id, |id| followers.get(&id).cloned().unwrap_or_default())
}

/// Everything that can be reached in steps from `start`, with itself.
fn closure(start: WorkloadId, next: impl Fn(WorkloadId) -> Vec<WorkloadId>) -> BTreeSet<WorkloadId> {
    let (mut found, mut open) = (BTreeSet::from([start]), vec![start]);
    while let Some(id) = open.pop() {
        open.extend(next(id).into_iter().filter(|id| found.insert(*id)));
    }
    found
}
