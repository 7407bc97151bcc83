//! The JSON of `fracht order --format json`.

use std::collections::BTreeMap;

use fracht_core::grammar::word::Word as _;
use fracht_core::model::WorkloadId;
use fracht_core::plan::order::{Wait as Waits, allowed_time};
use fracht_core::plan::timeline::Slot;
use fracht_core::source::Sources;
use serde::Serialize;

use super::beside::{Needed, needed};
use super::{Part, name, scheduled};
use crate::ui::json;

#[derive(Serialize)]
pub(super) struct OrderDocument<'a> {
    stack: &'a str,
    target: &'a str,
    /// The service or task of `--only`, or null.
    only: Option<&'a str>,
    /// The service or task of `--behind`, or null.
    behind: Option<&'a str>,
    waves: Vec<Vec<Start<'a>>>,
    scheduled: Vec<Scheduled<'a>>,
    #[serde(rename = "circles")]
    cycles: Vec<Vec<Wait<'a>>>,
    stuck: Vec<&'a str>,
    longest_chain: Option<Chain<'a>>,
    beside: Vec<Needed<'a>>,
}

#[derive(Serialize)]
struct Start<'a> {
    name: &'a str,
    kind: &'a str,
    waits_for: Vec<Wait<'a>>,
    /// The latest start in seconds from the start of the stack, as far as limits are set.
    starts_within_seconds: Option<f64>,
    /// True if it waits for something without a limit.
    after_unknown: bool,
    /// The most seconds until it is ready or done; null without a time limit.
    may_take_seconds: Option<f64>,
}

#[derive(Serialize)]
pub(super) struct Scheduled<'a> {
    pub(super) name: &'a str,
    /// Five fields, or `on demand`.
    pub(super) schedule: &'a str,
    pub(super) zone: Option<&'a str>,
}

#[derive(Serialize)]
struct Wait<'a> {
    name: &'a str,
    until: &'a str,
    place: json::Place,
}

#[derive(Serialize)]
struct Chain<'a> {
    names: Vec<&'a str>,
    /// The sum of the known time limits.
    seconds: f64,
    /// The services and tasks without a time limit.
    unknown: Vec<&'a str>,
}

/// The document of a part of a stack.
pub(super) fn of<'a>(part: &Part<'a>, sources: &Sources) -> OrderDocument<'a> {
    let (model, plan) = (part.model, part.plan);
    let wait = |on, until, span| Wait { name: name(model, on), until, place: json::place(span, sources) };
    let slots: BTreeMap<WorkloadId, &Slot> = part.slots.iter().map(|slot| (slot.id, slot)).collect();
    let start = |id: WorkloadId| {
        let workload = &model.workloads[id];
        let after = workload.after.iter();
        let slot = slots.get(&id);
        Start {
            name: &workload.name,
            kind: workload.kind_word(),
            waits_for: after.map(|after| wait(after.on, after.condition.word(), after.span)).collect(),
            starts_within_seconds: slot.map(|slot| slot.start.as_secs_f64()),
            after_unknown: slot.is_some_and(|slot| slot.after_unknown),
            may_take_seconds: allowed_time(workload).map(|time| time.as_secs_f64()),
        }
    };
    let cycle = |cycle: &&Vec<Waits>| {
        cycle.iter().map(|edge| wait(edge.from, edge.condition.word(), edge.span)).collect()
    };
    OrderDocument {
        stack: &model.name.value,
        target: &model.target.name,
        only: part.only.map(|id| name(model, id)),
        behind: part.behind.map(|id| name(model, id)),
        waves: part.waves().into_iter().map(|(_, wave)| wave.into_iter().map(start).collect()).collect(),
        scheduled: scheduled(part),
        cycles: part.cycles().iter().map(cycle).collect(),
        stuck: plan.stuck.iter().filter(|id| part.has(**id)).map(|id| name(model, *id)).collect(),
        longest_chain: part.chain.as_ref().map(|chain| Chain {
            names: chain.links.iter().map(|id| name(model, *id)).collect(),
            seconds: chain.time.as_secs_f64(),
            unknown: chain.unknown.iter().map(|id| name(model, *id)).collect(),
        }),
        beside: part.beside.iter().flat_map(|other| needed(part, other)).collect(),
    }
}
