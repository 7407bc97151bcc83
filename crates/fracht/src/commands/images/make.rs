//! `fracht images --build` and `--push`.

use std::collections::BTreeSet;

use fracht_core::files::Files;
use fracht_core::model::{BuildId, Model};
use fracht_core::plan::images::ImagePlan;
use fracht_engine::api::{Engine, EngineError, Progress};
use fracht_engine::build::{self, BuildStep};

use crate::engine;
use crate::failure::Failure;
use crate::ui::style::{GOOD, QUIET};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, screen};
use crate::{images, registry};

/// Builds images, and returns which were built.
pub(super) fn build(
    (model, files): (&Model, &dyn Files),
    engine: &Engine,
    wanted: &BTreeSet<BuildId>,
    ui: &mut Ui,
) -> Result<String, Failure> {
    let mut table = Table::new(["build", "image", "state"]);
    let is_live = screen::size_of_messages().is_some();
    let mut drawn = 0;
    let done = build::build((model, files), engine, wanted, &mut |build, step| {
        let image = build.image.as_ref().map_or("?", |image| image.text()).to_owned();
        match step {
            BuildStep::There => {
                table.row([(*build.name).into(), image.into(), Cell::styled("unchanged", QUIET)]);
            }
            BuildStep::Begins => {
                ui.progress(&format!("building {}", build.name));
                drawn = 0;
            }
            BuildStep::Elsewhere(platform) => ui.note(&images::for_other_platform(&build.name, platform)),
            // The last step, in place of the one before.
            BuildStep::Says(line) if is_live && !line.trim().is_empty() && ui.shows_progress() => {
                let line: String = line.chars().take(90).collect();
                ui.redraw(drawn, &[format!("{QUIET}  {line}{QUIET:#}")]);
                drawn = 1;
            }
            BuildStep::Says(_) => {}
            BuildStep::Done => {
                ui.redraw(drawn, &[]);
                drawn = 0;
                table.row([(*build.name).into(), image.into(), Cell::styled("built", GOOD)]);
            }
        }
    });
    done.map_err(|error| images::build_failure(model, error))?;
    Ok(table.show())
}

/// Pushes the images of builds, each to the registry of the target, and returns which.
pub(super) fn push(
    model: &Model,
    engine: &Engine,
    wanted: &BTreeSet<BuildId>,
    ui: &mut Ui,
) -> Result<String, Failure> {
    let places = registry::places(model)?;
    let logins = registry::logins(model, ui);
    let mut table = Table::new(["build", "pushed", "digest"]);
    for id in ImagePlan::of(model).builds.into_iter().filter(|id| wanted.contains(id)) {
        let build = &model.builds[id];
        let Some(image) = &build.image else { continue };
        let (Some(registry), Some(tag)) = (image.registry(), image.tag()) else {
            let message = format!("`build.{}` has no registry to push to", build.name);
            let help = format!("set it: `target.{}.registry = \"registry.example\"`", model.target.name);
            return Err(Failure::new(message, help));
        };
        if engine.image(image.text()).map_err(|error| engine::failure(&error))?.is_none() {
            let message = format!("the image of `build.{}` is not on this machine", build.name);
            return Err(Failure::new(message, "build it as well: `fracht images --build --push`"));
        }
        ui.progress(&format!("pushing {image}"));
        // A registry at another address is pushed to there.
        let host = places.moved.get(registry).and_then(|address| address.split_once("://"));
        let host = host.map_or(registry, |(_, host)| host);
        let repository = format!("{host}/{}", image.repository());
        if host != registry {
            let tagged = engine.tag(image.text(), (&repository, tag));
            tagged.map_err(|error| engine::failure(&error))?;
        }
        let login = logins.of(registry, image.repository());
        let login = login.map(|login| (login.user.as_str(), login.password.as_str(), host));
        let mut digest = String::new();
        let mut seen = |progress: &Progress| {
            let words: Vec<&str> = progress.status.split_whitespace().collect();
            if let Some(found) = words.iter().find(|word| word.starts_with("sha256:")) {
                (*found).clone_into(&mut digest);
            }
        };
        let pushed = engine.push((&repository, tag), login, &mut seen);
        pushed.map_err(|error| match error {
            EngineError::Refused { message, .. } => {
                Failure::new(format!("cannot push {image}: {message}"), "check the registry and your login")
            }
            error => engine::failure(&error),
        })?;
        let short = digest.get(..19).unwrap_or("–").to_owned();
        table.row([(*build.name).into(), image.to_string().into(), short.into()]);
    }
    Ok(table.show())
}
