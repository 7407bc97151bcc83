//! Containers: from a service or task to the definition that the engine takes.

use std::collections::BTreeMap;
use std::time::Duration;

use fracht_core::digest::Digest;
use fracht_core::model::replica;
use fracht_core::model::{
    Confine, Container as Definition, Model, Mount, Mounted, Protocol, Sidecar, Workload, WorkloadId,
};
use serde::Serialize;

use super::names::{DIGEST, Owner, REPLICA, SECRETS, SIDECAR};
use super::values::{Hidden, Inside, Secrets};
use super::{Asked, Container, File, HealthAsked, Numbers, Replica, files, host_of, networks, volumes};
use crate::api::{
    Binding, ContainerSpec, Endpoint, HealthCheck, HostConfig, MountSpec, NetworkingConfig, RestartPolicy,
    TmpfsOptions,
};
use crate::ending::Ending;

/// The address at which ports are published: this machine alone reaches it.
pub(crate) const LOCAL: &str = "127.0.0.1";

/// Builds the containers of a model.
#[derive(Clone, Copy)]
pub(super) struct Builder<'m> {
    pub(super) model: &'m Model,
    pub(super) owner: &'m Owner,
    pub(super) machine: &'m str,
    pub(super) secrets: &'m dyn Secrets,
    pub(super) numbers: &'m Numbers,
}

/// A container of a replica.
#[derive(Clone, Copy)]
struct Here<'m> {
    id: WorkloadId,
    workload: &'m Workload,
    index: u32,
    /// The sidecar; `None` for the main container.
    sidecar: Option<&'m Sidecar>,
}

impl<'m> Here<'m> {
    fn definition(&self) -> &'m Definition {
        self.sidecar.map_or(&self.workload.main, |sidecar| &sidecar.container)
    }
}

/// The digest of some values, by their JSON.
pub(super) fn digest_of<T: Serialize>(values: &[&T]) -> String {
    let mut digest = Digest::default();
    for value in values {
        digest.piece(&serde_json::to_vec(value).unwrap_or_default());
    }
    digest.hex(16)
}

impl<'m> Builder<'m> {
    /// A replica of a service, or the only one of a task.
    pub(super) fn replica(&self, id: WorkloadId, workload: &'m Workload, index: u32) -> Replica {
        let container = |sidecar| self.container(Here { id, workload, index, sidecar });
        let sidecars = |once: bool| {
            let sidecars = workload.sidecars.iter().filter(move |sidecar| sidecar.once == once);
            sidecars.map(|sidecar| container(Some(sidecar))).collect()
        };
        Replica { index, before: sidecars(true), main: container(None), beside: sidecars(false) }
    }

    fn container(&self, here: Here<'m>) -> Container {
        let Here { workload, index, sidecar, .. } = here;
        let definition = here.definition();
        let hidden = Builder { secrets: &Hidden(self.model), ..*self };
        let (plain, plain_files) = hidden.spec(here);
        let (mut spec, files) = self.spec(here);
        let renew = workload.renew.as_ref().map(|text| hidden.inside(here, "").text(text));
        let digest = digest_with(&plain, &plain_files, renew.as_deref());
        let secrets = secrets_digest((&plain, &plain_files), (&spec, &files));
        spec.labels.insert(DIGEST.to_owned(), digest.clone());
        spec.labels.insert(SECRETS.to_owned(), secrets.clone());
        let secrets = self.secrets.are_known().then_some(secrets);
        let health = definition.health.as_ref().map(|health| HealthAsked {
            probe: Asked::of(&health.probe, workload),
            every: health.every.value,
            timeout: health.timeout.value,
            boot: health.boot.value,
        });
        let count = workload.service().map_or(1, |service| service.replicas.value.least());
        let replica =
            if count == 1 { workload.name.to_string() } else { format!("{}-{index}", workload.name) };
        Container {
            name: self.name(here),
            shown: sidecar.map_or(replica.clone(), |sidecar| format!("{replica}.{}", sidecar.name)),
            spec,
            files,
            digest,
            secrets,
            health,
            ending: Ending::of(workload, definition),
            fetch: definition.fetch.map(|fetch| fetch.value),
            platform: workload.platform.as_ref().map(|platform| platform.value.to_string()),
            is_built: definition.build.is_some(),
            published: if sidecar.is_none() { self.published(here) } else { Vec::new() },
        }
    }

    /// The name of a container on the engine.
    fn name(&self, here: Here<'_>) -> String {
        let main = self.main_name(here.workload, here.index);
        here.sidecar.map_or(main.clone(), |sidecar| format!("{main}.{}", sidecar.name))
    }

    fn main_name(&self, workload: &Workload, index: u32) -> String {
        match workload.service() {
            Some(_) => self.owner.name(&format!("{}.{index}", workload.name)),
            None => self.owner.name(&workload.name),
        }
    }

    fn inside<'a>(&'a self, here: Here<'a>, host: &'a str) -> Inside<'a> {
        Inside {
            model: self.model,
            workload: here.workload,
            host,
            machine: self.machine,
            secrets: self.secrets,
        }
    }

    /// The definition of a container, and its files.
    fn spec(&self, here: Here<'_>) -> (ContainerSpec, Vec<File>) {
        let (model, definition, workload) = (self.model, here.definition(), here.workload);
        let host = host_of(model, workload, here.index);
        let inside = self.inside(here, &host);
        let words = |texts: &[fracht_core::model::Text]| texts.iter().map(|text| inside.text(text)).collect();
        // A sidecar that runs beside the main container shares its address.
        let shares = here.sidecar.is_some_and(|sidecar| !sidecar.once);
        let mut labels = self.owner.labels_of(&workload.reference());
        if workload.service().is_some() {
            labels.insert(REPLICA.to_owned(), here.index.to_string());
        }
        if let Some(sidecar) = here.sidecar {
            labels.insert(SIDECAR.to_owned(), sidecar.name.to_string());
        }
        let keeps_running = workload.service().is_some() && here.sidecar.is_none_or(|sidecar| !sidecar.once);
        let confine = definition.confine.value;
        let mut host_config = HostConfig {
            init: true,
            restart_policy: RestartPolicy { name: if keeps_running { "always" } else { "no" }.to_owned() },
            mounts: definition.mounts.iter().filter_map(|mount| self.mount(here, mount)).collect(),
            readonly_rootfs: confine == Confine::Strict,
            cap_drop: if confine == Confine::Strict { vec!["ALL".to_owned()] } else { Vec::new() },
            security_opt: if confine == Confine::Off {
                Vec::new()
            } else {
                vec!["no-new-privileges".to_owned()]
            },
            memory: limit(definition.memory.as_ref()),
            // From thousandths to billionths.
            nano_cpus: limit(definition.cpu.as_ref()).saturating_mul(1_000_000),
            ..HostConfig::default()
        };
        let mut networking_config = NetworkingConfig::default();
        let mut exposed_ports = BTreeMap::new();
        if shares {
            host_config.network_mode = format!("container:{}", self.main_name(workload, here.index));
        } else {
            let names = networks::of_workload(model, self.owner, workload);
            host_config.network_mode = names.first().cloned().unwrap_or_default();
            let aliases =
                if here.sidecar.is_none() { self.aliases(workload, here.index) } else { Vec::new() };
            let endpoint = Endpoint { aliases, address: None };
            networking_config.endpoints_config =
                names.into_iter().map(|name| (name, endpoint.clone())).collect();
        }
        if here.sidecar.is_none() {
            for port in workload.ports() {
                exposed_ports.insert(slot(port.number.value, port.protocol), BTreeMap::new());
            }
            host_config.port_bindings = self.bindings(here);
        }
        let spec = ContainerSpec {
            image: definition.image.value.exact(),
            entrypoint: definition.program.as_deref().map(words),
            cmd: definition.args.as_deref().map(words),
            env: variables(&inside, definition),
            user: definition.user.as_ref().map(|user| match user.value.gid {
                Some(gid) => format!("{}:{gid}", user.value.uid),
                None => user.value.uid.to_string(),
            }),
            working_dir: definition.workdir.as_ref().map(|folder| folder.value.to_string()),
            hostname: if shares { String::new() } else { host.clone() },
            labels,
            exposed_ports,
            healthcheck: health_check(definition),
            stop_timeout: workload.stop_time().as_secs(),
            host_config,
            networking_config,
            ..ContainerSpec::default()
        };
        let files = definition.mounts.iter().flat_map(|mount| files::of_mount(&inside, mount)).collect();
        (spec, files)
    }

    /// The names of a replica in its networks.
    fn aliases(&self, workload: &Workload, index: u32) -> Vec<String> {
        if workload.service().is_none() {
            return Vec::new();
        }
        let behind = workload.behind().iter().map(|other| self.model.workloads[other.value].name.to_string());
        let mut names: Vec<String> = std::iter::once(workload.name.to_string()).chain(behind).collect();
        if self.model.has_stable_names(workload) {
            let is_host = |name: &str| self.model.host_names.contains(name);
            let pods = replica::pods_name(&workload.name, is_host);
            names.push(replica::host(&workload.name, index, &pods));
            names.push(pods);
        }
        names
    }

    fn bindings(&self, here: Here<'_>) -> BTreeMap<String, Vec<Binding>> {
        let mut bindings: BTreeMap<String, Vec<Binding>> = BTreeMap::new();
        for (index, port) in here.workload.port_entries() {
            let numbers = self.numbers.get(&(here.id.index(), index.index()));
            if let Some(number) = numbers.and_then(|numbers| numbers.get(here.index as usize)) {
                let binding = Binding { host_ip: LOCAL.to_owned(), host_port: number.to_string() };
                bindings.entry(slot(port.number.value, port.protocol)).or_default().push(binding);
            }
        }
        bindings
    }

    fn published(&self, here: Here<'_>) -> Vec<(u16, &'static str)> {
        let ports = here.workload.port_entries().filter_map(|(index, port)| {
            let numbers = self.numbers.get(&(here.id.index(), index.index()))?;
            Some((*numbers.get(here.index as usize)?, word(port.protocol)))
        });
        ports.collect()
    }

    /// A mount; `None` for a config or secret, whose files are put into the container.
    fn mount(&self, here: Here<'_>, mount: &Mount) -> Option<MountSpec> {
        let read_only = self.model.is_read_only(mount);
        let base = MountSpec { target: mount.path.to_string(), read_only, ..MountSpec::default() };
        if let Some(source) = volumes::name(self.model, self.owner, (here.workload, here.index), mount) {
            return Some(MountSpec { kind: "volume".to_owned(), source, ..base });
        }
        match &mount.what {
            Mounted::Scratch(scratch) => Some(MountSpec {
                kind: "tmpfs".to_owned(),
                read_only: false,
                tmpfs_options: Some(TmpfsOptions {
                    size_bytes: scratch.size.as_ref().map_or(0, |size| size.size),
                    // Writable for all, each only for its own files.
                    mode: 0o1777,
                }),
                ..base
            }),
            Mounted::Folder(folder) => {
                let source = mount.part.as_ref().map_or_else(|| folder.clone(), |part| folder.join(&**part));
                Some(MountSpec { kind: "bind".to_owned(), source: source.display().to_string(), ..base })
            }
            _ => None,
        }
    }
}

/// A port of a container, as the engine writes it.
fn slot(number: u16, protocol: Protocol) -> String {
    format!("{number}/{}", word(protocol))
}

fn word(protocol: Protocol) -> &'static str {
    match protocol {
        Protocol::Tcp => "tcp",
        Protocol::Udp => "udp",
        Protocol::Sctp => "sctp",
    }
}

fn limit(bounds: Option<&fracht_core::origin::Sourced<fracht_core::grammar::quantity::Bounds>>) -> u64 {
    bounds.and_then(|bounds| bounds.value.limit.as_ref()).map_or(0, |limit| limit.size)
}

/// The variables: those of `use`, later ones over earlier ones, then those of `env`.
fn variables(inside: &Inside<'_>, definition: &Definition) -> Vec<String> {
    let mut variables: Vec<(String, String)> = Vec::new();
    let mut places: BTreeMap<String, usize> = BTreeMap::new();
    let mut set = |name: String, value: String| match places.get(&name) {
        Some(place) => {
            if let Some(slot) = variables.get_mut(*place) {
                slot.1 = value;
            }
        }
        None => {
            places.insert(name.clone(), variables.len());
            variables.push((name, value));
        }
    };
    for used in &definition.uses {
        for part in inside.model.used_keys(used) {
            let (fracht_core::model::Part::Config(_, key) | fracht_core::model::Part::Secret(_, key)) = &part
            else {
                continue;
            };
            set(used.variable(key), inside.part(&part));
        }
    }
    for variable in &definition.env {
        set(variable.name.to_string(), inside.text(&variable.value));
    }
    variables.into_iter().map(|(name, value)| format!("{name}={value}")).collect()
}

/// The check that the engine makes itself. The other forms are asked by Fracht, since they need a program that the
/// image may lack. A check that the image brings has no effect, as in a cluster.
fn health_check(definition: &Definition) -> HealthCheck {
    let nanos = |time: Duration| u64::try_from(time.as_nanos()).unwrap_or(u64::MAX);
    match &definition.health {
        Some(health) => match &health.probe {
            fracht_core::model::Probe::Run { command } => HealthCheck {
                test: std::iter::once("CMD".to_owned())
                    .chain(command.iter().map(|word| word.value.to_string()))
                    .collect(),
                interval: nanos(health.every.value),
                timeout: nanos(health.timeout.value),
                start_period: nanos(health.boot.value),
                retries: health.fails.value.into(),
            },
            _ => none(),
        },
        None => none(),
    }
}

fn none() -> HealthCheck {
    HealthCheck { test: vec!["NONE".to_owned()], ..HealthCheck::default() }
}

/// The digest of a definition, with the files and the text whose change restarts it.
fn digest_with(spec: &ContainerSpec, files: &[File], renew: Option<&str>) -> String {
    let mut digest = Digest::default();
    digest.piece(&serde_json::to_vec(spec).unwrap_or_default());
    for file in files {
        digest.piece(file.path.as_bytes());
        digest.piece(format!("{:o} {}", file.mode, file.gid).as_bytes());
        digest.piece(&file.bytes);
    }
    digest.piece(renew.unwrap_or_default().as_bytes());
    digest.hex(16)
}

/// The digest of what the values of secrets change in a definition; empty if it has none.
fn secrets_digest(plain: (&ContainerSpec, &[File]), real: (&ContainerSpec, &[File])) -> String {
    let changes = plain.0 != real.0 || plain.1 != real.1;
    if changes { digest_with(real.0, real.1, None) } else { String::new() }
}
