//! `fracht order`

use fracht_core::diag::listing;
use fracht_core::escape::escaped;
use fracht_core::grammar::duration;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Kind, Model, WorkloadId};
use fracht_core::plan::order::{Order as Plan, allowed_time};
use fracht_core::source::Sources;
use serde::Serialize;

use crate::cli::{Format, Order};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, ERROR, QUIET};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted, json};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct OrderDocument<'a> {
    stack: &'a str,
    target: &'a str,
    waves: Vec<Vec<Start<'a>>>,
    scheduled: Vec<Scheduled<'a>>,
    #[serde(rename = "circles")]
    cycles: Vec<Vec<Wait<'a>>>,
    stuck: Vec<&'a str>,
    longest_chain: Option<Chain<'a>>,
}

#[derive(Serialize)]
struct Start<'a> {
    name: &'a str,
    kind: &'a str,
    waits_for: Vec<Wait<'a>>,
    /// The most seconds until it is ready or done; null without a time limit.
    may_take_seconds: Option<f64>,
}

#[derive(Serialize)]
struct Scheduled<'a> {
    name: &'a str,
    /// Five fields, or `on demand`.
    schedule: &'a str,
    zone: Option<&'a str>,
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

pub(crate) fn run(args: &Order, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (project, verdict) = stack::planned(&args.plan, ui)?;
    let sources = project.sources();
    let plan = &verdict.facts.order;
    match args.plan.format {
        Format::Text => ui.result(&text(&verdict.facts.model, plan, sources))?,
        Format::Json => ui.json(&document(&verdict.facts.model, plan, sources))?,
    }
    Ok(Outcome::problems_if(verdict.report.has_errors()))
}

fn name(model: &Model, id: WorkloadId) -> &str {
    &model.workloads[id].name
}

fn text(model: &Model, plan: &Plan, sources: &Sources) -> String {
    let starts = plan.waves.iter().map(Vec::len).sum::<usize>();
    let waves = counted(plan.waves.len(), "wave");
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let mut out =
        format!("{BOLD}{stack}, target {target}{BOLD:#}: {starts} services and tasks start in {waves}\n\n");
    let mut table = Table::new(["wave", "name", "waits for", "until", "location", "takes up to"]);
    for (index, wave) in plan.waves.iter().enumerate() {
        let mut number = (index + 1).to_string();
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
    if !plan.waves.is_empty() {
        out.push_str(&table.show());
    }
    for cycle in &plan.cycles {
        out.push_str(&drawn(model, cycle, sources));
    }
    let in_cycles = |id: &&WorkloadId| plan.cycles.iter().flatten().any(|wait| wait.from == **id);
    let behind: Vec<&str> =
        plan.stuck.iter().filter(|id| !in_cycles(id)).map(|id| name(model, *id)).collect();
    if !behind.is_empty() {
        out.push_str(&format!("\nBlocked by the cycle, will never start: {}\n", behind.join(", ")));
    }
    for Scheduled { name, schedule, zone } in scheduled(model, plan) {
        let zone = zone.map_or_else(String::new, |zone| format!(" ({zone})"));
        out.push_str(&match schedule {
            "on demand" => format!("\nOn demand: task.{name}\n"),
            times => format!("\nScheduled: task.{name}, {times}{zone}\n"),
        });
    }
    if let Some(chain) = plan.longest_chain(model) {
        let names: Vec<&str> = chain.links.iter().map(|id| name(model, *id)).collect();
        let time = duration::show(chain.time);
        let unknown: Vec<&str> = chain.unknown.iter().map(|id| name(model, *id)).collect();
        out.push_str(&format!("\nLongest chain: {}\n", names.join(" → ")));
        out.push_str(&match unknown.as_slice() {
            [] => format!("  up to {time}, by the limits in the stack\n"),
            unknown => format!(
                "  up to {time}, plus {}: no limit set {QUIET}(health.boot, timeout){QUIET:#}\n",
                listing(unknown.iter().copied())
            ),
        });
    }
    out
}

/// The tasks with a schedule.
fn scheduled<'a>(model: &'a Model, plan: &Plan) -> Vec<Scheduled<'a>> {
    let one = |id: &WorkloadId| {
        let workload = &model.workloads[*id];
        let Kind::Task(task) = &workload.kind else { return None };
        let schedule = match &task.schedule.as_ref()?.value {
            Schedule::OnDemand => "on demand",
            Schedule::Times(times) => times,
        };
        Some(Scheduled { name: &workload.name, schedule, zone: task.zone.as_ref().map(|zone| &*zone.value) })
    };
    plan.scheduled.iter().filter_map(one).collect()
}

/// A cycle as lines, one per wait.
fn drawn(model: &Model, cycle: &[fracht_core::plan::order::Wait], sources: &Sources) -> String {
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

fn document<'a>(model: &'a Model, plan: &Plan, sources: &Sources) -> OrderDocument<'a> {
    let wait = |on, until, span| Wait { name: name(model, on), until, place: json::place(span, sources) };
    let start = |id: &WorkloadId| {
        let workload = &model.workloads[*id];
        let after = workload.after.iter();
        Start {
            name: &workload.name,
            kind: workload.kind_word(),
            waits_for: after.map(|after| wait(after.on, after.condition.word(), after.span)).collect(),
            may_take_seconds: allowed_time(workload).map(|time| time.as_secs_f64()),
        }
    };
    let cycle = |cycle: &Vec<fracht_core::plan::order::Wait>| {
        cycle.iter().map(|edge| wait(edge.from, edge.condition.word(), edge.span)).collect()
    };
    OrderDocument {
        stack: &model.name.value,
        target: &model.target.name,
        waves: plan.waves.iter().map(|wave| wave.iter().map(start).collect()).collect(),
        scheduled: scheduled(model, plan),
        cycles: plan.cycles.iter().map(cycle).collect(),
        stuck: plan.stuck.iter().map(|id| name(model, *id)).collect(),
        longest_chain: plan.longest_chain(model).map(|chain| Chain {
            names: chain.links.iter().map(|id| name(model, *id)).collect(),
            seconds: chain.time.as_secs_f64(),
            unknown: chain.unknown.iter().map(|id| name(model, *id)).collect(),
        }),
    }
}
