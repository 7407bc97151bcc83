//! Checks a stack together with its objects, and renders it.

use std::mem::ManuallyDrop;

use fracht_cluster::Rendering;
use fracht_core::check::{Project, Verdict};
use fracht_core::diag::Report;
use fracht_core::model::TargetKind;

use crate::failure::Failure;
use crate::secrets;
use crate::ui::Ui;

/// The report on a stack; if it has no errors, with the problems of its objects.
pub(crate) fn report(verdict: &Verdict) -> Report {
    let checked = verdict.checked().filter(|_| verdict.model.target.on.value == TargetKind::Cluster);
    let problems = checked.map(|checked| ManuallyDrop::new(Rendering::new(checked)).problems());
    verdict.report_with(problems.unwrap_or_default())
}

/// The objects of a stack; `None` if it has errors, which have been shown. Like the stack, they are never dropped.
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
        rendering.set_secrets(secrets::values(&verdict.model, project.files())?);
        report = verdict.report_with(rendering.problems());
    }
    ui.errors(&report, project.sources());
    Ok((!report.has_errors()).then_some(rendering))
}
