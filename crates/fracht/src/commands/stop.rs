//! `fracht stop`

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, BufRead as _, IsTerminal as _};
use std::sync::Mutex;

use fracht_core::diag::listing;
use fracht_engine::actual::{Actual, Seen};
use fracht_engine::ending::Ending;
use fracht_engine::run::{Stopped, stop, stop_order};

use crate::cli::Stop;
use crate::engine::{self, Machine};
use crate::failure::{Failure, Outcome};
use crate::ui::style::{BOLD, QUIET};
use crate::ui::{Ui, counted};

pub(crate) fn run(args: &Stop, ui: &mut Ui) -> Result<Outcome, Failure> {
    let machine = engine::open_any(&args.machine)?;
    let alone = machine.alone(ui);
    let actual = machine.actual()?;
    let chosen = chosen(&machine, &actual, &args.names)?;
    if args.with_data && !confirmed(&actual, args.yes, ui)? {
        ui.result("Nothing was stopped.\n")?;
        return Ok(Outcome::Fine);
    }
    let model = machine.model();
    let order = &machine.verdict.facts.order;
    let waves: BTreeMap<String, usize> = model
        .workloads
        .entries()
        .map(|(id, one)| (one.reference(), order.wave(id).unwrap_or(usize::MAX)))
        .collect();
    let is_chosen = |seen: &Seen| chosen.as_ref().is_none_or(|chosen| chosen.contains(&seen.of));
    let groups = stop_order(&actual, &waves, is_chosen);
    let ending = |seen: &Seen| {
        let workload = model.workloads.iter().find(|one| one.reference() == seen.of);
        let Some(workload) = workload else { return Ending::short() };
        let sidecar = seen.sidecar.as_ref().and_then(|name| {
            workload.sidecars.iter().find(|sidecar| *sidecar.name == **name).map(|sidecar| &sidecar.container)
        });
        Ending::of(workload, sidecar.unwrap_or(&workload.main))
    };
    let told = Mutex::new(&mut *ui);
    let watch = |shown: &str| {
        if let Ok(mut ui) = told.lock() {
            ui.progress(&format!("stopping {shown}"));
        }
    };
    let scope = (chosen.is_none(), args.with_data);
    let done = stop(&machine.engine, &machine.owner, (&actual, &groups), scope, (&ending, &watch));
    let stopped = done.map_err(|error| engine::failure(&error))?;
    drop(alone);
    ui.result(&text(&machine, &stopped))?;
    Ok(Outcome::Fine)
}

/// The tables whose containers are stopped; `None` for all.
fn chosen(machine: &Machine, actual: &Actual, names: &[String]) -> Result<Option<BTreeSet<String>>, Failure> {
    if names.is_empty() {
        return Ok(None);
    }
    let model = machine.model();
    let find = |name: &String| {
        // One that the stack does not have any more may still run.
        let left = actual.containers.values().map(|seen| &seen.of);
        let mut left =
            left.filter(|of| *of == name || of.split_once('.').is_some_and(|(_, bare)| bare == name));
        match machine.named(std::slice::from_ref(name)) {
            Ok(ids) => Ok(ids.into_iter().map(|id| model.workloads[id].reference()).collect::<Vec<_>>()),
            Err(failure) => left.next().map(|of| vec![of.clone()]).ok_or(failure),
        }
    };
    let found: Result<Vec<Vec<String>>, Failure> = names.iter().map(find).collect();
    Ok(Some(found?.into_iter().flatten().collect()))
}

/// Whether the person wants the data removed.
fn confirmed(actual: &Actual, yes: bool, ui: &mut Ui) -> Result<bool, Failure> {
    let volumes: Vec<&str> =
        actual.volumes.iter().filter(|(_, of)| of.starts_with("volume.")).map(|(name, _)| &**name).collect();
    if yes || volumes.is_empty() {
        return Ok(true);
    }
    let what = format!("{}: {}", counted(volumes.len(), "volume"), listing(volumes.iter().copied()));
    if !io::stdin().is_terminal() {
        let message = format!("`--with-data` removes the data of {what}");
        return Err(Failure::new(message, "add `--yes` to remove it without a question"));
    }
    ui.progress(&format!("{BOLD}This removes the data of {what}.{BOLD:#} Remove it? Type yes:"));
    let mut answer = String::new();
    let read = io::stdin().lock().read_line(&mut answer);
    Ok(read.is_ok() && answer.trim().eq_ignore_ascii_case("yes"))
}

fn text(machine: &Machine, stopped: &Stopped) -> String {
    let (stack, target) = (&machine.owner.stack, &machine.owner.target);
    let Stopped { containers, networks, volumes, kept } = stopped;
    if containers.is_empty() && networks.is_empty() && volumes.is_empty() {
        return format!("Nothing of {stack} runs on {target}.\n");
    }
    let mut out = format!(
        "Stopped {stack} on {target}: removed {}, {}, {}.\n",
        counted(containers.len(), "container"),
        counted(networks.len(), "network"),
        counted(volumes.len(), "volume")
    );
    if !kept.is_empty() {
        let names = listing(kept.iter().map(String::as_str));
        out.push_str(&format!(
            "{QUIET}Data stays in {names}. Remove it with `fracht stop --with-data`.{QUIET:#}\n"
        ));
    }
    out
}
