//! `fracht check`

use std::collections::{BTreeMap, HashSet};
use std::mem::ManuallyDrop;
use std::sync::Arc;

use fracht_core::diag::Report;
use fracht_core::escape::escaped;
use fracht_core::model::Model;
use rustc_hash::FxBuildHasher;
use serde::Serialize;

use crate::cli::{Check, Format};
use crate::failure::{Failure, Outcome};
use crate::ui::style::GOOD;
use crate::ui::{Ui, counted, json, tally};
use crate::{objects, stack};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct CheckDocument<'a> {
    stack: &'a str,
    targets: &'a [String],
    counts: json::Counts,
    problems: Vec<json::Problem>,
}

pub(crate) fn run(args: &Check, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut project = stack::open(&args.stack)?;
    let targets: Vec<String> = match &args.target {
        Some(_) => vec![stack::target(&project, args.target.as_deref())?],
        None => project.targets().names().map(str::to_owned).collect(),
    };
    let mut reports = Vec::new();
    let mut name = String::new();
    let mut inventory = Inventory::default();
    for target in &targets {
        let verdict = ManuallyDrop::into_inner(stack::verdict(&mut project, target)?);
        reports.push((target.clone(), objects::report(&verdict)));
        name = verdict.facts.model.name.value.to_string();
        let model = ManuallyDrop::new(verdict.facts.model);
        inventory.add(&model);
    }
    let report = Report::over_targets(reports);
    let sources = project.sources();
    if args.format == Format::Json {
        let counts = json::Counts::of(&report);
        let problems = json::problems(&report, sources);
        ui.json(&CheckDocument { stack: &name, targets: &targets, counts, problems })?;
        return Ok(Outcome::problems_if(report.has_errors()));
    }
    ui.findings(&report, sources)?;
    let name = escaped(&name);
    let plural = if targets.len() == 1 { "" } else { "s" };
    let targets = format!("for target{plural} {}", escaped(&targets.join(", ")));
    match tally(&report) {
        Some(tally) => ui.result(&format!("{name}: {tally} {targets}\n"))?,
        None => {
            let holds = inventory.words();
            ui.result(&format!("{name}: {GOOD}no problems{GOOD:#} {targets}\n{holds}\n"))?;
        }
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

/// The parts of a stack over all its targets, each name once.
#[derive(Default)]
struct Inventory {
    names: BTreeMap<&'static str, HashSet<Arc<str>, FxBuildHasher>>,
}

impl Inventory {
    fn add(&mut self, model: &Model) {
        let mut add =
            |kind, name: &Arc<str>| _ = self.names.entry(kind).or_default().insert(Arc::clone(name));
        model.workloads.iter().for_each(|workload| add(workload.kind_word(), &workload.name));
        model.volumes.iter().for_each(|volume| add("volume", &volume.name));
        model.configs.iter().for_each(|config| add("config", &config.name));
        model.secrets.iter().for_each(|secret| add("secret", &secret.name));
        model.networks.iter().for_each(|network| add("network", &network.name));
        model.outsides.iter().for_each(|outside| add("outside", &outside.name));
    }

    fn words(&self) -> String {
        let kinds = ["service", "task", "volume", "config", "secret", "network", "outside"];
        let counts = kinds.into_iter().filter_map(|kind| Some((kind, self.names.get(kind)?.len())));
        let words = counts.map(|(kind, count)| match kind {
            "outside" => counted(count, "external service"),
            kind => counted(count, kind),
        });
        words.collect::<Vec<_>>().join(", ")
    }
}
