//! Looks up the images of a stack in their registries, only when a command is asked to.

use std::collections::BTreeSet;
use std::env;
use std::fs;
use std::path::PathBuf;
use std::sync::Mutex;

use fracht_core::escape::escaped_path;
use fracht_core::grammar::image::Image;
use fracht_core::model::Model;
use fracht_core::plan::images::ImagePlan;
use fracht_core::plan::looked::Looked;
use fracht_registry::login::{Login, Logins};
use fracht_registry::place::Places;
use fracht_registry::{Client, look};

use crate::failure::Failure;
use crate::ui::{Ui, screen};

/// Registries at other addresses.
const MAP: &str = "FRACHT_REGISTRY_MAP";
/// The registry to which the login of the two variables below belongs.
const HOST: &str = "FRACHT_REGISTRY_HOST";
const USER: &str = "FRACHT_REGISTRY_USER";
const PASSWORD: &str = "FRACHT_REGISTRY_PASSWORD";

fn variable(name: &str) -> Option<String> {
    env::var(name).ok().filter(|value| !value.is_empty())
}

/// Where the registries of a target are reached.
pub(crate) fn places(model: &Model) -> Result<Places, Failure> {
    let plain = model.target.without_tls.iter().map(ToString::to_string).collect();
    let mut places = Places { plain, ..Places::default() };
    if let Some(text) = variable(MAP) {
        places.add(&text).map_err(|part| {
            Failure::new(
                format!("invalid part of the variable {MAP}: `{part}`"),
                "for example `registry.example=http://127.0.0.1:5055`",
            )
        })?;
    }
    Ok(places)
}

/// The logins: that of the variables, over those of the first file that exists.
pub(crate) fn logins(model: &Model, ui: &mut Ui) -> Logins {
    let mut logins = Logins::default();
    if let Some((path, text)) =
        files().into_iter().find_map(|path| Some((path.clone(), fs::read_to_string(path).ok()?)))
    {
        match Logins::read(&text) {
            Ok(read) => logins = read,
            Err(reason) => {
                ui.note(&format!("no registry login was read from {}: {reason}", escaped_path(&path)));
            }
        }
    }
    if let (Some(user), Some(password)) = (variable(USER), variable(PASSWORD)) {
        let registry = model.target.registry.as_ref();
        let own = registry.and_then(|registry| registry.value.split('/').next().map(str::to_owned));
        match variable(HOST).or(own) {
            Some(host) => logins.set(&host, Login { user, password }),
            None => ui.note(&format!("{USER} has no effect: name its registry in {HOST}")),
        }
    }
    logins
}

/// The files in which clients of registries keep logins, as they document.
fn files() -> Vec<PathBuf> {
    let set = |name: &str| env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    let home = set("HOME");
    let below = |path: &str| home.as_ref().map(|home| home.join(path));
    [
        set("REGISTRY_AUTH_FILE"),
        set("XDG_RUNTIME_DIR").map(|dir| dir.join("containers/auth.json")),
        set("XDG_CONFIG_HOME").map(|dir| dir.join("containers/auth.json")),
        below(".config/containers/auth.json"),
        set("DOCKER_CONFIG").map(|dir| dir.join("config.json")),
        below(".docker/config.json"),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// A client for the registries of a target.
pub(crate) fn client(model: &Model, ui: &mut Ui) -> Result<Client, Failure> {
    Ok(Client::new(places(model)?, logins(model, ui)))
}

/// Looks up images, each once.
pub(crate) fn look_up(client: &Client, images: &[&Image], ui: &mut Ui) -> Looked {
    let mut seen = BTreeSet::new();
    let images: Vec<&Image> = images.iter().copied().filter(|image| seen.insert(image.floating())).collect();
    let all = images.len();
    let is_live = screen::size_of_messages().is_some() && ui.shows_progress();
    if !is_live {
        return look(client, &images, &|_| {});
    }
    let view = Mutex::new((&mut *ui, 0));
    let looked = look(client, &images, &|done| {
        if let Ok(mut view) = view.lock() {
            let drawn = view.1;
            view.0.redraw(drawn, &[format!("looked up {done} of {all} images")]);
            view.1 = 1;
        }
    });
    if view.into_inner().is_ok_and(|(_, drawn)| drawn > 0) {
        ui.redraw(1, &[]);
    }
    looked
}

/// Looks up all images of a target.
pub(crate) fn look_up_all(model: &Model, ui: &mut Ui) -> Result<Looked, Failure> {
    let client = client(model, ui)?;
    let plan = ImagePlan::of(model);
    let used = plan.images.iter().filter(|used| used.is_in_registry(model));
    let images: Vec<&Image> = used.map(|used| used.image).collect();
    Ok(look_up(&client, &images, ui))
}
