//! `fracht render`

use std::collections::BTreeSet;
use std::path::Path;

use fracht_cluster::compare::compare;
use fracht_cluster::{Comments, File, PlannedObject, Rendering, read_objects};
use fracht_core::check::Project;
use fracht_core::escape::escaped_path;
use fracht_core::model::TargetKind;
use serde_json::Value;

use crate::cli::{Render, STANDARD_OUTPUT};
use crate::commands::diff::manual_replacement;
use crate::failure::{Failure, Outcome};
use crate::ui::style::{BOLD, QUIET};
use crate::ui::{Ui, counted};
use crate::write::folder::{self, FileChange};
use crate::{making, objects, stack};

pub(crate) fn run(args: &Render, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut project = stack::open(&args.stack)?;
    let target = stack::target(&project, args.target.name())?;
    let verdict = stack::verdict(&mut project, &target)?;
    if verdict.facts.model.target.on.value == TargetKind::Machine {
        return Err(no_objects(&mut project, &target));
    }
    let Some(mut rendering) = objects::rendering(&verdict, &project, args.secrets, ui)? else {
        return Ok(Outcome::Problems);
    };
    let left_out: Vec<String> = rendering
        .left_out()
        .iter()
        .map(|id| format!("secret.{}", verdict.facts.model.secrets[*id].name))
        .collect();
    only(&mut rendering, &args.only)?;
    let (format, sources) = (args.format.format(), project.sources());
    match args.out.as_deref().filter(|dir| *dir != Path::new(STANDARD_OUTPUT)) {
        None => ui.raw_result(|out| rendering.write(format, Comments::Lines(sources), out))?,
        Some(dir) => {
            let part = !args.only.is_empty();
            let files = rendering.files(format, Comments::Origins(sources))?;
            write_folder(&files, dir, part, ui)?;
        }
    }
    if !left_out.is_empty() && args.only.is_empty() {
        ui.note(&format!(
            "not rendered: {}; add --secrets to include them with their values",
            left_out.join(", ")
        ));
    }
    if args.only.is_empty() {
        for (secret, command) in making::made(&verdict.facts.model) {
            ui.note(&format!("{secret} must be created once, by hand: {command}"));
        }
    }
    Ok(Outcome::Fine)
}

/// Keeps only the objects that `--only` names; each must exist.
fn only(rendering: &mut Rendering<'_>, wanted: &[String]) -> Result<(), Failure> {
    if wanted.is_empty() {
        return Ok(());
    }
    let fits = |wanted: &str, kind: &str, name: &str| {
        let (wanted_kind, wanted_name) = wanted.split_once('/').unwrap_or((wanted, "*"));
        wanted_kind.eq_ignore_ascii_case(kind) && (wanted_name == "*" || wanted_name == name)
    };
    // `Deployment/api` is the object of `service.api`, unless an object has exactly this name.
    let wanted: Vec<String> = wanted
        .iter()
        .map(|one| {
            let is_there = |one: &str| {
                rendering.planned().iter().any(|planned| fits(one, planned.kind(), planned.name()))
            };
            let own =
                one.split_once('/').map(|(kind, name)| format!("{kind}/{}", rendering.name_in_stack(name)));
            own.filter(|own| !is_there(one) && is_there(own)).unwrap_or_else(|| one.clone())
        })
        .collect();
    for one in &wanted {
        if !rendering.planned().iter().any(|planned| fits(one, planned.kind(), planned.name())) {
            let kinds: BTreeSet<&str> = rendering.planned().iter().map(PlannedObject::kind).collect();
            let kinds: Vec<&str> = kinds.into_iter().collect();
            let help = format!("write KIND/NAME or KIND; kinds in this stack: {}", kinds.join(", "));
            return Err(Failure::new(format!("no object matches `{one}`"), help));
        }
    }
    rendering.retain(|kind, name| wanted.iter().any(|one| fits(one, kind, name)));
    Ok(())
}

/// The failure for a target without objects, with the targets that have some.
fn no_objects(project: &mut Project<'_>, target: &str) -> Failure {
    let names: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let on_cluster = |name: &String| {
        let verdict = project.check(name);
        verdict.is_some_and(|verdict| verdict.facts.model.target.on.value == TargetKind::Cluster)
    };
    let others: Vec<String> = names.into_iter().filter(on_cluster).collect();
    let help = if others.is_empty() {
        "add a cluster target: `[target.NAME]` with `on = \"cluster\"`".to_owned()
    } else {
        format!("cluster targets: {}", others.join(", "))
    };
    Failure::new(
        format!("target `{target}` is a machine; only cluster targets have Kubernetes objects"),
        help,
    )
}

/// Writes files into a folder and prints what changed.
fn write_folder(files: &[File], dir: &Path, part: bool, ui: &mut Ui) -> Result<(), Failure> {
    let changes = folder::write(dir, files, part, ui)?;
    let shown = escaped_path(dir);
    let mut out = String::new();
    for (name, change) in &changes.files {
        out.push_str(&format!("{QUIET}{:<9}{QUIET:#} {shown}/{name}\n", change.word()));
    }
    let summary = changes.summary();
    out.push_str(&format!("{BOLD}{}{BOLD:#} in {shown}: {summary}\n", counted(files.len(), "object")));
    let fresh = files.iter().filter(|file| changes.files.get(&file.name) != Some(&FileChange::Same));
    let objects = |texts: &mut dyn Iterator<Item = &String>| -> Vec<Value> {
        texts.flat_map(|text| read_objects(text).unwrap_or_default()).collect()
    };
    let difference =
        compare(&objects(&mut changes.earlier.iter()), &objects(&mut fresh.map(|file| &file.text)));
    for object in &difference.objects {
        if let Some(replacement) = &object.replace {
            out.push_str(&format!(
                "\n{BOLD}{}/{}{BOLD:#}\n{}",
                object.kind,
                object.name,
                manual_replacement(replacement)
            ));
        }
    }
    ui.result(&out)
}
