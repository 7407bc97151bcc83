//! The stack as one target sees it: the vocabulary that rules, plans and back ends share.
//!
//! # Invariants of a model
//!
//! They hold from the reader on, whether or not the stack has errors:
//!
//! - An id names an element of this model; looking it up can't fail.
//! - Elements stand in the order of the stack file, those that only a target adds behind them.
//! - A [`Text`] holds no braces syntax any more: each reference in it has been resolved or reported.
//! - Every value has its [`Origin`](crate::origin::Origin).
//! - What could not be read is reported, and stands here as a harmless default, its element marked as
//!   `tainted`; rules pass over tainted elements, so that one mistake gives one message.
//!
//! They hold for a [`Checked`](crate::check::Checked) model only:
//!
//! - Nothing is tainted; every image, name, number and quantity is valid.
//! - Nobody waits for itself, directly or in a circle.
//!
//! And these, unless the stack has turned their rule off:
//!
//! - No two ports want one number in one place.
//! - Who waits for a service's readiness finds a check of health and a TCP port there.

mod build;
mod config;
mod container;
mod extra;
mod health;
mod list;
mod mount;
mod network;
mod outside;
mod port;
mod secret;
mod target;
mod text;
mod volume;
mod workload;

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::origin::Sourced;

pub use build::Build;
pub use config::{Config, ConfigKey, ConfigKeys, Content};
pub use container::{BeforeStop, Confine, Container, Helper, Spell, Use, UseSource, Variable};
pub use extra::{OperationKind, Passed, Patch, PatchChange, Raw};
pub use health::{Health, Probe};
pub use list::{Id, List};
pub use mount::{Mount, Mounted, Scratch};
pub use network::Network;
pub use outside::{Outside, OutsidePlace, OutsidePort};
pub use port::{Port, PortIndex, Protocol, Reach};
pub use secret::{Secret, SecretKey, SecretSource};
pub use target::{EntryKind, Gate, Target, TargetKind, Web};
pub use text::{Address, Part, PodField, Text};
pub use volume::{Access, Volume};
pub use workload::{
    After, Condition, Kind, Over, Overlap, Replicas, Right, Rollout, ServicePart, Spread, TaskPart, Workload,
};

/// A service or a task.
pub type WorkloadId = Id<Workload>;
/// A volume.
pub type VolumeId = Id<Volume>;
/// A config.
pub type ConfigId = Id<Config>;
/// A secret.
pub type SecretId = Id<Secret>;
/// Something outside of the stack.
pub type OutsideId = Id<Outside>;
/// A network.
pub type NetworkId = Id<Network>;

/// A stack under one target.
#[derive(Clone, Debug)]
pub struct Model {
    /// Set if something in the stack could not be read, and is reported.
    pub incomplete: bool,
    /// The stack's name.
    pub name: Sourced<Arc<str>>,
    /// What the stack is, in a line.
    pub title: Option<Sourced<Arc<str>>>,
    /// The target.
    pub target: Target,
    /// Services and tasks.
    pub workloads: List<Workload>,
    /// Builds.
    pub builds: List<Build>,
    /// Volumes.
    pub volumes: List<Volume>,
    /// Configs.
    pub configs: List<Config>,
    /// Secrets.
    pub secrets: List<Secret>,
    /// Networks.
    pub networks: List<Network>,
    /// What the stack uses and does not run.
    pub outsides: List<Outside>,
    /// The names that are host names in the stack: those of services and tasks, and of what is outside.
    pub host_names: BTreeSet<Arc<str>>,
    /// Changes to objects, in the order to make them.
    pub patches: Vec<Patch>,
    /// Files of objects that are taken as they are.
    pub passed: Vec<Passed>,
}

impl Model {
    /// Whether two workloads share a network; those that name none share the stack's common one.
    pub fn share_network(&self, a: &Workload, b: &Workload) -> bool {
        (a.networks.is_empty() && b.networks.is_empty())
            || a.networks.iter().any(|one| b.networks.iter().any(|other| one.value == other.value))
    }

    /// Whether each replica of a workload keeps a name of its own: it says so, or has a volume by that name.
    pub fn has_stable_names(&self, workload: &Workload) -> bool {
        let each = |mount: &Mount| matches!(mount.what, Mounted::Volume(id) if self.volumes[id].each.value);
        workload.service().is_some_and(|service| {
            service.stable_names.value
                || workload.containers().any(|container| container.mounts.iter().any(each))
        })
    }

    /// Whether a workload mounts a volume that no second pod could mount while it runs.
    pub fn has_single_volume(&self, workload: &Workload) -> bool {
        let single = |mount: &Mount| match mount.what {
            Mounted::Volume(id) => {
                let volume = &self.volumes[id];
                !volume.each.value && matches!(volume.access.value, Access::OneNode | Access::OnePod)
            }
            _ => false,
        };
        workload.containers().any(|container| container.mounts.iter().any(single))
    }

    /// The host name that the web reaches a port by: its own, or the target's domain.
    pub fn web_host<'a>(&'a self, port: &'a Port) -> Option<&'a str> {
        port.host.as_ref().or(self.target.domain.as_ref()).map(|host| &*host.value)
    }

    /// Whether what is mounted can't be written to: the mount says so, or the volume is for readers only.
    pub fn is_read_only(&self, mount: &Mount) -> bool {
        let for_readers = |id: VolumeId| self.volumes[id].access.value == Access::ManyReaders;
        mount.read_only || matches!(mount.what, Mounted::Volume(id) if for_readers(id))
    }

    /// The keys that a `use` makes variables of: all of a secret, the settings of a config.
    pub fn used_keys(&self, used: &Use) -> Vec<Part> {
        match used.source {
            UseSource::Config(id) => {
                let keys = self.configs[id].keys.iter();
                let settings = keys.filter(|key| !matches!(key.content, Content::File { .. }));
                settings.map(|key| Part::Config(id, Arc::clone(&key.name))).collect()
            }
            UseSource::Secret(id) => {
                self.secrets[id].keys.iter().map(|key| Part::Secret(id, Arc::clone(&key.name))).collect()
            }
        }
    }

    /// The keys of secrets that become variables or arguments of a process.
    pub fn secrets_of_processes(&self) -> BTreeSet<(SecretId, Arc<str>)> {
        let referred = self.workloads.iter().flat_map(Workload::texts).flat_map(|(_, text)| &text.parts);
        let uses = self.workloads.iter().flat_map(Workload::containers).flat_map(|container| &container.uses);
        let used: BTreeSet<SecretId> = uses
            .filter_map(|used| match used.source {
                UseSource::Secret(id) => Some(id),
                UseSource::Config(_) => None,
            })
            .collect();
        let keys = |id: SecretId| self.secrets[id].keys.iter().map(move |key| (id, Arc::clone(&key.name)));
        let key = |part: &Part| match part {
            Part::Secret(id, key) => Some((*id, Arc::clone(key))),
            _ => None,
        };
        referred.filter_map(key).chain(used.into_iter().flat_map(keys)).collect()
    }

    /// Whether a workload that is in closed networks only asks the cluster's API, so that it has a way out for that.
    pub fn leaves_by_api(&self, workload: &Workload) -> bool {
        let gate = workload.after.iter().any(|after| after.condition == Condition::Done);
        (gate || !workload.rights.is_empty()) && self.is_closed_in(workload)
    }

    /// Whether a workload has no way out but to the members of its networks and the look-up of names.
    pub fn is_closed_in(&self, workload: &Workload) -> bool {
        !workload.networks.is_empty()
            && workload.networks.iter().all(|network| self.networks[network.value].closed.value)
    }
}
