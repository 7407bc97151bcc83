//! Stops a stack, in reverse order, and removes what it is made of. Data stays unless it is to be removed as well.

use std::collections::BTreeMap;

use crate::actual::{Actual, Seen};
use crate::api::{Engine, EngineError};
use crate::desired::names::Owner;
use crate::ending::Ending;
use crate::parallel::at_once;
use crate::steps::started_last_first;

/// What was stopped and removed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Stopped {
    /// The containers, by their names in output, in the order in which they were stopped.
    pub containers: Vec<String>,
    /// The networks.
    pub networks: Vec<String>,
    /// The volumes.
    pub volumes: Vec<String>,
    /// The volumes that stay.
    pub kept: Vec<String>,
}

/// The containers of some tables, in groups: each group stops at once, after the one before. `waves` has the place of
/// each table in the start order; those that it does not have are stopped first.
pub fn stop_order<'a>(
    actual: &'a Actual,
    waves: &BTreeMap<String, usize>,
    is_chosen: impl Fn(&Seen) -> bool,
) -> Vec<Vec<&'a Seen>> {
    let mut groups: BTreeMap<(usize, bool), Vec<&Seen>> = BTreeMap::new();
    for seen in started_last_first(actual.containers.values().filter(|seen| is_chosen(seen))) {
        let wave = waves.get(&seen.of).copied().unwrap_or(usize::MAX);
        // A sidecar has the network of its main container, which goes later.
        groups.entry((wave, seen.sidecar.is_some())).or_default().push(seen);
    }
    groups.into_values().rev().collect()
}

/// Says how a container is ended.
pub type EndingOf<'e> = &'e (dyn Fn(&Seen) -> Ending + Sync);

/// Stops and removes the containers of `groups`, each by its `ending`, and tells `watch` their names. Of the whole
/// stack, networks and scratch space go then, and its data if that is meant.
///
/// # Errors
/// [`EngineError`]. What was removed is removed, and another run goes on from there.
pub fn stop(
    engine: &Engine,
    owner: &Owner,
    (actual, groups): (&Actual, &[Vec<&Seen>]),
    (is_whole, with_data): (bool, bool),
    (ending, watch): (EndingOf<'_>, &(dyn Fn(&str) + Sync)),
) -> Result<Stopped, EngineError> {
    let mut stopped = Stopped::default();
    for group in groups {
        let results = at_once(group, |seen| {
            let shown = actual.shown(seen);
            watch(&shown);
            ending(seen).end(engine, &seen.name).map(|()| shown)
        });
        for result in results {
            stopped.containers.push(result?);
        }
    }
    if !is_whole {
        return Ok(stopped);
    }
    let shown = |name: &str| name.strip_prefix(&owner.name("")).unwrap_or(name).to_owned();
    for name in actual.networks.keys() {
        engine.remove_network(name)?;
        stopped.networks.push(shown(name));
    }
    for (name, of) in &actual.volumes {
        if with_data || !of.starts_with("volume.") {
            engine.remove_volume(name)?;
            stopped.volumes.push(shown(name));
        } else {
            stopped.kept.push(shown(name));
        }
    }
    Ok(stopped)
}
