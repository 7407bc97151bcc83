//! Tests of the desired state, of the steps, and of runs against the stand-in.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a test that panics has failed, which is what it is for"
)]

mod builds;
mod desired;
mod output;
mod probe;
mod runs;
mod steps;
mod transport;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Mutex;
use std::time::Duration;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;
use fracht_core::model::SecretId;
use fracht_engine::actual::Actual;
use fracht_engine::api::{Engine, EngineError, LocalImage};
use fracht_engine::desired::names::{DIGEST, OF, Owner};
use fracht_engine::desired::{Desired, Refusal, Secrets};
use fracht_engine::ending::Ending;
use fracht_engine::run::{Ended, Event, Runner, stop, stop_order};
use fracht_engine::stand_in::StandIn;
use fracht_engine::steps::{ImageIds, Steps};

/// Secrets that all have the same value.
struct Same(&'static str);

impl Secrets for Same {
    fn value(&self, _: SecretId, _: &str) -> Option<Vec<u8>> {
        Some(self.0.as_bytes().to_vec())
    }
}

/// The desired state of a stack for its target `m`. It may mount the file `conf/a.txt` and the folder `src`.
fn desired(stack: &str, secret: &'static str) -> Result<Desired, Vec<Refusal>> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", format!("[stack]\nname = \"s\"\n[target.m]\non = \"machine\"\n{stack}"))
        .with("/s/conf/a.txt", "from a file")
        .with("/s/src/main.txt", "x");
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap();
    let verdict = project.check("m").unwrap();
    let problems: Vec<String> =
        verdict.report.findings().iter().map(|found| found.diagnostic.message.clone()).collect();
    let checked = verdict.checked().unwrap_or_else(|| panic!("{problems:?}\n{stack}"));
    Desired::of(checked, "harbour", &Same(secret))
}

/// Starts a stack on the stand-in, with all of its images there.
fn start(engine: &StandIn, desired: &Desired) -> Result<(Steps, Ended, Vec<String>), EngineError> {
    for (_, _, container) in desired.containers() {
        if engine.containers().is_empty() {
            engine.add_image(&container.spec.image);
        }
    }
    let actual = Actual::of(&Engine::new(Box::new(engine.clone())), &desired.owner, &[])?;
    start_from(engine, desired, &actual)
}

/// The same, from a state that the engine may have left meanwhile.
fn start_from(
    engine: &StandIn,
    desired: &Desired,
    actual: &Actual,
) -> Result<(Steps, Ended, Vec<String>), EngineError> {
    let api = Engine::new(Box::new(engine.clone()));
    let chosen = desired.chosen(&[]);
    let mut images: BTreeMap<String, LocalImage> = BTreeMap::new();
    for (_, _, container) in desired.containers() {
        if api.image(&container.spec.image)?.is_none() {
            engine.add_image(&container.spec.image);
        }
        images.insert(container.spec.image.clone(), api.image(&container.spec.image)?.unwrap());
    }
    let ids: ImageIds = images.iter().map(|(name, image)| (name.clone(), image.id.clone())).collect();
    let steps = Steps::of(desired, &chosen, actual, &ids);
    let events = Mutex::new(Vec::new());
    let watch = |event: Event| events.lock().unwrap().push(format!("{event:?}"));
    let pause = Duration::from_micros(1);
    let runner = Runner { engine: &api, desired, steps: &steps, images: &images, watch: &watch, pause };
    let ended = runner.run()?;
    Ok((steps, ended, events.into_inner().unwrap()))
}

/// Stops the stack.
fn end(engine: &StandIn, owner: &Owner, with_data: bool) {
    let api = Engine::new(Box::new(engine.clone()));
    let actual = Actual::of(&api, owner, &[]).unwrap();
    let groups = stop_order(&actual, &BTreeMap::new(), |_| true);
    let ending = |_: &_| Ending::short();
    stop(&api, owner, (&actual, &groups), (true, with_data), (&ending, &|_| {})).unwrap();
}

/// What differs between the stand-in and the desired state.
fn differences(engine: &StandIn, desired: &Desired) -> Vec<String> {
    let mut found = Vec::new();
    let chosen = desired.chosen(&[]);
    let mut wanted = BTreeSet::new();
    let there = engine.containers();
    for (unit, _) in desired.units.iter().zip(chosen).filter(|(_, chosen)| *chosen) {
        for replica in &unit.replicas {
            for container in replica.containers() {
                wanted.insert(container.name.clone());
                let ends = unit.is_task() || replica.before.iter().any(|one| one.name == container.name);
                let status = if ends { "exited" } else { "running" };
                match there.iter().find(|one| one.name == container.name) {
                    None => found.push(format!("{} is missing", container.name)),
                    Some(one) if one.status != status => {
                        found.push(format!("{} is {}", one.name, one.status));
                    }
                    Some(one) if one.labels.get(DIGEST) != Some(&container.digest) => {
                        found.push(format!("{} is an older one", one.name));
                    }
                    Some(one) if one.files.len() != container.files.len() => {
                        found.push(format!("{} lacks files", one.name));
                    }
                    Some(_) => {}
                }
            }
        }
    }
    let own = |name: &str| name.starts_with("s.m.");
    let names = there.iter().filter(|one| own(&one.name) && one.labels.contains_key(OF)).map(|one| &one.name);
    found.extend(names.filter(|name| !wanted.contains(*name)).map(|name| format!("{name} is left over")));
    let networks: Vec<String> = desired.networks.iter().map(|network| network.name.clone()).collect();
    let there: Vec<String> = engine.networks().into_iter().filter(|name| own(name)).collect();
    if networks != there {
        found.push(format!("networks {there:?} instead of {networks:?}"));
    }
    let volumes = engine.volumes();
    let missing = desired.volumes.iter().filter(|volume| !volumes.contains(&volume.name));
    found.extend(missing.map(|volume| format!("volume {} is missing", volume.name)));
    found
}
