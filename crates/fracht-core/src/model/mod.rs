//! The stack for one target, as plain data. Rules, plans and back ends work on it.
//!
//! # Invariants of a model
//!
//! These hold for every model, whether or not the stack has errors:
//!
//! - An id names an element of this model, so that looking it up cannot fail.
//! - Elements are in the order of the stack file; those that only a target defines follow.
//! - Every reference in a [`Text`] has been resolved or reported.
//! - A value whose place a message may show is [`Sourced`], or has a span beside it.
//! - What could not be read has been reported and has a default here. The model is then
//!   [`incomplete`](Model::incomplete), and a service, task or volume that it is in is `tainted`. Rules look at all that
//!   could be read. One that finds what is missing asks whether it is [`unread`](Workload::unread), so that one mistake
//!   gives one message.
//!
//! These hold for a [`Checked`](crate::check::Checked) model:
//!
//! - Nothing is tainted; every image, name, number and size is valid.
//! - No service or task waits for itself, directly or in a cycle.
//!
//! These hold for a checked model unless the stack turns their rule off or lowers it:
//!
//! - No two ports use the same number in the same place.
//! - A service that others wait for until it is ready has a health check and a TCP port.

mod address;
mod build;
mod change;
mod config;
mod container;
mod extra;
mod health;
mod input;
mod kept;
mod list;
mod login;
mod mount;
mod network;
mod outside;
mod port;
pub mod replica;
mod secret;
mod store;
mod target;
mod text;
mod volume;
mod workload;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::origin::Sourced;

pub use address::KeyAddress;
pub(crate) use address::KeyAddresses;
pub use build::Build;
pub use change::Change;
pub use config::{Config, ConfigKey, ConfigKeys, Content};
pub use container::{
    BeforeStop, Confine, Container, Fetch, Sidecar, SidecarIndex, Spell, Use, UseSource, Variable,
};
pub use extra::{OperationKind, Passed, Patch, PatchChange, Raw};
pub use health::{Health, Probe};
pub use input::Input;
pub use kept::Kept;
pub use list::{Id, List};
pub use login::KnownLogin;
pub use mount::{Mount, Mounted, Scratch};
pub use network::{Admitted, Network};
pub use outside::{Outside, OutsidePlace, OutsidePort};
pub use port::{Port, PortIndex, PortLogin, Protocol, Reach};
pub(crate) use secret::keys_by_name;
pub use secret::{Replacement, Secret, SecretForm, SecretKey, SecretSource};
pub(crate) use store::is_port_of_store;
pub use store::{OwnStore, Store};
pub use target::{EarlierTarget, EntryKind, Gate, Target, TargetKind, Web};
pub use text::{Address, Part, PodField, Text};
pub use volume::{Access, Volume};
pub use workload::{
    After, Condition, Kind, Over, Overlap, Replicas, Right, Rollout, ServicePart, Spread, TaskPart, Unread,
    Workload,
};

/// A service or a task.
pub type WorkloadId = Id<Workload>;
/// A build.
pub type BuildId = Id<Build>;
/// A volume.
pub type VolumeId = Id<Volume>;
/// A config.
pub type ConfigId = Id<Config>;
/// A secret.
pub type SecretId = Id<Secret>;
/// An external service.
pub type OutsideId = Id<Outside>;
/// A network.
pub type NetworkId = Id<Network>;

/// A stack for one target.
#[derive(Clone, Debug)]
pub struct Model {
    /// Set if something in the stack could not be read, which has been reported.
    pub incomplete: bool,
    /// The stack's name.
    pub name: Sourced<Arc<str>>,
    /// One line about the stack.
    pub title: Option<Sourced<Arc<str>>>,
    /// The target.
    pub target: Target,
    /// Inputs.
    pub inputs: Vec<Input>,
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
    /// External services.
    pub outsides: List<Outside>,
    /// Kinds of data stores that the stack defines.
    pub stores: Vec<OwnStore>,
    /// The host names inside the stack: the names of services, tasks and external services.
    pub host_names: BTreeSet<Arc<str>>,
    /// The services that answer at the address of another one as well, by the name of that one.
    pub answering: BTreeMap<Arc<str>, Vec<WorkloadId>>,
    /// Changes to objects, in the order in which to make them.
    pub patches: Vec<Patch>,
    /// Files of objects that are added unchanged.
    pub passed: Vec<Passed>,
    /// The texts with a form of their own (addresses, host names) that the target changes.
    pub changes: Vec<Change>,
    /// The port numbers that the lock keeps for the target.
    pub kept: Vec<Kept>,
}

impl Model {
    /// The data store that a container runs, if its image is that of one.
    pub fn store<'m>(&'m self, container: &'m Container) -> Option<Store<'m>> {
        Store::of(&container.image.value, &self.stores)
    }

    /// The services that answer at the address of a service, besides itself.
    pub fn answering(&self, service: &Workload) -> &[WorkloadId] {
        self.answering.get(&service.name).map_or(&[], Vec::as_slice)
    }

    /// Whether clients outside the stack can reach a port of a service: it is open, or a port of its name is at an
    /// address at which the service answers as well.
    pub fn is_opened(&self, service: &Workload, port: &Port) -> bool {
        port.reach.value.is_open()
            || service
                .behind()
                .iter()
                .any(|other| self.workloads[other.value].open_ports().any(|open| open.name == port.name))
    }

    /// The ports of a service that clients outside the stack can reach.
    pub fn opened_ports<'m>(&'m self, service: &'m Workload) -> impl Iterator<Item = &'m Port> {
        service.ports().iter().filter(|port| self.is_opened(service, port))
    }

    /// Whether two workloads share a network. Workloads without `networks` share the default network.
    pub fn share_network(&self, a: &Workload, b: &Workload) -> bool {
        (a.networks.is_empty() && b.networks.is_empty())
            || a.networks.iter().any(|one| b.networks.iter().any(|other| one.value == other.value))
    }

    /// Whether the replicas of a workload keep their names: `stable-names` is set, or each replica has a volume of
    /// its own.
    pub fn has_stable_names(&self, workload: &Workload) -> bool {
        let each = |mount: &Mount| matches!(mount.what, Mounted::Volume(id) if self.volumes[id].each.value);
        workload.service().is_some_and(|service| {
            service.stable_names.value
                || workload.containers().any(|container| container.mounts.iter().any(each))
        })
    }

    /// Whether a workload mounts a volume that pods on other nodes cannot mount at the same time.
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

    /// The host name of a web port: its own, or the target's domain.
    pub fn web_host<'a>(&'a self, port: &'a Port) -> Option<&'a Arc<str>> {
        port.host.as_ref().or(self.target.domain.as_ref()).map(|host| &host.value)
    }

    /// Whether a mount is read-only: the mount sets it, or the volume allows readers only.
    pub fn is_read_only(&self, mount: &Mount) -> bool {
        let for_readers = |id: VolumeId| self.volumes[id].access.value == Access::ManyReaders;
        mount.read_only || matches!(mount.what, Mounted::Volume(id) if for_readers(id))
    }

    /// The keys that a `use` turns into variables: all keys of a secret, the settings of a config.
    pub fn used_keys(&self, used: &Use) -> Vec<Part> {
        match used.source {
            UseSource::Config(id) => {
                let keys = self.configs[id].keys.iter();
                let settings = keys.filter(|key| key.is_setting());
                settings.map(|key| Part::Config(id, Arc::clone(&key.name))).collect()
            }
            UseSource::Secret(id) => {
                self.secrets[id].keys.iter().map(|key| Part::Secret(id, Arc::clone(&key.name))).collect()
            }
        }
    }

    /// The secret keys that become variables or arguments of a process.
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

    /// Whether a workload that is only in closed networks uses the cluster's API, so that it may connect to it.
    pub fn may_use_api(&self, workload: &Workload) -> bool {
        let gate = workload.after.iter().any(|after| after.condition.asks_api());
        (gate || !workload.rights.is_empty()) && self.is_closed_in(workload)
    }

    /// Whether a workload is only in closed networks: it reaches their members and DNS.
    pub fn is_closed_in(&self, workload: &Workload) -> bool {
        !workload.networks.is_empty()
            && workload.networks.iter().all(|network| self.networks[network.value].closed.value)
    }
}
