//! The start order: waves, and how long starting may take as far as the stack limits it.

use std::time::Duration;

use crate::graph::{Edge, Graph};
use crate::model::{Condition, Id, Kind, Model, Workload, WorkloadId};
use crate::source::Span;

/// The start order of a model.
#[derive(Clone, Debug)]
pub struct Order {
    /// The services and tasks of each wave. Those of the first wave wait for nothing.
    pub waves: Vec<Vec<WorkloadId>>,
    /// Tasks with a schedule. They are in no wave, and nothing waits for them.
    pub scheduled: Vec<WorkloadId>,
    /// Cycles, each edge with its place. What is in a cycle or depends on one is in no wave.
    pub cycles: Vec<Vec<Wait>>,
    /// The services and tasks that cannot start because of a cycle.
    pub stuck: Vec<WorkloadId>,
    wave_of: Vec<Option<usize>>,
}

/// A service or task waits for another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Wait {
    /// The one that waits.
    pub from: WorkloadId,
    /// The one that it waits for.
    pub on: WorkloadId,
    /// The state that it waits for.
    pub condition: Condition,
    /// Where it is written.
    pub span: Span,
}

/// The chain of waits that may take the longest.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Chain {
    /// Its services and tasks, from the first to the last.
    pub links: Vec<WorkloadId>,
    /// The sum of the known time limits.
    pub time: Duration,
    /// The services and tasks without a time limit, in the order of the chain.
    pub unknown: Vec<WorkloadId>,
}

/// The most cycles that are reported. More would hide the first.
const MOST_CYCLES: usize = 20;

impl Order {
    /// The start order of `model`.
    pub fn of(model: &Model) -> Self {
        let edges = |workload: &Workload| {
            let after = workload.after.iter().enumerate();
            after.map(|(label, after)| Edge { to: after.on.index(), label }).collect()
        };
        let graph = Graph { edges: model.workloads.iter().map(edges).collect() };
        let wave_of = graph.waves();
        let count = wave_of.iter().flatten().max().copied().unwrap_or(0);
        let mut waves = vec![Vec::new(); count];
        let (mut stuck, mut scheduled) = (Vec::new(), Vec::new());
        for (index, wave) in wave_of.iter().enumerate() {
            let id = Id::new(index);
            match wave.and_then(|wave| waves.get_mut(wave - 1)) {
                Some(_) if model.workloads[id].is_scheduled() => scheduled.push(id),
                Some(wave) => wave.push(id),
                None => stuck.push(id),
            }
        }
        while waves.last().is_some_and(Vec::is_empty) {
            waves.pop();
        }
        let cycles = if stuck.is_empty() { Vec::new() } else { graph.cycles(MOST_CYCLES) };
        let wait = |(node, edge): (usize, Edge)| {
            let from = Id::new(node);
            let after = model.workloads[from].after.get(edge.label)?;
            Some(Wait { from, on: after.on, condition: after.condition, span: after.span })
        };
        let cycles = cycles.into_iter().map(|cycle| cycle.into_iter().filter_map(wait).collect()).collect();
        Self { waves, scheduled, cycles, stuck, wave_of }
    }

    /// The wave of a service or task, from 1; `None` if it cannot start or has a schedule.
    pub fn wave(&self, id: WorkloadId) -> Option<usize> {
        self.wave_of.get(id.index()).copied().flatten()
    }

    /// The chain that may take the longest, by the time limits of the stack: how long a service may take to start and
    /// a task to end. Of two chains with the same known time, the one with more unknown times is longer. `None` if no
    /// time limit is set.
    pub fn longest_chain(&self, model: &Model) -> Option<Chain> {
        self.longest_chain_among(model, |_| true)
    }

    /// The same among some of the services and tasks.
    pub fn longest_chain_among(&self, model: &Model, is_in: impl Fn(WorkloadId) -> bool) -> Option<Chain> {
        let mut best: Vec<(Length, Option<WorkloadId>)> =
            vec![(Length::default(), None); model.workloads.len()];
        let mut last: Option<(Length, WorkloadId)> = None;
        for id in self.waves.iter().flatten().copied().filter(|id| is_in(*id)) {
            let workload = &model.workloads[id];
            let before = workload
                .after
                .iter()
                .filter(|after| after.condition != Condition::Started && is_in(after.on))
                .map(|after| (best.get(after.on.index()).map_or(Length::default(), |b| b.0), after.on))
                .max_by_key(|(length, on)| (*length, std::cmp::Reverse(*on)));
            let mut length = before.map_or(Length::default(), |(length, _)| length);
            match allowed_time(workload) {
                Some(time) => length.known = length.known.saturating_add(time),
                None => length.unknown += 1,
            }
            if let Some(slot) = best.get_mut(id.index()) {
                *slot = (length, before.map(|(_, on)| on));
            }
            if last.is_none_or(|(most, _)| length > most) {
                last = Some((length, id));
            }
        }
        let (length, end) = last.filter(|(length, _)| !length.known.is_zero())?;
        let mut links = vec![end];
        let mut at = end;
        while let Some((_, Some(before))) = best.get(at.index()) {
            links.push(*before);
            at = *before;
        }
        links.reverse();
        let is_unknown = |id: &WorkloadId| allowed_time(&model.workloads[*id]).is_none();
        let unknown = links.iter().copied().filter(is_unknown).collect();
        Some(Chain { links, time: length.known, unknown })
    }
}

/// How long a chain may take: the known time, then the number of unknown times.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Length {
    known: Duration,
    unknown: usize,
}

/// The pauses of a cluster between the tries of a task: 10 seconds, then twice the previous one, at most 6 minutes
/// (Job, batch/v1).
fn pauses(retries: u32) -> Duration {
    let pause = |retry: u32| Duration::from_secs(10 << retry.min(10)).min(Duration::from_secs(360));
    (0..retries).map(pause).sum()
}

/// The longest time until a service is ready or a task is done, with all tries and the pauses between them; `None` if
/// no time limit is set.
pub fn allowed_time(workload: &Workload) -> Option<Duration> {
    match &workload.kind {
        Kind::Service(_) => workload.main.health.as_ref().map(|health| health.boot.value),
        Kind::Task(task) => {
            let (timeout, retries) = (task.timeout?.value, task.retries.value);
            // The limit then applies to each try alone, since waiting at a gate does not count.
            Some(if workload.has_gates() {
                timeout.saturating_mul(retries + 1).saturating_add(pauses(retries))
            } else {
                timeout
            })
        }
    }
}
