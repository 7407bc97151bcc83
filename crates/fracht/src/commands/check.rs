//! `fracht check`

use std::mem::ManuallyDrop;

use fracht_core::diag::Report;
use fracht_core::model::Model;
use serde::Serialize;

use crate::cli::{Check, Common, Format};
use crate::failure::{Failure, Outcome};
use crate::ui::style::GOOD;
use crate::ui::{Ui, counted, excerpt, json, tally};
use crate::{objects, stack};

/// What `--format json` writes.
#[derive(Serialize)]
struct Answer<'a> {
    stack: &'a str,
    targets: &'a [String],
    counts: json::Counts,
    problems: Vec<json::Problem>,
}

pub(crate) fn run(common: &Common, asked: &Check, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut project = stack::open(common)?;
    let targets: Vec<String> = match &asked.target.target {
        Some(_) => vec![stack::target(&project, &asked.target)?],
        None => project.targets().names().map(str::to_owned).collect(),
    };
    let mut reports = Vec::new();
    let mut models = ManuallyDrop::new(Vec::new());
    for target in &targets {
        let verdict = ManuallyDrop::into_inner(stack::verdict(&mut project, target)?);
        reports.push((target.clone(), objects::report(&verdict)));
        models.push(verdict.model);
    }
    let report = Report::over_targets(reports);
    let seen: Option<&Model> = models.first();
    let name = seen.map_or("", |model| &*model.name.value);
    let sources = project.sources();
    if asked.format == Format::Json {
        let counts = json::Counts::of(&report);
        let problems = json::problems(&report, sources);
        Ui::json(&Answer { stack: name, targets: &targets, counts, problems })?;
        return Ok(Outcome::problems_if(report.has_errors()));
    }
    for finding in report.findings() {
        ui.result(&excerpt::show(finding, &report, sources))?;
        ui.result("\n\n")?;
    }
    let under = format!("under {}", targets.join(", "));
    match tally(&report) {
        Some(tally) => ui.result(&format!("{name}: {tally} {under}\n"))?,
        None => {
            let holds = seen.map_or_else(String::new, inventory);
            ui.result(&format!("{name}: {GOOD}no problems{GOOD:#} {under}\n{holds}\n"))?;
        }
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

/// What a stack is made of, in words.
fn inventory(model: &Model) -> String {
    let services = model.workloads.iter().filter(|workload| workload.service().is_some()).count();
    let counts = [
        (services, "service"),
        (model.workloads.len() - services, "task"),
        (model.volumes.len(), "volume"),
        (model.configs.len(), "config"),
        (model.secrets.len(), "secret"),
        (model.networks.len(), "network"),
        (model.outsides.len(), "outside"),
    ];
    let words = counts.into_iter().filter(|(count, _)| *count > 0);
    let words = words.map(|(count, what)| match what {
        "outside" => format!("{count} outside"),
        what => counted(count, what),
    });
    words.collect::<Vec<_>>().join(", ")
}
