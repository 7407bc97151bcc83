//! The objects of a stack that is good, and what is wrong with them together.

use std::mem::ManuallyDrop;

use fracht_cluster::Rendering;
use fracht_core::check::{Project, Verdict};
use fracht_core::diag::Report;
use fracht_core::model::TargetKind;

use crate::failure::Failure;
use crate::secrets;
use crate::ui::Ui;

/// The report on a stack and, if it is good so far and has objects, on these.
pub(crate) fn report(verdict: &Verdict) -> Report {
    let checked = verdict.checked().filter(|_| verdict.model.target.on.value == TargetKind::Cluster);
    let problems = checked.map(|checked| ManuallyDrop::new(Rendering::new(checked)).problems());
    verdict.report_with(problems.unwrap_or_default())
}

/// The objects of a stack; `None` if something is wrong with it or with them, which has been shown.
/// Like the stack, they are never taken apart.
pub(crate) fn rendering<'v>(
    verdict: &'v Verdict,
    project: &Project<'_>,
    with_secrets: bool,
    ui: &mut Ui,
) -> Result<Option<ManuallyDrop<Rendering<'v>>>, Failure> {
    let Some(mut rendering) = verdict.checked().map(|checked| ManuallyDrop::new(Rendering::new(checked)))
    else {
        ui.errors(&verdict.report, project.sources());
        return Ok(None);
    };
    let mut report = verdict.report_with(rendering.problems());
    if with_secrets && !report.has_errors() {
        rendering.give_secrets(secrets::values(&verdict.model, project.files())?);
        report = verdict.report_with(rendering.problems());
    }
    ui.errors(&report, project.sources());
    Ok((!report.has_errors()).then_some(rendering))
}
