//! `fracht render`

mod folder;

use std::collections::BTreeMap;
use std::mem::ManuallyDrop;
use std::path::Path;

use fracht_cluster::{Format, Options, Rendering, SecretValues};
use fracht_core::check::{Project, RevealError, is_made, reveal};
use fracht_core::model::{Model, Place};

use crate::cli::{Common, ObjectFormat, Render};
use crate::disk::Disk;
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, QUIET};
use crate::ui::{Ui, counted};

pub(crate) fn run(common: &Common, asked: &Render, ui: &mut Ui) -> Result<Outcome, Failure> {
    let mut project = stack::open(common)?;
    let target = stack::target(&project, &asked.target)?;
    let verdict = stack::verdict(&mut project, &target)?;
    ui.errors(&verdict.report, project.sources());
    let Some(checked) = verdict.checked() else { return Ok(Outcome::Problems) };
    if verdict.model.target.on.value == Place::Machine {
        return Err(no_objects(&mut project, &target));
    }
    let secrets = if asked.secrets { Some(secret_values(&verdict.model)?) } else { None };
    let rendering = ManuallyDrop::new(Rendering::new(checked, Options { secrets }));
    let format = match asked.format {
        ObjectFormat::Yaml => Format::Yaml,
        ObjectFormat::Json => Format::Json,
    };
    match &asked.out {
        None => Ui::raw_result(|out| rendering.write(format, out))?,
        Some(dir) => write_folder(&rendering, format, dir, ui)?,
    }
    let left_out: Vec<String> =
        rendering.left_out().iter().map(|id| format!("secret.{}", verdict.model.secrets[*id].name)).collect();
    let closed = verdict.model.networks.iter().filter(|network| network.closed.value);
    let closed: Vec<String> = closed.map(|network| format!("network.{}", network.name)).collect();
    if !closed.is_empty() {
        ui.note(&format!(
            "no object closes {} yet: the cluster lets its members reach others",
            closed.join(", ")
        ));
    }
    if !left_out.is_empty() {
        ui.note(&format!(
            "no object is made for {}; --secrets makes them, with their values",
            left_out.join(", ")
        ));
    }
    Ok(Outcome::Fine)
}

/// A machine has no objects; the targets that have are named.
fn no_objects(project: &mut Project<'_>, target: &str) -> Failure {
    let names: Vec<String> = project.targets().names().map(str::to_owned).collect();
    let on_cluster = |name: &String| {
        let verdict = project.check(name);
        verdict.is_some_and(|verdict| verdict.model.target.on.value == Place::Cluster)
    };
    let others: Vec<String> = names.into_iter().filter(on_cluster).collect();
    let help = if others.is_empty() {
        "Add a target for a cluster: [target.NAME] with on = \"cluster\".".to_owned()
    } else {
        format!("These targets have objects: {}.", others.join(", "))
    };
    Failure::new(format!("The target {target} is a machine, and a machine takes no cluster objects."), help)
}

/// Reads the values of all secrets that are made; every one that is missing is named.
fn secret_values(model: &Model) -> Result<SecretValues, Failure> {
    let variable = |name: &str| std::env::var_os(name).map(std::ffi::OsString::into_encoded_bytes);
    let (mut all, mut missing) = (SecretValues::new(), Vec::new());
    for (id, secret) in model.secrets.entries().filter(|(_, secret)| is_made(secret)) {
        let mut values = BTreeMap::new();
        for key in &secret.keys {
            match reveal(&Disk, &variable, key) {
                Ok(Some(value)) => _ = values.insert(key.name.to_string(), value),
                Ok(None) => {}
                Err(error) => missing.push(format!(
                    "secret.{}/{}: {}",
                    secret.name,
                    key.name,
                    match error {
                        RevealError::NoVariable(name) => format!("set the variable {name}"),
                        RevealError::Empty => "its value is empty".to_owned(),
                        RevealError::Unreadable(path, reason) => format!("{}: {reason}", path.display()),
                    }
                )),
            }
        }
        all.insert(id, values);
    }
    if missing.is_empty() {
        return Ok(all);
    }
    let message = format!("{} can't be read.", counted(missing.len(), "secret value"));
    Err(Failure::Because { message, help: missing })
}

fn write_folder(rendering: &Rendering<'_>, format: Format, dir: &Path, ui: &mut Ui) -> Result<(), Failure> {
    let files = rendering.files(format)?;
    let changes = folder::swap_in(dir, &files)?;
    let shown = stack::shown(dir);
    let mut out = String::new();
    for (name, change) in &changes.files {
        out.push_str(&format!("{QUIET}{:<9}{QUIET:#} {shown}/{name}\n", change.word()));
    }
    let summary = changes.summary();
    out.push_str(&format!("{BOLD}{}{BOLD:#} in {shown}: {summary}\n", counted(files.len(), "object")));
    ui.result(&out)
}
