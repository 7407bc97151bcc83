//! `fracht start`

mod conflicts;
mod view;
mod watch;

use std::sync::Mutex;
use std::thread;
use std::time::{Duration, Instant};

use fracht_engine::api::EngineError;
use fracht_engine::desired::{Container, Desired, Replica};
use fracht_engine::ending::Ending;
use fracht_engine::probe::in_words;
use fracht_engine::run::{Ended, Event, Failed, Runner};
use fracht_engine::steps::{ImageIds, Need, Steps};

use self::view::View;
use crate::cli::Start;
use crate::engine::{self, Machine};
use crate::failure::{Failure, Outcome};
use crate::images;
use crate::secrets::{self, Values};
use crate::ui::style::{BOLD, GOOD, QUIET};
use crate::ui::{Ui, counted};
use crate::veil::Veil;

/// How often a run goes on if something was changed meanwhile.
const MOST_ROUNDS: usize = 2;

/// The first pause between two looks at a container.
const PAUSE: Duration = Duration::from_millis(25);

pub(crate) fn run(args: &Start, ui: &mut Ui) -> Result<Outcome, Failure> {
    if args.watch { watch::run(args, ui) } else { once(args, ui) }
}

/// Starts the stack once.
fn once(args: &Start, ui: &mut Ui) -> Result<Outcome, Failure> {
    let begun = Instant::now();
    let Some(machine) = engine::open(&args.machine, ui)? else { return Ok(Outcome::Problems) };
    let names = machine.named(&args.names)?;
    let values = secrets::values(machine.model(), machine.project.files())?;
    let veil = Veil::over(&values);
    let desired = machine.desired(&Values(&values))?;
    let chosen = desired.chosen(&names);
    // Two runs at once would undo what the other does.
    let alone = machine.alone(ui);
    let wanted = containers(&desired, &chosen);
    let (actual, looked) = thread::scope(|scope| {
        let looked = scope.spawn(|| images::look(&machine.engine, &wanted));
        (machine.actual_beside(&desired), looked.join().unwrap_or_default())
    });
    let actual = actual?;
    if conflicts::found(&machine, (&desired, &chosen), &actual, (args.is_practice, ui))? {
        return Ok(Outcome::Problems);
    }
    let images = images::fetch(&machine, (&wanted, looked), args.skip_builds, ui)?;
    let ids: ImageIds = images.iter().map(|(name, image)| (name.clone(), image.id.clone())).collect();
    let steps = Steps::of(&desired, &chosen, &actual, &ids);
    let run = |steps: &Steps, ui: &mut Ui| {
        let view = Mutex::new(View::new(&machine, (&desired, &chosen), &veil, ui));
        let watch = |event: Event| {
            if let Ok(mut view) = view.lock() {
                view.event(event);
            }
        };
        let (engine, desired, images) = (&machine.engine, &desired, &images);
        let runner = Runner { engine, desired, steps, images, watch: &watch, pause: PAUSE };
        let ended = view::ticking(&view, || runner.run());
        if let Ok(mut view) = view.into_inner() {
            view.end();
        }
        ended.map_err(|error| covered_failure(&error, &veil))
    };
    let mut ended = run(&steps, ui)?;
    // An engine may carry out what a run asked for that was killed meanwhile.
    for _ in 0..MOST_ROUNDS {
        let left = Steps::of(&desired, &chosen, &machine.actual()?, &ids);
        if left.is_empty() || !ended.failed.is_empty() {
            break;
        }
        ended = run(&left, ui)?;
    }
    let is_good = ended.failed.is_empty() && ended.blocked.is_empty();
    if !is_good {
        failures(&desired, &ended, &veil, ui);
        if args.back {
            take_back(&machine, &desired, &ended, ui)?;
        }
        drop(alone);
        return Ok(Outcome::Problems);
    }
    drop(alone);
    ui.result(&summary(&machine, &desired, (&chosen, &steps), begun.elapsed()))?;
    Ok(Outcome::Fine)
}

/// The containers of the units that are chosen.
fn containers<'d>(desired: &'d Desired, chosen: &[bool]) -> Vec<&'d Container> {
    let units = desired.units.iter().zip(chosen).filter(|(_, chosen)| **chosen);
    units.flat_map(|(unit, _)| unit.replicas.iter().flat_map(Replica::containers)).collect()
}

/// An error of the engine, whose words may repeat what it was sent.
fn covered_failure(error: &EngineError, veil: &Veil) -> Failure {
    match engine::failure(error) {
        Failure::Error { message, help } => Failure::Error { message: veil.cover(&message), help },
        other @ Failure::ReaderGone => other,
    }
}

/// Prints what failed, with its last lines, and what was not started.
fn failures(desired: &Desired, ended: &Ended, veil: &Veil, ui: &mut Ui) {
    for Failed { shown, reason, log, .. } in &ended.failed {
        let lines: Vec<String> = log.iter().map(|line| veil.cover(&line.text)).collect();
        ui.failed(&format!("`{shown}` failed: {}", veil.cover(reason)), &lines);
    }
    for (unit, on) in &ended.blocked {
        let Some(unit) = desired.units.get(*unit) else { continue };
        ui.note(&format!("`{}` was not started: it waits for {}", unit.name, on.join(", ")));
    }
    let first = ended.failed.first().and_then(|first| desired.units.get(first.unit));
    if let Some(unit) = first {
        let name = &unit.name;
        ui.hint(&format!("see all of its output with `fracht output {name}`; the rest stays as it is"));
    }
}

/// Removes what this run has started, the last first.
fn take_back(machine: &Machine, desired: &Desired, ended: &Ended, ui: &mut Ui) -> Result<(), Failure> {
    for name in ended.started.iter().rev() {
        let container = desired.containers().find(|(_, _, container)| container.name == *name);
        let ending = container.map_or_else(Ending::short, |(_, _, container)| container.ending.clone());
        ending.end(&machine.engine, name).map_err(|error| engine::failure(&error))?;
    }
    ui.note(&format!("removed what was started: {}", counted(ended.started.len(), "container")));
    Ok(())
}

/// What runs, and the ways in.
fn summary(
    machine: &Machine,
    desired: &Desired,
    (chosen, steps): (&[bool], &Steps),
    time: Duration,
) -> String {
    let (mut all, mut new, mut kept) = (0, 0, 0);
    for (unit, steps) in desired.units.iter().zip(&steps.units) {
        for (replica, steps) in unit.replicas.iter().zip(steps.iter().flatten()) {
            let needs = std::iter::once(steps.main).chain(steps.beside.iter().copied());
            for need in needs {
                all += 1;
                *(if need == Need::Keep { &mut kept } else { &mut new }) += 1;
            }
            if steps.main.is_new() {
                all += replica.before.len();
                new += replica.before.len();
            }
        }
    }
    let (stack, target) = (&machine.owner.stack, &machine.owner.target);
    let mut out = if new == 0 {
        format!(
            "{GOOD}{stack} serves{GOOD:#} on {target}: nothing to change, {}\n",
            counted(all, "container")
        )
    } else {
        let kept = if kept == 0 { String::new() } else { format!(", {kept} unchanged") };
        format!(
            "{GOOD}{stack} serves{GOOD:#} on {target} after {}: {} started{kept}\n",
            in_words(time),
            counted(new, "container")
        )
    };
    let left_out: Vec<&str> = desired
        .units
        .iter()
        .zip(chosen)
        .filter(|(unit, chosen)| unit.is_scheduled() && !**chosen)
        .map(|(unit, _)| &*unit.name)
        .collect();
    out.push_str(&ways_in(machine));
    if !left_out.is_empty() {
        let first = left_out.first().copied().unwrap_or_default();
        out.push_str(&format!(
            "\n{QUIET}Not run here by itself: {}. Run one with `fracht once {first}`.{QUIET:#}\n",
            left_out.join(", ")
        ));
    }
    out.push_str(&limits(machine));
    out
}

/// The open ports with their addresses and logins.
fn ways_in(machine: &Machine) -> String {
    let model = machine.model();
    let plan = machine.verdict.facts.reach();
    if plan.open_ports.is_empty() {
        return format!("\nNo port is open to this machine. Open one with {BOLD}reach = \"node\"{BOLD:#}.\n");
    }
    format!("\n{}", super::reach::ways_in(model, plan))
}

/// What is not as in a cluster.
fn limits(machine: &Machine) -> String {
    let model = machine.model();
    let uses = machine.verdict.facts.reach();
    let several = model.workloads.entries().filter(|(id, one)| {
        one.service().is_some_and(|service| service.replicas.value.least() > 1)
            && uses.callers.iter().any(|caller| caller.makes_use_of(model, *id))
    });
    let several: Vec<&str> = several.map(|(_, one)| &*one.name).collect();
    if several.is_empty() {
        return String::new();
    }
    format!(
        "\n{QUIET}The name of {} leads to all of its replicas, always in the same order: a client that takes the first\naddress uses only that one. In a cluster, connections are spread.{QUIET:#}\n",
        several.join(", ")
    )
}
