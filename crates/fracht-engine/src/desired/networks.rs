//! Networks: one for each network of the stack, one that those without any share, and one for each service whose ports
//! are open although all of its networks are closed.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Workload};

use super::names::{DIGEST, Owner};
use crate::api::NetworkSpec;

/// A network.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Network {
    /// Its name on the engine.
    pub name: String,
    /// Its definition.
    pub spec: NetworkSpec,
    /// The digest of its definition.
    pub digest: String,
}

/// The name of the network that services and tasks without a network share. No network of a stack has it, since it is
/// no name.
const COMMON: &str = "_";

impl Network {
    fn new(owner: &Owner, (rest, of): (&str, &str), internal: bool) -> Self {
        let name = owner.name(rest);
        // Containers of other networks do not reach its members by their addresses either.
        let options = BTreeMap::from([("isolate".to_owned(), "true".to_owned())]);
        let mut spec = NetworkSpec {
            name: name.clone(),
            driver: "bridge".to_owned(),
            internal,
            labels: owner.labels_of(of),
            options,
        };
        let digest = super::container::digest_of(&[&spec]);
        spec.labels.insert(DIGEST.to_owned(), digest.clone());
        Self { name, spec, digest }
    }
}

/// All networks of a model.
pub(super) fn networks(model: &Model, owner: &Owner) -> Vec<Network> {
    let mut networks: BTreeMap<String, Network> = BTreeMap::new();
    let mut add = |network: Network| _ = networks.insert(network.name.clone(), network);
    for network in &model.networks {
        let of = format!("network.{}", network.name);
        add(Network::new(owner, (&network.name, &of), network.closed.value));
    }
    for workload in &model.workloads {
        if workload.networks.is_empty() {
            add(Network::new(owner, (COMMON, "stack"), false));
        }
        if needs_entry(model, workload) {
            add(Network::new(owner, (&entry(workload), &workload.reference()), false));
        }
    }
    networks.into_values().collect()
}

/// The names of the networks of a workload, the one through which it is reached from outside first.
pub(super) fn of_workload(model: &Model, owner: &Owner, workload: &Workload) -> Vec<String> {
    if workload.networks.is_empty() {
        return vec![owner.name(COMMON)];
    }
    let own = workload.networks.iter().map(|network| &model.networks[network.value]);
    let mut own: Vec<_> = own.collect();
    // The engine publishes ports in networks that lead out.
    own.sort_by_key(|network| network.closed.value);
    let own = own.into_iter().map(|network| owner.name(&network.name));
    let entry = needs_entry(model, workload).then(|| owner.name(&entry(workload)));
    entry.into_iter().chain(own).collect()
}

/// Whether a service needs a network of its own to be reached from outside: its ports are open and all of its networks
/// are closed.
fn needs_entry(model: &Model, workload: &Workload) -> bool {
    model.is_closed_in(workload) && workload.open_ports().next().is_some()
}

fn entry(workload: &Workload) -> String {
    format!("{}.entry", workload.name)
}
