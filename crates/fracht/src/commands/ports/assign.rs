//! `fracht ports --assign`: chooses numbers and keeps them in the lock.

use std::collections::BTreeMap;

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::Severity;
use fracht_core::model::Kept;
use fracht_core::plan::ports::{PortPlan, TakenElsewhere};

use crate::cli::StackChoice;
use crate::failure::Failure;
use crate::stack;
use crate::ui::{Ui, counted};
use crate::write;

/// Settles the ports of a checked stack and keeps the choices. False if the stack has other errors, with which nothing
/// can be chosen.
pub(super) fn run(
    choice: &StackChoice,
    project: &Project<'_>,
    verdict: &Verdict,
    taken: &TakenElsewhere,
    ui: &mut Ui,
) -> Result<bool, Failure> {
    let findings = verdict.report.findings().iter();
    let mut other = findings.filter(|finding| {
        finding.severity == Severity::Error
            && finding.diagnostic.rule.name != fracht_core::rules::PORT_CLASH.name
    });
    if verdict.facts.model.incomplete || other.next().is_some() {
        ui.note("no number was chosen or kept, since the stack has errors");
        return Ok(false);
    }
    let model = &verdict.facts.model;
    let plan = PortPlan::settled(model, taken);
    let kept = plan.kept(model);
    let mut lock = project.lock().clone();
    lock.set(&model.target.name, kept.clone());
    let names: Vec<&str> = project.targets().names().collect();
    lock.retain(|target| names.contains(&target));
    let (path, shown) = stack::lock_path(choice)?;
    let old = model.kept.as_slice();
    if lock.text() == project.lock().text() && (path.exists() || kept.is_empty()) {
        ui.note(&if kept.is_empty() {
            "no number is left open and none clashes: there is nothing to keep".to_owned()
        } else {
            format!("{shown} keeps {}; nothing to change", counted(kept.len(), "port"))
        });
        return Ok(true);
    }
    write::lock(&path, &shown, &lock)?;
    for line in changes(old, &kept) {
        ui.note(&format!("{shown}: {line}"));
    }
    ui.note(&format!("{shown} keeps {}; put it into version control", counted(kept.len(), "port")));
    Ok(true)
}

/// What is new, changed and removed.
fn changes(old: &[Kept], new: &[Kept]) -> Vec<String> {
    let numbers = |kept: &Kept| kept.at.iter().map(u16::to_string).collect::<Vec<_>>().join(", ");
    let (old, new) = (by_name(old), by_name(new));
    let mut lines = Vec::new();
    for (key, kept) in &new {
        let name = format!("{}/{}", kept.service, kept.port);
        let instead = kept.instead_of.as_ref().map_or_else(String::new, |set| format!(" instead of {set}"));
        match old.get(key) {
            None => lines.push(format!("`{name}` gets {}{instead}", numbers(kept))),
            Some(before) if before.at != kept.at || before.instead_of != kept.instead_of => {
                lines.push(format!("`{name}` gets {}{instead}, before {}", numbers(kept), numbers(before)));
            }
            Some(_) => {}
        }
    }
    let gone = old.iter().filter(|(key, _)| !new.contains_key(*key)).map(|(_, gone)| gone);
    lines.extend(gone.map(|gone| format!("`{}/{}` is no longer kept", gone.service, gone.port)));
    lines
}

fn by_name(all: &[Kept]) -> BTreeMap<(&str, &str), &Kept> {
    all.iter().map(|kept| (kept.key(), kept)).collect()
}
