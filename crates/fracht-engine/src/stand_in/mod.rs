//! An engine for tests and demonstrations that runs nothing: it answers as an engine does, and remembers.
//!
//! A container that is restarted when it ends runs on; any other one ends at its second look, with exit code 0. Health
//! checks pass at their second asking. What goes wrong is set by a [`Scene`].

mod answers;
mod containers;
mod images;
mod server;
mod things;

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Cursor};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

pub use server::Server;

use crate::transport::{Answer, Attached, Body, Request, Transport, decoded};
use answers::Answering;
use containers::Container;
use images::Image;

/// What goes wrong.
#[derive(Clone, Debug, Default)]
pub struct Scene {
    /// Every answer takes so long.
    pub slow: Duration,
    /// Health checks of these containers never pass.
    pub sick: BTreeSet<String>,
    /// These containers end as soon as they are started, with this exit code.
    pub ends: BTreeMap<String, i64>,
    /// These containers are not there any more at their next look.
    pub vanish: BTreeSet<String>,
    /// These numbers of the machine are taken, which shows only when a container is started.
    pub taken: BTreeSet<u16>,
    /// After so many requests, the connection of each one is cut: every second request was carried out.
    pub cut_after: Option<usize>,
    /// These images are not in their registry.
    pub absent: BTreeSet<String>,
    /// A container is created in one network at most, as older engines have it.
    pub takes_one_network: bool,
}

/// The engine.
#[derive(Clone, Default)]
pub struct StandIn {
    world: Arc<Mutex<World>>,
}

/// All that it remembers.
#[derive(Default)]
struct World {
    scene: Scene,
    requests: usize,
    /// What every request was, without its body.
    log: Vec<String>,
    ids: usize,
    containers: BTreeMap<String, Container>,
    networks: BTreeMap<String, Network>,
    volumes: BTreeMap<String, BTreeMap<String, String>>,
    images: BTreeMap<String, Image>,
    pushed: Vec<String>,
    programs: BTreeMap<String, Program>,
    last_time: Option<jiff::Timestamp>,
}

struct Network {
    spec: serde_json::Value,
    number: usize,
}

/// A program in a container.
struct Program {
    container: String,
    command: Vec<String>,
    exit_code: i64,
}

/// A container, as tests see it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shown {
    /// Its name.
    pub name: String,
    /// Its state.
    pub status: String,
    /// Its labels.
    pub labels: BTreeMap<String, String>,
    /// The paths of its files.
    pub files: Vec<String>,
}

impl StandIn {
    fn world(&self) -> MutexGuard<'_, World> {
        self.world.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Changes what goes wrong from now on.
    pub fn scene(&self, change: impl FnOnce(&mut Scene)) {
        let mut world = self.world();
        world.requests = 0;
        change(&mut world.scene);
    }

    /// Puts an image on the machine.
    pub fn add_image(&self, reference: &str) {
        self.world().add_image(reference, BTreeMap::new());
    }

    /// Puts another image on the machine under the same name.
    pub fn change_image(&self, reference: &str) {
        let mut world = self.world();
        let id = world.next_id();
        if let Some(image) = world.images.get_mut(reference) {
            image.id = format!("sha256:{id}");
        }
    }

    /// All containers, by their names.
    pub fn containers(&self) -> Vec<Shown> {
        self.world().containers.values().map(Container::shown).collect()
    }

    /// The definition with which a container was created.
    pub fn definition(&self, name: &str) -> serde_json::Value {
        self.world().containers.get(name).map(Container::definition).unwrap_or_default()
    }

    /// The names of all networks.
    pub fn networks(&self) -> Vec<String> {
        self.world().networks.keys().cloned().collect()
    }

    /// The names of all volumes.
    pub fn volumes(&self) -> Vec<String> {
        self.world().volumes.keys().cloned().collect()
    }

    /// The images that were pushed.
    pub fn pushed(&self) -> Vec<String> {
        self.world().pushed.clone()
    }

    /// The requests since the last call: each with its method and path, without the version.
    pub fn requests(&self) -> Vec<String> {
        std::mem::take(&mut self.world().log)
    }

    /// Ends a container, as if its program had crashed. The engine restarts it if it should.
    pub fn crash(&self, name: &str, exit_code: i64) {
        let mut world = self.world();
        let now = world.now();
        if let Some(container) = world.containers.get_mut(name) {
            container.crash(exit_code, &now);
        }
    }

    /// Changes the state of a container, as if it was done by hand.
    pub fn set_status(&self, name: &str, status: &str) {
        if let Some(container) = self.world().containers.get_mut(name) {
            status.clone_into(&mut container.status);
        }
    }

    fn answer(&self, method: &str, path: &str, body: &[u8]) -> io::Result<Answering> {
        let (slow, is_cut, is_lost) = {
            let mut world = self.world();
            world.requests += 1;
            let is_cut = world.scene.cut_after.is_some_and(|after| world.requests > after);
            (world.scene.slow, is_cut, is_cut && world.requests.is_multiple_of(2))
        };
        if is_lost {
            return Err(io::ErrorKind::ConnectionReset.into());
        }
        if !slow.is_zero() {
            std::thread::sleep(slow);
        }
        let path = path.strip_prefix("/v1.41").unwrap_or(path);
        let (path, query) = path.split_once('?').unwrap_or((path, ""));
        let query: BTreeMap<String, String> = query
            .split('&')
            .filter(|pair| !pair.is_empty())
            .map(|pair| pair.split_once('=').unwrap_or((pair, "")))
            .map(|(key, value)| (key.to_owned(), decoded(value)))
            .collect();
        let mut world = self.world();
        world.log.push(format!("{method} {path}"));
        let parts: Vec<String> = path.split('/').skip(1).map(decoded).collect();
        let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
        let answer = world.answer(method, &parts, &query, body);
        // This one was carried out, and only its answer is lost.
        if is_cut { Err(io::ErrorKind::ConnectionReset.into()) } else { Ok(answer) }
    }
}

/// The bytes of a request's body.
fn bytes_of(body: Body<'_>) -> io::Result<Vec<u8>> {
    match body {
        Body::Nothing => Ok(Vec::new()),
        Body::Json(bytes) => Ok(bytes),
        Body::Archive(from) => {
            let mut bytes = Vec::new();
            from.read_to_end(&mut bytes)?;
            Ok(bytes)
        }
    }
}

impl Transport for StandIn {
    fn send(&self, request: Request<'_>) -> io::Result<Answer> {
        let body = bytes_of(request.body)?;
        let Answering { status, body } = self.answer(request.method, &request.path, &body)?;
        Ok(Answer { status, body: Box::new(Cursor::new(body)) })
    }

    fn attach(&self, request: Request<'_>) -> io::Result<Attached> {
        let Answer { status, body: from } = self.send(request)?;
        Ok(Attached { status, from, to: Box::new(io::sink()) })
    }

    fn place(&self) -> String {
        "the stand-in".to_owned()
    }
}
