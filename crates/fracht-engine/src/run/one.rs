//! A container for one program, with all that a service or task has.

use std::collections::BTreeMap;

use super::container::{brings_init, create as create_with_files, needs_address};
use crate::api::{Engine, EngineError, HealthCheck, LocalImage, RestartPolicy};
use crate::desired::names::{DIGEST, REPLICA};
use crate::desired::values::ADDRESS;
use crate::desired::{Container, Desired};

/// A program to run once.
#[derive(Clone, Debug)]
pub struct OneProgram {
    /// The name of its container.
    pub name: String,
    /// The label that says what it is.
    pub label: (String, String),
    /// The program and its arguments; empty for that of the task.
    pub program: Vec<String>,
    /// Whether it has a terminal.
    pub tty: bool,
}

/// Creates the networks and volumes that a container needs, as far as they are missing.
///
/// # Errors
/// [`EngineError`]
pub fn prepare(engine: &Engine, desired: &Desired, container: &Container) -> Result<(), EngineError> {
    let needed = &container.spec.networking_config.endpoints_config;
    for network in desired.networks.iter().filter(|network| needed.contains_key(&network.name)) {
        if engine.network(&network.name)?.is_none() {
            engine.create_network(&network.spec)?;
        }
    }
    let mounted = |name: &str| container.spec.host_config.mounts.iter().any(|mount| mount.source == name);
    // Creating one that is there changes nothing.
    let volumes = desired.volumes.iter().filter(|volume| mounted(&volume.name));
    volumes.into_iter().try_for_each(|volume| engine.create_volume(&volume.spec))
}

/// Creates the container. It has no open ports, and does not answer to the name of the service.
///
/// # Errors
/// [`EngineError`]
pub fn create(
    engine: &Engine,
    (container, images): (&Container, &BTreeMap<String, LocalImage>),
    program: &OneProgram,
) -> Result<(), EngineError> {
    let mut spec = container.spec.clone();
    if let Some((first, rest)) = program.program.split_first() {
        spec.entrypoint = Some(vec![first.clone()]);
        spec.cmd = Some(rest.to_vec());
    }
    spec.labels.retain(|key, _| key != DIGEST && key != REPLICA);
    spec.labels.insert(program.label.0.clone(), program.label.1.clone());
    "once".clone_into(&mut spec.hostname);
    spec.exposed_ports.clear();
    spec.healthcheck = HealthCheck { test: vec!["NONE".to_owned()], ..HealthCheck::default() };
    spec.host_config.port_bindings.clear();
    spec.host_config.restart_policy = RestartPolicy { name: "no".to_owned() };
    spec.host_config.init = !brings_init(&spec, images.get(&container.spec.image));
    for endpoint in spec.networking_config.endpoints_config.values_mut() {
        endpoint.aliases.clear();
    }
    spec.tty = program.tty;
    spec.open_stdin = true;
    spec.stdin_once = true;
    if needs_address(container) {
        // Only a replica has an address that others know.
        let words = spec.entrypoint.iter_mut().chain(&mut spec.cmd).flatten();
        words.chain(&mut spec.env).for_each(|word| *word = word.replace(ADDRESS, "127.0.0.1"));
    }
    create_with_files(engine, &program.name, &spec, &container.files)
}
