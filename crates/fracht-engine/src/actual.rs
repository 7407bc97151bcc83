//! The actual state: what of a stack is on the engine, and who has the names that it needs.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use crate::api::{Engine, EngineError, Inspected, ListedNetwork, ListedVolume};
use crate::desired::names::{DIGEST, OF, ONCE, Owner, REPLICA, SECRETS, SIDECAR};
use crate::parallel::at_once;

/// What is on the engine.
#[derive(Clone, Debug, Default)]
pub struct Actual {
    /// The containers of the stack, by their names.
    pub containers: BTreeMap<String, Seen>,
    /// The networks of the stack, by their names.
    pub networks: BTreeMap<String, SeenNetwork>,
    /// The volumes of the stack, with the table that each belongs to.
    pub volumes: BTreeMap<String, String>,
    /// The names that others have.
    pub others: Others,
}

/// What others have on the engine: each name with its owner, if that is another stack.
#[derive(Clone, Debug, Default)]
pub struct Others {
    /// Containers.
    pub containers: BTreeMap<String, Option<Owner>>,
    /// Networks.
    pub networks: BTreeMap<String, Option<Owner>>,
    /// Volumes.
    pub volumes: BTreeMap<String, Option<Owner>>,
    /// Numbers of the machine that lead to containers of others, with the protocol and the container.
    pub ports: BTreeMap<(u16, String), String>,
}

/// A network of the stack.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SeenNetwork {
    /// The digest of its definition.
    pub digest: String,
    /// Its block of addresses (RFC 4632); empty if the engine does not tell it.
    pub subnet: String,
}

/// A container of the stack.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Seen {
    /// Its name.
    pub name: String,
    /// The table that it belongs to: `service.api`.
    pub of: String,
    /// The number of its replica; `None` for a task.
    pub replica: Option<u32>,
    /// The sidecar that it is.
    pub sidecar: Option<String>,
    /// Whether it is for one program.
    pub is_once: bool,
    /// The digest of its definition.
    pub digest: String,
    /// The digest of the values of its secrets.
    pub secrets: String,
    /// The id of its image.
    pub image: String,
    /// `created`, `running`, `exited`, `paused` …
    pub status: String,
    /// Whether it runs.
    pub is_running: bool,
    /// The exit code of its program.
    pub exit_code: i64,
    /// How often the engine restarted it after it ended.
    pub restarts: u64,
    /// When it was started (RFC 3339).
    pub started_at: String,
    /// When it ended (RFC 3339).
    pub finished_at: String,
    /// Its address in one of its networks.
    pub address: Option<IpAddr>,
    /// The networks that it is in.
    pub networks: BTreeSet<String>,
    /// The numbers of the machine that lead to it.
    pub published: Vec<u16>,
    /// Whether it was killed for lack of memory.
    pub is_out_of_memory: bool,
    /// Why it could not be started.
    pub error: String,
}

impl Seen {
    /// What an inspection tells.
    pub fn of(inspected: &Inspected) -> Self {
        let label = |key: &str| inspected.config.labels.get(key).cloned().unwrap_or_default();
        let state = &inspected.state;
        Self {
            name: inspected.name().to_owned(),
            of: label(OF),
            replica: label(REPLICA).parse().ok(),
            sidecar: Some(label(SIDECAR)).filter(|name| !name.is_empty()),
            is_once: inspected.config.labels.contains_key(ONCE),
            digest: label(DIGEST),
            secrets: label(SECRETS),
            image: inspected.image.clone(),
            status: if state.paused { "paused".to_owned() } else { state.status.clone() },
            is_running: state.running && !state.paused,
            exit_code: state.exit_code,
            restarts: inspected.restart_count,
            started_at: state.started_at.clone(),
            finished_at: state.finished_at.clone(),
            address: inspected.address(),
            networks: inspected.network_settings.networks.keys().cloned().collect(),
            published: inspected.published(),
            is_out_of_memory: state.oom_killed,
            error: state.error.clone(),
        }
    }

    /// Whether it was created, and never started.
    pub fn is_fresh(&self) -> bool {
        matches!(self.status.as_str(), "created" | "configured" | "initialized")
    }

    /// Whether it ended by itself, well.
    pub fn is_done(&self) -> bool {
        !self.is_running && !self.is_fresh() && self.status != "paused" && self.exit_code == 0
    }
}

impl Actual {
    /// The name of a container in output, as that of one that should be: `api`, `cache-1`, `api.exporter`.
    pub fn shown(&self, seen: &Seen) -> String {
        let name = seen.of.split_once('.').map_or(&*seen.of, |(_, name)| name);
        if seen.is_once {
            return seen.name.rsplit('.').next().map_or_else(String::new, |last| format!("{name}.{last}"));
        }
        let is_one_of_many =
            |other: &Seen| other.of == seen.of && other.replica.is_some_and(|index| index > 0);
        let replica = match seen.replica {
            Some(index) if self.containers.values().any(is_one_of_many) => format!("{name}-{index}"),
            _ => name.to_owned(),
        };
        seen.sidecar.as_ref().map_or(replica.clone(), |sidecar| format!("{replica}.{sidecar}"))
    }

    /// Looks at the engine. Of networks that others have, only those of the names `wanted` are looked for: to list all takes
    /// engines long.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn of(engine: &Engine, owner: &Owner, wanted: &[&str]) -> Result<Self, EngineError> {
        // Engines take their time for each list.
        let (containers, networks, volumes) = std::thread::scope(|scope| {
            let networks = scope.spawn(|| engine.networks(&owner.labels()));
            let volumes = scope.spawn(|| engine.volumes(&[]));
            let containers = engine.containers(&[]);
            let lost = || EngineError::odd("list all", &"a thread has ended");
            (containers, networks.join().map_err(|_| lost()), volumes.join().map_err(|_| lost()))
        });
        let mut actual = Self::default();
        let mut own = Vec::new();
        for listed in containers? {
            let by = Owner::of_labels(&listed.labels);
            if by.as_ref() == Some(owner) {
                own.push(listed.name().to_owned());
                continue;
            }
            let published = listed.ports.iter().filter(|port| port.public_port > 0);
            if listed.state == "running" {
                for port in published {
                    let key = (port.public_port, port.protocol.clone());
                    actual.others.ports.insert(key, listed.name().to_owned());
                }
            }
            actual.others.containers.insert(listed.name().to_owned(), by);
        }
        for ListedNetwork { name, labels, addresses, .. } in networks?? {
            let digest = labels.get(DIGEST).cloned().unwrap_or_default();
            let subnet = addresses.config.into_iter().next().unwrap_or_default().subnet;
            actual.networks.insert(name, SeenNetwork { digest, subnet });
        }
        let missing: Vec<&str> =
            wanted.iter().copied().filter(|name| !actual.networks.contains_key(*name)).collect();
        for network in at_once(&missing, |name| engine.network(name)) {
            if let Some(ListedNetwork { name, labels, .. }) = network? {
                actual.others.networks.insert(name, Owner::of_labels(&labels));
            }
        }
        for ListedVolume { name, labels } in volumes?? {
            let by = Owner::of_labels(&labels);
            if by.as_ref() == Some(owner) {
                actual.volumes.insert(name, labels.get(OF).cloned().unwrap_or_default());
            } else {
                actual.others.volumes.insert(name, by);
            }
        }
        let looked = at_once(&own, |name| engine.inspect(name));
        for inspected in looked {
            if let Some(inspected) = inspected? {
                let seen = Seen::of(&inspected);
                actual.containers.insert(seen.name.clone(), seen);
            }
        }
        Ok(actual)
    }
}
