//! What others have that the stack needs: names on the engine, numbers of the machine, folders that are missing.

use std::path::Path;
use std::sync::Arc;

use fracht_core::model::Protocol;
use fracht_core::plan::listening::Program;
use fracht_core::plan::ports::TakenElsewhere;
use fracht_core::rules::live::in_use;
use fracht_engine::actual::Actual;
use fracht_engine::desired::Desired;
use fracht_engine::steps::name_conflicts;

use crate::engine::Machine;
use crate::failure::Failure;
use crate::machine;
use crate::ui::{Ui, counted};

/// Prints what is in the way, before anything is changed. Whether there is something.
pub(super) fn found(
    machine: &Machine,
    (desired, chosen): (&Desired, &[bool]),
    actual: &Actual,
    (is_practice, ui): (bool, &mut Ui),
) -> Result<bool, Failure> {
    let conflicts = name_conflicts(desired, actual);
    if let Some(first) = conflicts.first() {
        if let [one] = conflicts.as_slice() {
            return Err(Failure::new(one.message.clone(), one.help.clone()));
        }
        let help = conflicts.iter().map(|one| one.message.clone()).chain([first.help.clone()]);
        let message = format!("{} of the stack already exist", counted(conflicts.len(), "name"));
        return Err(Failure::Error { message, help: help.collect() });
    }
    folders(desired)?;
    Ok(!is_practice && numbers(machine, (desired, chosen), actual, ui))
}

/// Folders of this machine that are mounted have to be there: the engine would create them.
fn folders(desired: &Desired) -> Result<(), Failure> {
    for (unit, _, container) in desired.containers() {
        for mount in container.spec.host_config.mounts.iter().filter(|mount| mount.kind == "bind") {
            if !Path::new(&mount.source).exists() {
                let message = format!("`{}` mounts `{}`, which does not exist", unit.reference, mount.source);
                return Err(Failure::new(message, "create it, or change the mount"));
            }
        }
    }
    Ok(())
}

/// Prints the numbers of the machine that programs or other containers have. Whether there are any.
fn numbers(machine: &Machine, (desired, chosen): (&Desired, &[bool]), actual: &Actual, ui: &mut Ui) -> bool {
    let (model, plan) = (machine.model(), &machine.verdict.facts.ports);
    let protocol = |word: &str| match word {
        "udp" => Protocol::Udp,
        "sctp" => Protocol::Sctp,
        _ => Protocol::Tcp,
    };
    let own = actual.containers.values().filter(|seen| seen.is_running).flat_map(|seen| &seen.published);
    let own: std::collections::BTreeSet<u16> = own.copied().collect();
    let published = desired.containers().flat_map(|(_, _, container)| &container.published);
    let wanted = published.filter(|(number, _)| !own.contains(number));
    let wanted: TakenElsewhere = wanted.map(|(number, word)| (protocol(word), *number)).collect();
    if wanted.is_empty() {
        return false;
    }
    let mut listening = machine::listening(&wanted);
    // What our own containers have is ours.
    listening.listeners.retain(|listener| !own.contains(&listener.port));
    for listener in &mut listening.listeners {
        let others = &actual.others.ports;
        let word = if listener.protocol == Protocol::Udp { "udp" } else { "tcp" };
        if let Some(container) = others.get(&(listener.port, word.to_owned())) {
            listener.program = Program::Container(Arc::from(&**container));
        }
    }
    let mut clashes = listening.clashes(model, plan);
    clashes.retain(|clash| chosen.get(clash.port.service.index()) == Some(&true));
    let problems = clashes.iter().map(|clash| in_use(model, clash)).collect();
    let is_taken = !clashes.is_empty();
    if is_taken {
        ui.errors(&machine.verdict.report_with(problems), machine.project.sources());
    }
    is_taken
}
