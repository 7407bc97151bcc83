//! The images of what is started: those that are missing are built or pulled before anything is changed.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::escape::escaped;
use fracht_core::files::context::Unreadable;
use fracht_core::grammar::image;
use fracht_core::model::{Fetch, Model};
use fracht_engine::api::{Engine, EngineError, LocalImage};
use fracht_engine::build::{self, BuildError, BuildStep};
use fracht_engine::desired::Container;
use fracht_engine::parallel::at_once;
use fracht_registry::login::Logins;

use crate::engine::{self, Machine};
use crate::failure::Failure;
use crate::registry;
use crate::ui::{Ui, counted};

/// The images, by their references.
pub(crate) type Images = BTreeMap<String, LocalImage>;

/// What the engine tells of images, by their references.
pub(crate) type Looked = BTreeMap<String, Result<Option<LocalImage>, EngineError>>;

/// Looks which images of some containers are on this machine.
pub(crate) fn look(engine: &Engine, containers: &[&Container]) -> Looked {
    let mut names: Vec<&str> = containers.iter().map(|container| &*container.spec.image).collect();
    names.sort_unstable();
    names.dedup();
    let looked = at_once(&names, |name| engine.image(name));
    names.into_iter().map(str::to_owned).zip(looked).collect()
}

/// The images of some containers; what is missing is built or pulled.
pub(crate) fn fetch(
    machine: &Machine,
    (containers, mut looked): (&[&Container], Looked),
    skip_builds: bool,
    ui: &mut Ui,
) -> Result<Images, Failure> {
    let model = machine.model();
    let built = if skip_builds { 0 } else { build(machine, model, containers, ui)? };
    let mut pulls: BTreeMap<&str, (&Container, bool)> = BTreeMap::new();
    for container in containers {
        let is_always = container.fetch == Some(Fetch::Always) && !container.is_built;
        let pull = pulls.entry(&container.spec.image).or_insert((container, false));
        pull.1 |= is_always;
    }
    let mut images = Images::new();
    let mut missing = Vec::new();
    for (name, (container, is_always)) in pulls {
        let image = match looked.remove(name) {
            // A build has changed since.
            Some(_) if built > 0 && container.is_built => machine.engine.image(name),
            Some(image) => image,
            None => machine.engine.image(name),
        };
        match image.map_err(|error| engine::failure(&error))? {
            Some(image) if !is_always => _ = images.insert(name.to_owned(), image),
            _ => missing.push((name, container)),
        }
    }
    refuse_unpullable(&missing, skip_builds)?;
    for (name, _) in &missing {
        ui.progress(&format!("pulling {name}"));
    }
    let logins = if missing.is_empty() { Logins::default() } else { registry::logins(model, ui) };
    let pulled = at_once(&missing, |(name, container)| {
        let image = image::parse(name).unwrap_or_default();
        let host = image.registry().unwrap_or_default();
        let login = logins.of(host, image.repository());
        let login = login.map(|login| (login.user.as_str(), login.password.as_str(), host));
        machine.engine.pull(name, container.platform.as_deref(), login, &mut |_| {})?;
        machine.engine.image(name)
    });
    let mut failed = Vec::new();
    for ((name, _), image) in missing.iter().zip(pulled) {
        match image {
            Ok(Some(image)) => _ = images.insert((*name).to_owned(), image),
            Ok(None) => failed.push(format!("{name}: it is not there after it was pulled")),
            Err(error) if error.is_lost() => return Err(engine::failure(&error)),
            Err(EngineError::Refused { message, .. }) => failed.push(format!("{name}: {message}")),
            Err(error) => failed.push(format!("{name}: {error}")),
        }
    }
    if failed.is_empty() {
        return Ok(images);
    }
    let message = format!("cannot pull {}; nothing was changed", counted(failed.len(), "image"));
    Err(Failure::Error { message, help: failed })
}

/// The note that an image is built for another platform than this machine's.
pub(crate) fn for_other_platform(build: &str, platform: &str) -> String {
    format!("`build.{build}` is for {platform}, which this machine is not: the engine has to emulate it")
}

/// Images that are missing and may not be pulled.
fn refuse_unpullable(missing: &[(&str, &Container)], skip_builds: bool) -> Result<(), Failure> {
    for (name, container) in missing {
        if container.is_built {
            let help =
                if skip_builds { "run it without `--skip-builds`" } else { "run `fracht images --build`" };
            return Err(Failure::new(format!("the image {name} is not on this machine"), help));
        }
        if container.fetch == Some(Fetch::Never) {
            let message = format!("the image {name} is not on this machine, and `fetch` is \"never\"");
            return Err(Failure::new(message, "put it there, or change `fetch`"));
        }
    }
    Ok(())
}

fn build(machine: &Machine, model: &Model, containers: &[&Container], ui: &mut Ui) -> Result<usize, Failure> {
    let built: BTreeSet<&str> =
        containers.iter().filter(|one| one.is_built).map(|one| &*one.spec.image).collect();
    let wanted = model
        .builds
        .entries()
        .filter(|(_, build)| build.image.as_ref().is_some_and(|image| built.contains(&**image.text())));
    let wanted = wanted.map(|(id, _)| id).collect();
    let files = machine.project.files();
    let done = build::build((model, files), &machine.engine, &wanted, &mut |build, step| match step {
        BuildStep::Begins => ui.progress(&format!("building {}", build.name)),
        BuildStep::Done => ui.progress(&format!("built {}", build.name)),
        BuildStep::Elsewhere(platform) => ui.note(&for_other_platform(&build.name, platform)),
        BuildStep::There | BuildStep::Says(_) => {}
    });
    done.map_err(|error| build_failure(model, error))
}

/// The failure for images that cannot be built.
pub(crate) fn build_failure(model: &Model, error: BuildError) -> Failure {
    match error {
        BuildError::Engine(error) => engine::failure(&error),
        BuildError::Unreadable(build, Unreadable { reason, help, .. }) => {
            let name = &model.builds[build].name;
            Failure::new(format!("cannot read the content of `build.{name}`: {reason}"), help)
        }
        BuildError::NotMade(build) => {
            let name = &model.builds[build].name;
            Failure::new(
                format!("the image of `build.{name}` is not on this machine"),
                "another tool makes it (`recipe = \"none\"`): make it, and run the command again",
            )
        }
        BuildError::Failed { build, reason, said } => {
            let build = &model.builds[build];
            let log = said.iter().map(|line| format!("  | {}", escaped(line)));
            let help = format!("fix the recipe or the files of {}, and run the command again", build.folder);
            Failure::Error {
                message: format!("the build of `build.{}` failed: {reason}", build.name),
                help: log.chain([help]).collect(),
            }
        }
    }
}
