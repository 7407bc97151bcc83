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
//! - No two ports want one number in one place.
//! - Who waits for a service's readiness finds a check of health and a TCP port there.

mod build;
mod config;
mod health;
mod list;
mod mount;
mod network;
mod port;
mod secret;
mod target;
mod text;
mod volume;
mod workload;

use std::sync::Arc;

use crate::origin::At;

pub use build::Build;
pub use config::{Config, ConfigKey, Content};
pub use health::{Health, Probe};
pub use list::{Id, List};
pub use mount::{Mount, Mounted};
pub use network::Network;
pub use port::{Port, PortIndex, Protocol, Reach};
pub use secret::{Secret, SecretKey, SecretSource};
pub use target::{Place, Target};
pub use text::{Part, PodField, Text};
pub use volume::{Access, Volume};
pub use workload::{After, Condition, Kind, ServicePart, TaskPart, Variable, Workload};

/// A service or a task.
pub type WorkloadId = Id<Workload>;
/// A volume.
pub type VolumeId = Id<Volume>;
/// A config.
pub type ConfigId = Id<Config>;
/// A secret.
pub type SecretId = Id<Secret>;
/// A network.
pub type NetworkId = Id<Network>;

/// A stack under one target.
#[derive(Clone, Debug)]
pub struct Model {
    /// The stack's name.
    pub name: At<Arc<str>>,
    /// What the stack is, in a line.
    pub title: Option<At<Arc<str>>>,
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
}

impl Model {
    /// Whether two workloads share a network; those that name none share the stack's common one.
    pub fn share_network(&self, a: &Workload, b: &Workload) -> bool {
        (a.networks.is_empty() && b.networks.is_empty())
            || a.networks.iter().any(|one| b.networks.iter().any(|other| one.value == other.value))
    }
}
