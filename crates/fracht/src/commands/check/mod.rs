//! `fracht check`

mod fix;

use std::collections::{BTreeMap, HashSet};
use std::mem::ManuallyDrop;
use std::sync::Arc;

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::{Diagnostic, Report, Severity};
use fracht_core::escape::escaped;
use fracht_core::model::Model;
use fracht_core::rules::looked::problems;
use fracht_core::source::Sources;
use rustc_hash::FxBuildHasher;
use serde::Serialize;

use crate::beside::{self, Pick, Wanted};
use crate::cli::{Check, CheckFormat, Deny};
use crate::failure::{Failure, Outcome};
use crate::ui::style::GOOD;
use crate::ui::{Ui, counted, json, sarif, tally};
use crate::{registry, stack};

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
    let mut checked = Checked::beside(args, &mut project, &targets, ui)?;
    if args.fix {
        let before = outcome(args, &checked.report);
        let fixed = fix::run(&project, args, &targets, checked, ui)?;
        match fixed {
            fix::Fixed::Nothing(same) => checked = same,
            fix::Fixed::Some(fixed) => {
                let (after, now) = *fixed;
                show(args, &targets, &now, after.sources(), ui)?;
                // With `--dry` the files are as they were.
                return Ok(if args.dry { before } else { outcome(args, &now.report) });
            }
        }
    }
    show(args, &targets, &checked, project.sources(), ui)?;
    Ok(outcome(args, &checked.report))
}

/// How the command ends: with 1 for errors, and for what is denied.
fn outcome(args: &Check, report: &Report) -> Outcome {
    let has = |severity| report.count(severity) > 0;
    let denied = match args.deny {
        None => false,
        Some(Deny::Warnings) => has(Severity::Warning),
        Some(Deny::Hints) => has(Severity::Warning) || has(Severity::Hint),
    };
    Outcome::problems_if(report.has_errors() || denied)
}

/// A stack that was checked for some targets.
struct Checked {
    /// Its name.
    name: String,
    report: Report,
    inventory: Inventory,
}

impl Checked {
    fn of(project: &mut Project<'_>, targets: &[String]) -> Result<Self, Failure> {
        Self::with(project, targets, |_, _| Ok(Vec::new()))
    }

    /// The same, with the problems that the stack has with those beside it.
    fn beside(
        args: &Check,
        project: &mut Project<'_>,
        targets: &[String],
        ui: &mut Ui,
    ) -> Result<Self, Failure> {
        let (all, mut compared) = (&args.beside.beside, 0);
        let checked = Self::with(project, targets, |project, verdict| {
            let pick = if targets.len() == 1 { Pick::OneOfKind } else { Pick::SameName };
            let asked = Wanted { beside: &args.beside, stack: &args.stack, pick };
            let beside = beside::open(asked, project, verdict, ui)?;
            compared += beside.len();
            let mut found = beside::found(verdict, &beside);
            if args.look {
                let model = &verdict.facts.model;
                let looked = registry::look_up_all(model, ui)?;
                for (image, reason) in looked.unknown() {
                    ui.note(&format!("{image} could not be looked up: {reason}"));
                }
                found.extend(problems(model, &looked));
            }
            Ok(found)
        })?;
        if compared == 0 && !all.is_empty() {
            return Err(Failure::new(
                "no stack of `--beside` has a target of the same name",
                format!("choose both: `fracht check -t NAME --beside {}=TARGET`", all.join(" ")),
            ));
        }
        Ok(checked)
    }

    fn with(
        project: &mut Project<'_>,
        targets: &[String],
        mut elsewhere: impl FnMut(&mut Project<'_>, &Verdict) -> Result<Vec<Diagnostic>, Failure>,
    ) -> Result<Self, Failure> {
        let mut reports = Vec::new();
        let mut name = String::new();
        let mut inventory = Inventory::default();
        for target in targets {
            let verdict = ManuallyDrop::into_inner(stack::verdict(project, target)?);
            let mut found = fracht_cluster::problems(&verdict);
            found.extend(elsewhere(project, &verdict)?);
            let report = verdict.report_with(found);
            reports.push((target.clone(), report));
            name = verdict.facts.model.name.value.to_string();
            let model = ManuallyDrop::new(verdict.facts.model);
            inventory.add(&model);
        }
        let mut report = Report::over_targets(reports);
        let all: Vec<String> = project.targets().names().map(str::to_owned).collect();
        for other in all.iter().filter(|other| !targets.contains(other)) {
            if !report.asks_other_targets() {
                break;
            }
            // What this target does not use, the other one may use.
            report.keep_common(&stack::verdict(project, other)?.report);
        }
        Ok(Self { name, report, inventory })
    }
}

fn show(
    args: &Check,
    targets: &[String],
    checked: &Checked,
    sources: &Sources,
    ui: &mut Ui,
) -> Result<(), Failure> {
    let Checked { name, report, inventory } = checked;
    match args.format {
        CheckFormat::Json => {
            let counts = json::Counts::of(report);
            let problems = json::problems(report, sources);
            return ui.json(&CheckDocument { stack: name, targets, counts, problems });
        }
        CheckFormat::Sarif => return ui.json(&sarif::log(report, sources)),
        CheckFormat::Text => {}
    }
    ui.findings(report, sources, args.all)?;
    let name = escaped(name);
    let plural = if targets.len() == 1 { "" } else { "s" };
    let targets = format!("for target{plural} {}", escaped(&targets.join(", ")));
    match tally(report) {
        Some(tally) => ui.result(&format!("{name}: {tally} {targets}\n")),
        None => {
            let holds = inventory.words();
            ui.result(&format!("{name}: {GOOD}no problems{GOOD:#} {targets}\n{holds}\n"))
        }
    }
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
