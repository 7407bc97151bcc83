//! Takes the steps: removes, creates and starts containers in start order, and waits until each is what others wait for.

mod container;
mod failure;
pub mod one;
mod stop;
mod wait;

use std::collections::BTreeMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Sender, channel};
use std::thread::Scope;
use std::time::Duration;

use fracht_core::model::Condition;

pub use failure::{Failed, exit};
pub use stop::{EndingOf, Stopped, stop, stop_order};

use crate::actual::SeenNetwork;
use crate::api::{Engine, EngineError, LocalImage};
use crate::desired::names::DIGEST;
use crate::desired::{Desired, Network, Replica, Unit};
use crate::ending::Ending;
use crate::parallel::{Slots, at_once};
use crate::probe::Prober;
use crate::steps::{Need, ReplicaSteps, Steps};

/// Something that happens while the steps are taken.
#[derive(Clone, Debug)]
pub enum Event {
    /// Something that is no container is made or removed, in words.
    Prepared(String),
    /// A container, by the place of its unit and its name in output, is at a new point.
    At(usize, String, Point),
}

/// A point in the life of a container.
#[derive(Clone, Debug)]
pub enum Point {
    /// It runs as it should.
    Kept,
    /// It is removed, for this reason.
    Removing(String),
    /// It is created, for this reason if another one was there.
    Creating(Option<String>),
    /// It is started.
    Starting,
    /// It was started, and its health check is asked.
    Asking,
    /// The task runs.
    Running,
    /// The task is tried again: how often it was tried, and its exit code.
    Again(u32, i64),
    /// It was started.
    Started(Duration),
    /// Its health check passes, so long after its start.
    Ready(Duration),
    /// The task has ended well, so long after its start.
    Done(Duration),
    /// It failed.
    Failed(Failed),
    /// It was not started, since these have failed.
    Blocked(Vec<String>),
}

/// What the runner knows.
pub struct Runner<'r> {
    /// The engine.
    pub engine: &'r Engine,
    /// What there should be.
    pub desired: &'r Desired,
    /// What is to be done.
    pub steps: &'r Steps,
    /// The images that are on this machine, by their references.
    pub images: &'r BTreeMap<String, LocalImage>,
    /// Is told what happens.
    pub watch: &'r (dyn Fn(Event) + Sync),
    /// The first pause between two looks at a container.
    pub pause: Duration,
}

/// How a run ended.
#[derive(Debug, Default)]
pub struct Ended {
    /// The containers that failed.
    pub failed: Vec<Failed>,
    /// The units that were not started, by their places, each with the names of those that it waits for.
    pub blocked: Vec<(usize, Vec<String>)>,
    /// The containers that were started, by their names, in the order of their starts.
    pub started: Vec<String>,
}

/// What the threads of a run share.
struct Shared<'r> {
    runner: &'r Runner<'r>,
    prober: Prober,
    /// For what changes the engine: a wide stack would ask for hundreds of containers at once.
    slots: Slots,
    networks: BTreeMap<String, SeenNetwork>,
    failed: Mutex<Vec<Failed>>,
    started: Mutex<Vec<String>>,
    /// The error that ends the whole run.
    lost: Mutex<Option<EngineError>>,
    is_lost: AtomicBool,
}

/// What the thread of a unit reports.
enum Report {
    /// Everyone who waits for this condition can go on.
    Reached(usize, Condition),
    /// It has failed.
    Failed(usize),
    /// It is over.
    Over,
}

impl Runner<'_> {
    fn tell(&self, unit: usize, shown: &str, point: Point) {
        (self.watch)(Event::At(unit, shown.to_owned(), point));
    }

    /// Takes all steps.
    ///
    /// # Errors
    /// [`EngineError`] if the engine is gone, or refuses what is no matter of one container. What was done stays, and
    /// another run goes on from there.
    pub fn run(&self) -> Result<Ended, EngineError> {
        self.prepare()?;
        let needs_addresses =
            self.desired.containers().any(|(_, _, container)| container::needs_address(container));
        let networks = if needs_addresses { self.subnets()? } else { BTreeMap::new() };
        let shared = Shared {
            runner: self,
            prober: Prober::default(),
            slots: Slots::default(),
            networks,
            failed: Mutex::default(),
            started: Mutex::default(),
            lost: Mutex::default(),
            is_lost: AtomicBool::new(false),
        };
        let blocked = std::thread::scope(|scope| shared.units(scope));
        self.clean()?;
        if let Some(error) = into_inner(shared.lost) {
            return Err(error);
        }
        Ok(Ended { failed: into_inner(shared.failed), blocked, started: into_inner(shared.started) })
    }

    /// Removes what is in the way, and makes networks and volumes.
    fn prepare(&self) -> Result<(), EngineError> {
        let (engine, steps) = (self.engine, self.steps);
        for removal in &steps.remove {
            let unit = self.unit_of(&removal.name);
            match unit {
                Some(unit) => self.tell(unit, &removal.shown, Point::Removing(removal.why.clone())),
                None => (self.watch)(Event::Prepared(format!("remove {}: {}", removal.shown, removal.why))),
            }
            let container =
                self.desired.containers().find(|(_, _, container)| container.name == removal.name);
            let ending = container.map_or_else(Ending::short, |(_, _, container)| container.ending.clone());
            ending.end(engine, &removal.name)?;
        }
        for name in &steps.remove_networks {
            (self.watch)(Event::Prepared(format!("remove network {}", self.shown(name))));
            engine.remove_network(name)?;
        }
        for network in &steps.create_networks {
            (self.watch)(Event::Prepared(format!("create network {}", self.shown(&network.name))));
            match engine.create_network(&network.spec) {
                // By a run that was killed: the engine had its request still to carry out.
                Err(error) if error.is_name_taken() && self.is_made(network)? => {}
                created => created?,
            }
        }
        for volume in &steps.create_volumes {
            (self.watch)(Event::Prepared(format!("create volume {}", self.shown(&volume.name))));
            engine.create_volume(&volume.spec)?;
        }
        Ok(())
    }

    /// Whether a network is there as it should be.
    fn is_made(&self, network: &Network) -> Result<bool, EngineError> {
        let there = self.engine.network(&network.name)?;
        Ok(there.is_some_and(|there| there.labels.get(DIGEST) == Some(&network.digest)))
    }

    /// Removes scratch space that nothing uses any more.
    fn clean(&self) -> Result<(), EngineError> {
        self.steps.remove_volumes.iter().try_for_each(|name| self.engine.remove_volume(name))
    }

    /// A name without the stack and the target.
    fn shown<'n>(&self, name: &'n str) -> &'n str {
        name.strip_prefix(&self.desired.owner.name("")).unwrap_or(name)
    }

    fn unit_of(&self, name: &str) -> Option<usize> {
        self.desired.units.iter().position(|unit| {
            unit.replicas.iter().flat_map(Replica::containers).any(|container| container.name == name)
        })
    }

    fn subnets(&self) -> Result<BTreeMap<String, SeenNetwork>, EngineError> {
        let all = self.engine.networks(&self.desired.owner.labels())?.into_iter();
        let own = all.filter(|network| self.desired.networks.iter().any(|own| own.name == network.name));
        Ok(own
            .map(|network| {
                let subnet = network.addresses.config.into_iter().next().unwrap_or_default().subnet;
                (network.name, SeenNetwork { digest: String::new(), subnet })
            })
            .collect())
    }
}

/// The value of a lock that no thread has any more.
fn into_inner<T>(lock: Mutex<T>) -> T {
    lock.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// How far a unit is.
#[expect(clippy::struct_excessive_bools, reason = "each is a condition that others wait for")]
#[derive(Clone, Copy, Debug, Default)]
struct Progress {
    is_begun: bool,
    is_started: bool,
    /// Ready, and current as well: all replicas are of this version.
    is_ready: bool,
    is_done: bool,
    has_failed: bool,
}

impl Progress {
    fn has_reached(self, condition: Condition) -> bool {
        match condition {
            Condition::Started => self.is_started,
            Condition::Ready | Condition::Current => self.is_ready,
            Condition::Done => self.is_done,
        }
    }
}

impl Shared<'_> {
    /// Runs every unit, each as soon as what it waits for is reached. Returns those that could not be started.
    fn units<'s>(&'s self, scope: &'s Scope<'s, '_>) -> Vec<(usize, Vec<String>)> {
        let units = &self.runner.desired.units;
        let mut progress = vec![Progress::default(); units.len()];
        let (send, reports) = channel();
        let mut going = 0_usize;
        loop {
            for (index, unit) in units.iter().enumerate() {
                let Some(Some(steps)) = self.runner.steps.units.get(index) else { continue };
                let can_begin = unit.after.iter().all(|(on, condition)| {
                    let is_left_alone = self.runner.steps.units.get(*on).is_none_or(Option::is_none);
                    is_left_alone || progress.get(*on).is_some_and(|other| other.has_reached(*condition))
                });
                if let Some(own) = progress.get_mut(index).filter(|own| !own.is_begun && can_begin) {
                    own.is_begun = true;
                    going += 1;
                    let send = send.clone();
                    scope.spawn(move || {
                        self.unit(index, unit, steps, &send);
                        // The other side listens until all are over.
                        let _ = send.send(Report::Over);
                    });
                }
            }
            if going == 0 {
                break;
            }
            let Ok(report) = reports.recv() else { break };
            let (index, change): (usize, fn(&mut Progress)) = match report {
                Report::Over => {
                    going -= 1;
                    continue;
                }
                Report::Reached(index, Condition::Started) => (index, |own| own.is_started = true),
                Report::Reached(index, Condition::Done) => (index, |own| own.is_done = true),
                Report::Reached(index, _) => (index, |own| own.is_ready = true),
                Report::Failed(index) => (index, |own| own.has_failed = true),
            };
            if let Some(own) = progress.get_mut(index) {
                change(own);
            }
        }
        self.blocked(&progress)
    }

    /// The units that did not begin, each with what it waits for.
    fn blocked(&self, progress: &[Progress]) -> Vec<(usize, Vec<String>)> {
        let desired = self.runner.desired;
        let mut blocked = Vec::new();
        for (index, unit) in desired.units.iter().enumerate() {
            let is_meant = matches!(self.runner.steps.units.get(index), Some(Some(_)));
            if !is_meant || progress.get(index).is_none_or(|own| own.is_begun) {
                continue;
            }
            let waits = unit.after.iter().filter(|(on, condition)| {
                progress.get(*on).is_some_and(|other| !other.has_reached(*condition))
            });
            let on: Vec<String> =
                waits.filter_map(|(on, _)| desired.units.get(*on)).map(|unit| unit.name.clone()).collect();
            for replica in &unit.replicas {
                self.runner.tell(index, &replica.main.shown, Point::Blocked(on.clone()));
            }
            blocked.push((index, on));
        }
        blocked
    }

    /// Brings the replicas of a unit to what others wait for.
    fn unit(&self, index: usize, unit: &Unit, steps: &[ReplicaSteps], send: &Sender<Report>) {
        let report = |report| _ = send.send(report);
        let replicas: Vec<_> = unit.replicas.iter().zip(steps).collect();
        let made = at_once(&replicas, |(replica, steps)| self.make(index, unit, replica, steps));
        if made.contains(&false) {
            report(Report::Failed(index));
            if unit.is_task() {
                return;
            }
        } else {
            report(Report::Reached(index, Condition::Started));
        }
        let made: Vec<_> =
            replicas.iter().zip(&made).filter(|(_, made)| **made).map(|(pair, _)| pair).collect();
        let is_whole = made.len() == replicas.len();
        let good = at_once(&made, |(replica, steps)| {
            if unit.is_task() {
                self.task_end(index, unit, replica, steps)
            } else {
                self.replica_ready(index, (replica, steps), true)
            }
        });
        if !is_whole || good.contains(&false) {
            report(Report::Failed(index));
        } else if unit.is_task() {
            report(Report::Reached(index, Condition::Done));
        } else {
            // A container without a check is ready when it runs, as in a cluster. That it stays so is seen meanwhile.
            report(Report::Reached(index, Condition::Ready));
        }
        if !unit.is_task() {
            let stays = at_once(&made, |(replica, steps)| self.replica_ready(index, (replica, steps), false));
            if stays.contains(&false) {
                report(Report::Failed(index));
            }
        }
    }

    /// Notes an error. One of a single container is its failure; if the engine is gone, the run ends.
    fn note(&self, unit: usize, shown: &str, name: &str, error: EngineError) {
        if error.is_lost() {
            self.is_lost.store(true, Ordering::Relaxed);
            let mut lost = self.lost.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
            lost.get_or_insert(error);
            return;
        }
        self.fail(unit, Failed::refused(shown, name, &error));
    }

    fn fail(&self, unit: usize, mut failed: Failed) {
        failed.unit = unit;
        if failed.log.is_empty() {
            failed.log = failure::last_lines(self.runner.engine, &failed.name);
        }
        self.runner.tell(unit, &failed.shown, Point::Failed(failed.clone()));
        self.failed.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(failed);
    }

    fn is_over(&self) -> bool {
        self.is_lost.load(Ordering::Relaxed)
    }
}

/// Whether a container is made anew or started.
fn is_touched(need: Need) -> bool {
    need != Need::Keep
}
