//! The steps from what is to what should be, as plain data.
//!
//! Whatever the engine has of a stack, also what an interrupted run has left, the steps end in the desired state. They
//! change only what differs: a container by the digest of its definition, of its secrets, or by its image.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use crate::actual::{Actual, Seen, SeenNetwork};
use crate::desired::names::Owner;
use crate::desired::{Container, Desired, Network, Replica, Unit, Volume};

/// The steps.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Steps {
    /// The containers to remove first, those that were started last in front.
    pub remove: Vec<Removal>,
    /// The networks to remove then: those that are defined anew, and those that are not used any more.
    pub remove_networks: Vec<String>,
    /// The networks to create.
    pub create_networks: Vec<Network>,
    /// The volumes to create.
    pub create_volumes: Vec<Volume>,
    /// The scratch space that nothing uses any more.
    pub remove_volumes: Vec<String>,
    /// For each unit of [`Desired::units`] what its replicas need; `None` for those that are left alone.
    pub units: Vec<Option<Vec<ReplicaSteps>>>,
}

/// A container to remove.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Removal {
    /// Its name.
    pub name: String,
    /// Its name in output.
    pub shown: String,
    /// Why.
    pub why: String,
}

/// What a replica needs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReplicaSteps {
    /// The main container.
    pub main: Need,
    /// The sidecars beside it, in their order.
    pub beside: Vec<Need>,
}

/// What a container needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Need {
    /// Nothing: it runs, or it is a task that is done.
    Keep,
    /// To be started: it is the right one and has ended.
    Start,
    /// To be created.
    Create,
    /// To be removed, created and started.
    Replace(Why),
}

/// Why a container is replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Why {
    /// Its definition differs.
    Definition,
    /// A value of a secret differs.
    Secret,
    /// Its image is another one under the same name.
    Image,
    /// An earlier run ended before it was started.
    Unfinished,
    /// It was paused by hand.
    Paused,
    /// It was taken out of a network by hand.
    Network,
    /// The task has failed.
    Failed,
    /// It shares the network of a container that is replaced or was started again.
    Beside,
}

impl fmt::Display for Why {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Definition => "its definition has changed",
            Self::Secret => "the value of a secret has changed",
            Self::Image => "its image has changed",
            Self::Unfinished => "an earlier start did not finish",
            Self::Paused => "it was paused by hand",
            Self::Network => "it was taken out of a network by hand",
            Self::Failed => "it failed",
            Self::Beside => "its service was started anew",
        })
    }
}

impl Need {
    /// Whether the container is made anew.
    pub fn is_new(self) -> bool {
        matches!(self, Self::Create | Self::Replace(_))
    }
}

/// The ids of images on this machine, by their references.
pub type ImageIds = BTreeMap<String, String>;

impl Steps {
    /// The steps for the units that are `chosen`, by their places.
    pub fn of(desired: &Desired, chosen: &[bool], actual: &Actual, images: &ImageIds) -> Self {
        let mut steps = Self::default();
        let changed: BTreeSet<&str> = steps.networks(desired, actual);
        let is_cut = |container: &Container| {
            let networks = container.spec.networking_config.endpoints_config.keys();
            networks.into_iter().any(|network| changed.contains(&**network))
        };
        for (index, unit) in desired.units.iter().enumerate() {
            if chosen.get(index) != Some(&true) {
                steps.units.push(None);
                continue;
            }
            let replicas = unit.replicas.iter();
            let replicas = replicas.map(|replica| replica_steps(unit, replica, actual, images, &is_cut));
            steps.units.push(Some(replicas.collect()));
        }
        steps.removals(desired, actual, &is_cut);
        let wanted: BTreeSet<&str> = desired.volumes.iter().map(|volume| &*volume.name).collect();
        let missing = desired.volumes.iter().filter(|volume| !actual.volumes.contains_key(&volume.name));
        steps.create_volumes = missing.cloned().collect();
        // Data of volumes that the stack has no more stays: only `stop --with-data` removes it.
        let scratch = actual
            .volumes
            .iter()
            .filter(|(name, of)| !of.starts_with("volume.") && !wanted.contains(&***name));
        steps.remove_volumes = scratch.map(|(name, _)| name.clone()).collect();
        steps
    }

    /// Plans the networks, and returns the names of those that are defined anew.
    fn networks<'d>(&mut self, desired: &'d Desired, actual: &Actual) -> BTreeSet<&'d str> {
        let mut changed = BTreeSet::new();
        let mut wanted = BTreeSet::new();
        for network in &desired.networks {
            wanted.insert(&*network.name);
            match actual.networks.get(&network.name) {
                Some(SeenNetwork { digest, .. }) if *digest == network.digest => {}
                Some(_) => {
                    changed.insert(&*network.name);
                    self.remove_networks.push(network.name.clone());
                    self.create_networks.push(network.clone());
                }
                None => self.create_networks.push(network.clone()),
            }
        }
        let unused = actual.networks.keys().filter(|name| !wanted.contains(&***name));
        self.remove_networks.extend(unused.cloned());
        changed
    }

    /// Plans which containers are removed first: those that the stack has no more, and those that keep a network from
    /// being defined anew.
    fn removals(&mut self, desired: &Desired, actual: &Actual, is_cut: &dyn Fn(&Container) -> bool) {
        let mut wanted = BTreeMap::new();
        for (_, replica, container) in desired.containers() {
            // A sidecar has the network of its main container.
            wanted.insert(&*container.name, is_cut(container) || is_cut(&replica.main));
        }
        for seen in started_last_first(actual.containers.values()) {
            let why = match wanted.get(&*seen.name) {
                Some(false) => continue,
                Some(true) => "its network has changed",
                // Its program may still run in another terminal.
                None if seen.is_once && seen.is_running => continue,
                None if seen.is_once => "its program has ended",
                None => "the stack does not have it",
            };
            let shown = actual.shown(seen);
            self.remove.push(Removal { name: seen.name.clone(), shown, why: why.to_owned() });
        }
    }

    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        let keeps = |steps: &ReplicaSteps| {
            steps.main == Need::Keep && steps.beside.iter().all(|need| *need == Need::Keep)
        };
        self.remove.is_empty()
            && self.remove_networks.is_empty()
            && self.create_networks.is_empty()
            && self.create_volumes.is_empty()
            && self.remove_volumes.is_empty()
            && self.units.iter().flatten().flatten().all(keeps)
    }
}

/// Containers, those that were started last in front; sidecars before the main container whose network they share.
pub(crate) fn started_last_first<'a>(seen: impl Iterator<Item = &'a Seen>) -> Vec<&'a Seen> {
    let mut all: Vec<&Seen> = seen.collect();
    all.sort_by(|one, other| {
        (other.sidecar.is_some(), &other.started_at, &one.name).cmp(&(
            one.sidecar.is_some(),
            &one.started_at,
            &other.name,
        ))
    });
    all
}

fn replica_steps(
    unit: &Unit,
    replica: &Replica,
    actual: &Actual,
    images: &ImageIds,
    is_cut: &dyn Fn(&Container) -> bool,
) -> ReplicaSteps {
    let need = |container: &Container| {
        if is_cut(container) {
            return Need::Create;
        }
        match actual.containers.get(&container.name) {
            None => Need::Create,
            Some(seen) => need_of(unit, container, seen, images),
        }
    };
    let mut main = need(&replica.main);
    // A change of what runs before the main container makes the whole replica anew.
    let is_before_changed = |container: &Container| match actual.containers.get(&container.name) {
        Some(seen) => seen.digest != container.digest || has_other_secrets(container, seen),
        None => true,
    };
    if !main.is_new() && replica.before.iter().any(is_before_changed) {
        main = Need::Replace(Why::Definition);
    }
    let started = actual.containers.get(&replica.main.name).map_or("", |seen| &seen.started_at);
    let beside = replica.beside.iter().map(|container| {
        let need = need(container);
        let seen = actual.containers.get(&container.name);
        // Its network is that of an earlier run of the main container.
        let is_older = seen.is_some_and(|seen| is_earlier(&seen.started_at, started));
        match need {
            Need::Keep | Need::Start if main != Need::Keep || is_older => Need::Replace(Why::Beside),
            need => need,
        }
    });
    ReplicaSteps { main, beside: beside.collect() }
}

/// Whether a time is before another one; both are RFC 3339.
fn is_earlier(one: &str, other: &str) -> bool {
    let parse = |text: &str| text.parse::<jiff::Timestamp>().ok();
    matches!((parse(one), parse(other)), (Some(one), Some(other)) if one < other)
}

/// What a container that is there needs.
fn need_of(unit: &Unit, container: &Container, seen: &Seen, images: &ImageIds) -> Need {
    if seen.digest != container.digest {
        return Need::Replace(Why::Definition);
    }
    if has_other_secrets(container, seen) {
        return Need::Replace(Why::Secret);
    }
    let image = images.get(&container.spec.image);
    if image.is_some_and(|image| !is_same_image(image, &seen.image)) {
        return Need::Replace(Why::Image);
    }
    // Its files may not be there yet.
    if seen.is_fresh() {
        return Need::Replace(Why::Unfinished);
    }
    if seen.status == "paused" {
        return Need::Replace(Why::Paused);
    }
    let mut networks = container.spec.networking_config.endpoints_config.keys();
    if seen.is_running && !networks.all(|network| seen.networks.contains(network)) {
        return Need::Replace(Why::Network);
    }
    if seen.is_running {
        return Need::Keep;
    }
    match (unit.is_task(), seen.exit_code) {
        (false, _) => Need::Start,
        (true, 0) => Need::Keep,
        (true, _) => Need::Replace(Why::Failed),
    }
}

/// Whether a value of a secret differs. Of values that are not known, nothing is.
fn has_other_secrets(container: &Container, seen: &Seen) -> bool {
    container.secrets.as_ref().is_some_and(|secrets| *secrets != seen.secrets)
}

/// Whether two ids name the same image; some engines leave out the algorithm.
fn is_same_image(one: &str, other: &str) -> bool {
    let bare = |id: &str| id.strip_prefix("sha256:").unwrap_or(id).to_owned();
    bare(one) == bare(other)
}

/// A name or a number that is needed, and that others have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Conflict {
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

/// The names of a stack that others have on the engine.
pub fn name_conflicts(desired: &Desired, actual: &Actual) -> Vec<Conflict> {
    let others = &actual.others;
    let containers = desired.containers().map(|(_, _, container)| ("container", &container.name));
    let networks = desired.networks.iter().map(|network| ("network", &network.name));
    let volumes = desired.volumes.iter().map(|volume| ("volume", &volume.name));
    let taken = containers.chain(networks).chain(volumes).filter_map(|(kind, name)| {
        let by = match kind {
            "container" => others.containers.get(name),
            "network" => others.networks.get(name),
            _ => others.volumes.get(name),
        }?;
        let owner = match by {
            Some(Owner { stack, target }) => format!("stack `{stack}`, target `{target}`"),
            None => "something that Fracht did not create".to_owned(),
        };
        Some(Conflict {
            message: format!("the {kind} `{name}` already exists: it belongs to {owner}"),
            help: format!("remove that {kind}, or rename the stack"),
        })
    });
    taken.collect()
}
