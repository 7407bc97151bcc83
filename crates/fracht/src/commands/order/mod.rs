//! `fracht order`

mod beside;
mod document;
mod timeline;

use std::collections::BTreeSet;

use fracht_core::diag::listing;
use fracht_core::escape::escaped;
use fracht_core::grammar::duration;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Kind, Model, WorkloadId};
use fracht_core::plan::facts::Facts;
use fracht_core::plan::order::{Chain, Order as Plan, Wait, allowed_time};
use fracht_core::plan::timeline::{Slot, needed_by, waiting_for};
use fracht_core::source::Sources;

use self::document::Scheduled;
use crate::beside::{Beside, Pick, Wanted};
use crate::cli::{Format, Order};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, ERROR, QUIET, WIDTH};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted};

pub(crate) fn run(args: &Order, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (mut project, verdict) = stack::unseen(&args.plan)?;
    let asked = Wanted { beside: &args.beside, stack: &args.plan.stack, pick: Pick::OneOfKind };
    let beside = crate::beside::open(asked, &mut project, &verdict, ui)?;
    let report = crate::beside::report(&verdict, &beside);
    ui.errors(&report, project.sources());
    let part = Part::of(&verdict.facts, args, &beside)?;
    let sources = project.sources();
    match args.plan.format {
        Format::Text => ui.result(&text(&part, sources))?,
        Format::Json => ui.json(&document::of(&part, sources))?,
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

/// The part of a start order that is shown.
struct Part<'a> {
    facts: &'a Facts,
    model: &'a Model,
    plan: &'a Plan,
    only: Option<WorkloadId>,
    behind: Option<WorkloadId>,
    /// What is in it; `None` for all.
    among: Option<BTreeSet<WorkloadId>>,
    slots: Vec<Slot>,
    chain: Option<Chain>,
    beside: &'a [Beside],
}

impl<'a> Part<'a> {
    fn of(facts: &'a Facts, args: &Order, beside: &'a [Beside]) -> Result<Self, Failure> {
        let (model, plan) = (&facts.model, &facts.order);
        let only = args.only.as_deref().map(|name| stack::workload(model, name)).transpose()?;
        let behind = args.behind.as_deref().map(|name| stack::workload(model, name)).transpose()?;
        let among = match (only, behind) {
            (Some(id), _) => Some(needed_by(model, id)),
            (None, Some(id)) => Some(waiting_for(model, id)),
            (None, None) => None,
        };
        let is_in = |id: WorkloadId| among.as_ref().is_none_or(|among| among.contains(&id));
        let mut slots = fracht_core::plan::timeline::timeline(model, plan);
        slots.retain(|slot| is_in(slot.id));
        let chain = plan.longest_chain_among(model, is_in);
        Ok(Self { facts, model, plan, only, behind, among, slots, chain, beside })
    }

    /// Whether a service or task is in it.
    fn has(&self, id: WorkloadId) -> bool {
        self.among.as_ref().is_none_or(|among| among.contains(&id))
    }

    /// The waves with their numbers, without those that are empty.
    fn waves(&self) -> Vec<(usize, Vec<WorkloadId>)> {
        let waves = self.plan.waves.iter().enumerate();
        let waves = waves.map(|(index, wave)| {
            (index + 1, wave.iter().copied().filter(|id| self.has(*id)).collect::<Vec<_>>())
        });
        waves.filter(|(_, wave)| !wave.is_empty()).collect()
    }

    /// The cycles.
    fn cycles(&self) -> Vec<&'a Vec<Wait>> {
        let is_in = |cycle: &&Vec<Wait>| cycle.iter().any(|wait| self.has(wait.from));
        self.plan.cycles.iter().filter(is_in).collect()
    }
}

fn name(model: &Model, id: WorkloadId) -> &str {
    &model.workloads[id].name
}

fn text(part: &Part<'_>, sources: &Sources) -> String {
    let Part { model, plan, .. } = part;
    let waves = part.waves();
    let starts = waves.iter().map(|(_, wave)| wave.len()).sum::<usize>();
    let count = counted(waves.len(), "wave");
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let mut out = format!("{BOLD}{stack}, target {target}{BOLD:#}: ");
    out.push_str(&match (part.only, part.behind) {
        (Some(id), _) if model.workloads[id].is_scheduled() => {
            format!("{starts} services and tasks start before {} runs\n\n", name(model, id))
        }
        (Some(id), _) => format!("{starts} start in {count} until {} serves\n\n", name(model, id)),
        (None, Some(id)) => match part.among.as_ref().map_or(starts, BTreeSet::len) - 1 {
            0 => format!("nothing waits for {}\n\n", name(model, id)),
            others => format!("{others} wait for {}, directly or through others\n\n", name(model, id)),
        },
        (None, None) => format!("{starts} services and tasks start in {count}\n\n"),
    });
    let mut table = Table::new(["wave", "name", "waits for", "until", "location", "takes up to"]);
    for (number, wave) in &waves {
        let mut number = number.to_string();
        for id in wave {
            let workload = &model.workloads[*id];
            let time = allowed_time(workload).map(|time| duration::show(time).to_string());
            let first = [
                Cell::styled(std::mem::take(&mut number), BOLD),
                workload.reference().into(),
                Cell::default(),
                Cell::default(),
                Cell::default(),
                time.map_or_else(|| Cell::styled("unknown", QUIET), Into::into),
            ];
            let mut row = first;
            for after in &workload.after {
                row[2] = name(model, after.on).into();
                row[3] = after.condition.word().into();
                row[4] = Cell::styled(sources.location(after.span), QUIET);
                table.row(std::mem::take(&mut row));
            }
            if workload.after.is_empty() {
                row[2] = Cell::styled("–", QUIET);
                table.row(row);
            }
        }
    }
    if !waves.is_empty() {
        out.push_str(&table.show());
    }
    let cycles = part.cycles();
    for cycle in &cycles {
        out.push_str(&drawn(model, cycle, sources));
    }
    let in_cycles = |id: WorkloadId| plan.cycles.iter().flatten().any(|wait| wait.from == id);
    let blocked = |id: &&WorkloadId| !in_cycles(**id) && part.has(**id);
    let behind: Vec<&str> = plan.stuck.iter().filter(blocked).map(|id| name(model, *id)).collect();
    if !behind.is_empty() {
        out.push_str(&format!("\nBlocked by the cycle, will never start: {}\n", behind.join(", ")));
    }
    for Scheduled { name, schedule, zone } in scheduled(part) {
        let zone = zone.map_or_else(String::new, |zone| format!(" ({zone})"));
        out.push_str(&match schedule {
            "on demand" => format!("\nOn demand: task.{name}\n"),
            times => format!("\nScheduled: task.{name}, {times}{zone}\n"),
        });
    }
    out.push_str(&timeline::text(model, plan, &part.slots, part.chain.as_ref()));
    if let Some(chain) = &part.chain {
        let names: Vec<&str> = chain.links.iter().map(|id| name(model, *id)).collect();
        let time = duration::show(chain.time);
        let unknown: Vec<&str> = chain.unknown.iter().map(|id| name(model, *id)).collect();
        let chain = format!("Longest chain: {}", names.join(" → "));
        out.push_str(&format!(
            "\n{}\n",
            textwrap::fill(&chain, textwrap::Options::new(WIDTH).subsequent_indent("  "))
        ));
        out.push_str(&match unknown.as_slice() {
            [] => format!("  up to {time}, by the limits in the stack\n"),
            unknown => format!(
                "  up to {time}, plus {}: no limit set {QUIET}(health.boot, timeout){QUIET:#}\n",
                listing(unknown.iter().copied())
            ),
        });
    }
    if let Some(id) = part.only {
        out.push_str(&without_waiting(part, id));
    }
    out.push_str(&beside::text(part));
    out
}

/// What a service or task uses without waiting for it.
fn without_waiting(part: &Part<'_>, id: WorkloadId) -> String {
    let reach = part.facts.reach();
    let Some(caller) = reach.callers.iter().find(|caller| caller.who == id) else { return String::new() };
    let others = caller.uses.iter().filter(|other| **other != id && !part.has(**other));
    let others: Vec<&str> = others.map(|other| name(part.model, *other)).collect();
    match others.as_slice() {
        [] => String::new(),
        others => format!(
            "\n{} also uses, without waiting for it: {}\n",
            name(part.model, id),
            listing(others.iter().copied())
        ),
    }
}

/// The tasks with a schedule.
fn scheduled<'a>(part: &Part<'a>) -> Vec<Scheduled<'a>> {
    let one = |id: &WorkloadId| {
        let workload = &part.model.workloads[*id];
        let Kind::Task(task) = &workload.kind else { return None };
        let schedule = match &task.schedule.as_ref()?.value {
            Schedule::OnDemand => "on demand",
            Schedule::Times(times) => times,
        };
        Some(Scheduled { name: &workload.name, schedule, zone: task.zone.as_ref().map(|zone| &*zone.value) })
    };
    part.plan.scheduled.iter().filter(|id| part.has(**id)).filter_map(one).collect()
}

/// A cycle as lines, one per wait.
fn drawn(model: &Model, cycle: &[Wait], sources: &Sources) -> String {
    let width = cycle.iter().map(|wait| name(model, wait.from).len()).max().unwrap_or(0);
    let mut out = format!("\n{ERROR}Cycle: none of these can start{ERROR:#}\n");
    for (index, wait) in cycle.iter().enumerate() {
        let corner = if index == 0 { "┌▶" } else { "│ " };
        let from = name(model, wait.from);
        let until = wait.condition.word();
        let place = sources.location(wait.span);
        out.push_str(&format!(
            "  {corner} {from:width$}  waits until {} is {until}  {QUIET}{place}{QUIET:#}\n",
            name(model, wait.on)
        ));
    }
    out.push_str("  └──\n");
    out
}
