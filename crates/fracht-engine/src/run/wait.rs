//! Waits for what others wait for: that a replica is ready, that a task is done.

use std::time::{Duration, Instant};

use super::{Failed, Point, Shared, is_touched};
use crate::actual::Seen;
use crate::api::{Engine, EngineError};
use crate::desired::{Container, HealthAsked, Replica, Unit, UnitKind};
use crate::parallel::at_once;
use crate::probe::Answer;
use crate::steps::{Need, ReplicaSteps};

/// The longest pause between two looks at a container.
const LONGEST_PAUSE: Duration = Duration::from_millis(500);

/// How long a container without a health check has to run before it counts as started.
const GRACE: Duration = Duration::from_millis(250);

/// How often a container may end by itself before its start has failed.
const MOST_ENDS: u64 = 3;

/// Pauses that grow with the wait: what happens is noticed at most a twentieth of it later, and a long one costs little.
struct Pauses {
    begun: Instant,
    least: Duration,
}

impl Pauses {
    fn new(least: Duration) -> Self {
        Self { begun: Instant::now(), least }
    }

    fn pause(&self, most: Duration) {
        std::thread::sleep((self.begun.elapsed() / 20).max(self.least).min(most.max(self.least)));
    }
}

impl Shared<'_> {
    /// A container as it is now; `None` if the run is over, or if the container is gone, which is noted.
    fn look(&self, index: usize, container: &Container) -> Result<Option<Seen>, EngineError> {
        if self.is_over() {
            return Ok(None);
        }
        let seen = self.runner.engine.inspect(&container.name)?.map(|inspected| Seen::of(&inspected));
        if seen.is_none() {
            self.fail(index, Failed::gone(container));
        }
        Ok(seen)
    }

    /// Waits until the containers of a replica that have a health check are ready, or that those without one run for a
    /// moment. Whether they do; if not, it is noted.
    pub(super) fn replica_ready(
        &self,
        index: usize,
        (replica, steps): (&Replica, &ReplicaSteps),
        with_health: bool,
    ) -> bool {
        let needs = std::iter::once(steps.main).chain(steps.beside.iter().copied());
        let containers = std::iter::once(&replica.main).chain(&replica.beside);
        let pairs = containers.zip(needs).filter(|(container, _)| container.health.is_some() == with_health);
        let pairs: Vec<(&Container, Need)> = pairs.collect();
        // A sidecar has the address of its main container.
        let ready = at_once(&pairs, |(container, need)| {
            match self.container_ready(index, container, (&replica.main.name, *need)) {
                Ok(ready) => ready,
                Err(error) => {
                    self.note(index, &container.shown, &container.name, error);
                    false
                }
            }
        });
        !ready.contains(&false)
    }

    fn container_ready(
        &self,
        index: usize,
        container: &Container,
        (main, need): (&str, Need),
    ) -> Result<bool, EngineError> {
        let begun = Instant::now();
        match &container.health {
            Some(health) => {
                if is_touched(need) {
                    self.runner.tell(index, &container.shown, Point::Asking);
                }
                self.healthy(index, container, (main, need), (health, begun))
            }
            None if is_touched(need) => self.running(index, container, begun),
            None => Ok(true),
        }
    }

    /// Waits until the health check of a container passes.
    fn healthy(
        &self,
        index: usize,
        container: &Container,
        (main, need): (&str, Need),
        (health, begun): (&HealthAsked, Instant),
    ) -> Result<bool, EngineError> {
        let engine = self.runner.engine;
        let pauses = Pauses::new(self.runner.pause);
        let mut said = String::new();
        loop {
            let Some(seen) = self.look(index, container)? else { return Ok(false) };
            if seen.restarts >= MOST_ENDS && is_touched(need) {
                self.fail(index, Failed::ends(container, &seen));
                return Ok(false);
            }
            if seen.is_running {
                let address = if main == container.name { seen.address } else { address_of(engine, main)? };
                match self.prober.ask(engine, (&container.name, address), health)? {
                    Answer::Passed => {
                        if is_touched(need) {
                            self.runner.tell(index, &container.shown, Point::Ready(begun.elapsed()));
                        }
                        return Ok(true);
                    }
                    Answer::Failed(why) => said = why,
                    Answer::Unasked(why) => {
                        self.fail(index, Failed::unasked(container, &why));
                        return Ok(false);
                    }
                }
            }
            if begun.elapsed() >= health.boot {
                let failed = if seen.is_running {
                    Failed::unhealthy(container, health.boot, &said)
                } else {
                    Failed::ends(container, &seen)
                };
                self.fail(index, failed);
                return Ok(false);
            }
            pauses.pause(health.every.min(LONGEST_PAUSE));
        }
    }

    /// Waits until a container without a health check has run for a moment.
    fn running(&self, index: usize, container: &Container, begun: Instant) -> Result<bool, EngineError> {
        let pauses = Pauses::new(self.runner.pause);
        while begun.elapsed() < GRACE.min(self.runner.pause * 10) {
            pauses.pause(GRACE);
        }
        let mut since = Instant::now();
        let mut restarts = None;
        loop {
            let Some(seen) = self.look(index, container)? else { return Ok(false) };
            let is_same_run = *restarts.get_or_insert(seen.restarts) == seen.restarts;
            if !is_same_run || !seen.is_running {
                since = if is_same_run { since } else { Instant::now() };
                restarts = Some(seen.restarts);
            }
            // One that ended once has to show that it stays.
            let grace = if seen.restarts == 0 { Duration::ZERO } else { GRACE * 6 };
            if seen.is_running && since.elapsed() >= grace {
                self.runner.tell(index, &container.shown, Point::Started(begun.elapsed()));
                return Ok(true);
            }
            let is_left_down = !seen.is_running && since.elapsed() > GRACE * 12;
            if seen.restarts >= MOST_ENDS || is_left_down {
                self.fail(index, Failed::ends(container, &seen));
                return Ok(false);
            }
            pauses.pause(GRACE);
        }
    }

    /// Waits until a task has ended, and tries it again as often as it may. Whether it ended well.
    pub(super) fn task_end(
        &self,
        index: usize,
        unit: &Unit,
        replica: &Replica,
        steps: &ReplicaSteps,
    ) -> bool {
        let container = &replica.main;
        let (retries, timeout) = match unit.kind {
            UnitKind::Task { retries, timeout, .. } => (retries, timeout),
            UnitKind::Service => (0, None),
        };
        let begun = Instant::now();
        let mut tries = 1;
        loop {
            match self.one_try(index, container, timeout) {
                Ok(Some(0)) => {
                    let point =
                        if is_touched(steps.main) { Point::Done(begun.elapsed()) } else { Point::Kept };
                    self.runner.tell(index, &container.shown, point);
                    return true;
                }
                Ok(Some(code)) if tries <= retries => {
                    self.runner.tell(index, &container.shown, Point::Again(tries, code));
                    tries += 1;
                    std::thread::sleep(self.runner.pause * 10);
                    if !self.remade(index, container) {
                        return false;
                    }
                }
                Ok(Some(code)) => {
                    self.fail(index, Failed::ended(container, code));
                    return false;
                }
                Ok(None) => return false,
                Err(error) => {
                    self.note(index, &container.shown, &container.name, error);
                    return false;
                }
            }
        }
    }

    /// Waits for one try of a task: its exit code, or `None` if it failed in another way, which is noted.
    fn one_try(
        &self,
        index: usize,
        container: &Container,
        timeout: Option<Duration>,
    ) -> Result<Option<i64>, EngineError> {
        let engine = self.runner.engine;
        let begun = Instant::now();
        let pauses = Pauses::new(self.runner.pause);
        let mut is_told = false;
        loop {
            let Some(seen) = self.look(index, container)? else { return Ok(None) };
            if !seen.is_running && !seen.is_fresh() {
                return Ok(Some(seen.exit_code));
            }
            if !is_told {
                is_told = true;
                self.runner.tell(index, &container.shown, Point::Running);
            }
            if let Some(timeout) = timeout.filter(|timeout| begun.elapsed() >= *timeout) {
                engine.stop(&container.name, container.ending.within)?;
                self.fail(index, Failed::too_long(container, timeout));
                return Ok(None);
            }
            pauses.pause(LONGEST_PAUSE);
        }
    }
}

/// The address of a container.
fn address_of(engine: &Engine, name: &str) -> Result<Option<std::net::IpAddr>, EngineError> {
    Ok(engine.inspect(name)?.and_then(|inspected| inspected.address()))
}
