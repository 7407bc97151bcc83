//! `fracht once`

use std::collections::BTreeMap;
use std::sync::Arc;

use fracht_engine::api::{Engine, EngineError};
use fracht_engine::desired::names::ONCE;
use fracht_engine::desired::{Container, Desired, Unit};
use fracht_engine::run::one::{self, OneProgram};

use crate::cli::Once;
use crate::engine::{self, Machine};
use crate::failure::{Failure, Outcome};
use crate::images::{self, Images};
use crate::secrets::{self, Values};
use crate::terminal::{self, Interrupted, Session};
use crate::ui::Ui;

pub(crate) fn run(args: &Once, ui: &mut Ui) -> Result<Outcome, Failure> {
    let Some(machine) = engine::open(&args.machine, ui)? else { return Ok(Outcome::Problems) };
    let ids = machine.named(std::slice::from_ref(&args.name))?;
    let values = secrets::values(machine.model(), machine.project.files())?;
    let desired = machine.desired(&Values(&values))?;
    let unit = desired.units.iter().find(|unit| ids.contains(&unit.id));
    let Some((unit, replica)) = unit.and_then(|unit| Some((unit, unit.replicas.first()?))) else {
        let message = format!("`{}` has no replicas", args.name);
        return Err(Failure::new(message, "set `replicas` to 1 or more"));
    };
    if args.program.is_empty() && !unit.is_task() {
        let message = format!("`{}` is a service, which does not end", unit.reference);
        return Err(Failure::new(message, format!("name a program: `fracht once {} -- PROGRAM`", unit.name)));
    }
    let images = {
        let main = [&replica.main];
        images::fetch(&machine, (&main, images::look(&machine.engine, &main)), false, ui)?
    };
    missing_before(&machine, &desired, unit, ui)?;
    let tty = terminal::is_there() && !args.program.is_empty();
    let program = OneProgram {
        name: machine.owner.name(&format!("{}.once-{}", unit.name, std::process::id())),
        label: (ONCE.to_owned(), unit.name.clone()),
        program: args.program.clone(),
        tty,
    };
    let engine = Arc::new(machine.engine);
    let ended = execute(&engine, &desired, (&replica.main, &images), &program);
    let removed = engine.remove(&program.name);
    let code = ended?;
    removed.map_err(|error| engine::failure(&error))?;
    Ok(Outcome::Ended(u8::try_from(code).unwrap_or(u8::MAX)))
}

/// Runs the program to its end, and returns its exit code.
fn execute(
    engine: &Arc<Engine>,
    desired: &Desired,
    (container, images): (&Container, &Images),
    program: &OneProgram,
) -> Result<i64, Failure> {
    let failed = |error: EngineError| engine::failure(&error);
    one::prepare(engine, desired, container).map_err(failed)?;
    one::create(engine, (container, images), program).map_err(failed)?;
    let (for_interrupt, name) = (Arc::clone(engine), program.name.clone());
    let interrupted = Interrupted::then(move || _ = for_interrupt.remove(&name));
    let attached = engine.attach_to(&program.name).map_err(failed)?;
    engine.start(&program.name).map_err(failed)?;
    let resize = |size| _ = engine.resize_container(&program.name, size);
    Session { attached, tty: program.tty, resize: &resize }.run()?;
    if interrupted.was() {
        // As shells tell it: 128 and the number of the signal.
        return Ok(130);
    }
    engine.wait(&program.name).map_err(failed)
}

/// Notes what the service or task waits for in the start order, and does not run.
fn missing_before(machine: &Machine, desired: &Desired, unit: &Unit, ui: &mut Ui) -> Result<(), Failure> {
    let actual = machine.actual()?;
    let running: BTreeMap<&str, bool> =
        actual.containers.values().map(|seen| (&*seen.of, seen.is_running)).collect();
    let before = unit.after.iter().filter_map(|(on, _)| desired.units.get(*on));
    let missing: Vec<&str> = before
        .filter(|on| !on.is_task() && running.get(&*on.reference) != Some(&true))
        .map(|on| &*on.name)
        .collect();
    if !missing.is_empty() {
        ui.note(&format!("{} does not run, which `{}` waits for", missing.join(", "), unit.name));
    }
    Ok(())
}
