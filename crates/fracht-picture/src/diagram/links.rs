//! The links of a diagram: who uses whom, who waits for whom, what starts before what.

use std::collections::BTreeSet;

use fracht_core::model::{PortIndex, WorkloadId};

use super::LinkKind;
use super::build::{Builder, services};

impl Builder<'_> {
    /// Who uses and who waits for whom.
    pub(super) fn uses(&mut self) {
        for (id, workload) in self.model.workloads.entries() {
            let Some(from) = self.of_workload.get(&id).copied() else { continue };
            let mut used = BTreeSet::new();
            for (other, port) in services(self.model, workload) {
                let Some(to) = self.of_workload.get(&other).copied().filter(|_| other != id) else {
                    continue;
                };
                used.insert(other);
                let ports = self.model.workloads[other].ports().len();
                let port = port.map(PortIndex::index).or((ports == 1).then_some(0));
                self.link(from, to, port.filter(|port| *port < ports), LinkKind::Uses);
            }
            for after in workload.after.iter().filter(|after| !used.contains(&after.on)) {
                if let Some(to) = self.of_workload.get(&after.on).copied().filter(|to| *to != from) {
                    self.link(from, to, None, LinkKind::Waits);
                }
            }
        }
        if let Some(only) = self.choice.only.and_then(|only| self.of_workload.get(&only)).copied() {
            self.links.retain(|link| link.from == only || link.to == only || link.kind == LinkKind::Opens);
        }
    }

    /// What starts before what.
    pub(super) fn waves(&mut self) {
        let chain = self.facts.order.longest_chain(self.model);
        let links = chain.map_or_else(Vec::new, |chain| chain.links);
        let is_longest = |one: WorkloadId, next: WorkloadId| links.windows(2).any(|pair| pair == [one, next]);
        for (id, workload) in self.model.workloads.entries() {
            let Some(to) = self.of_workload.get(&id).copied() else { continue };
            for after in &workload.after {
                if let Some(from) = self.of_workload.get(&after.on).copied().filter(|from| *from != to) {
                    self.link(from, to, None, LinkKind::Before(is_longest(after.on, id)));
                }
            }
        }
        if let Some(only) = self.choice.only.and_then(|only| self.of_workload.get(&only)).copied() {
            self.links.retain(|link| link.from == only || link.to == only);
        }
    }
}
