//! Renders a stack, or says why it cannot be rendered.

use std::mem::ManuallyDrop;

use fracht_cluster::Rendering;
use fracht_core::check::{Project, Verdict};

use crate::failure::Failure;
use crate::secrets;
use crate::ui::Ui;

/// The objects of a stack; `None` if it has errors, which have been shown. Like the stack, they are never dropped.
pub(crate) fn rendering<'v>(
    verdict: &'v Verdict,
    project: &Project<'_>,
    with_secrets: bool,
    ui: &mut Ui,
) -> Result<Option<ManuallyDrop<Rendering<'v>>>, Failure> {
    let Some(checked) = verdict.checked() else {
        ui.errors(&verdict.report, project.sources());
        return Ok(None);
    };
    let mut planned = Rendering::plan(checked);
    if with_secrets && planned.is_ok() {
        let values = secrets::values(&verdict.facts.model, project.files())?;
        planned = Rendering::plan_with_secrets(checked, values);
    }
    let (rendering, problems) = match planned {
        Ok(rendering) => {
            let hints = rendering.hints().to_vec();
            (Some(ManuallyDrop::new(rendering)), hints)
        }
        Err(problems) => (None, problems),
    };
    let report = verdict.report_with(problems);
    ui.errors(&report, project.sources());
    Ok(rendering.filter(|_| !report.has_errors()))
}
