//! Containers.

use std::collections::BTreeMap;
use std::io::Read;
use std::time::Duration;

use serde::{Deserialize, Serialize};

use super::{Engine, EngineError, LIMIT, Label, Sent, by_labels};
use crate::transport::encoded;

/// A container to create (`POST /containers/create`).
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct ContainerSpec {
    /// The image.
    pub image: String,
    /// The program; empty for that of the image.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub entrypoint: Option<Vec<String>>,
    /// The arguments; `None` for those of the image.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cmd: Option<Vec<String>>,
    /// The variables as `NAME=value`.
    pub env: Vec<String>,
    /// The user, as `UID` or `UID:GID`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub user: Option<String>,
    /// The folder in which the program starts.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub working_dir: Option<String>,
    /// Its host name; empty for one that shares the network of another.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub hostname: String,
    /// Its labels.
    pub labels: BTreeMap<String, String>,
    /// The ports that it listens on, as `8080/tcp`.
    pub exposed_ports: BTreeMap<String, BTreeMap<String, String>>,
    /// The health check that the engine makes.
    pub healthcheck: HealthCheck,
    /// How long it has to stop, in seconds.
    pub stop_timeout: u64,
    /// Whether it has a terminal.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub tty: bool,
    /// Whether its program can read from us.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub open_stdin: bool,
    /// Whether its input ends when ours does.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub stdin_once: bool,
    /// What of it the machine decides.
    pub host_config: HostConfig,
    /// Its networks.
    pub networking_config: NetworkingConfig,
}

/// A health check of the engine.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct HealthCheck {
    /// `NONE`, or `CMD` and a program with its arguments.
    pub test: Vec<String>,
    /// The time between two checks, in nanoseconds.
    #[serde(skip_serializing_if = "is_zero")]
    pub interval: u64,
    /// The longest time of one, in nanoseconds.
    #[serde(skip_serializing_if = "is_zero")]
    pub timeout: u64,
    /// The time in which failures do not count, in nanoseconds.
    #[serde(skip_serializing_if = "is_zero")]
    pub start_period: u64,
    /// How many failures in a row make it unhealthy.
    #[serde(skip_serializing_if = "is_zero")]
    pub retries: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the signature that serde asks for")]
fn is_zero(number: &u64) -> bool {
    *number == 0
}

/// What the machine decides of a container.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct HostConfig {
    /// The first of its networks, or `container:NAME` to share that of another container.
    pub network_mode: String,
    /// Whether a small process 1 passes signals on.
    pub init: bool,
    /// Whether it is restarted when it ends.
    pub restart_policy: RestartPolicy,
    /// The ports of the machine, by those of the container.
    pub port_bindings: BTreeMap<String, Vec<Binding>>,
    /// Volumes, folders and scratch space.
    pub mounts: Vec<MountSpec>,
    /// Whether the file system of the image is read-only.
    pub readonly_rootfs: bool,
    /// The capabilities that it does not have.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub cap_drop: Vec<String>,
    /// More restrictions.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub security_opt: Vec<String>,
    /// The most memory, in bytes.
    #[serde(skip_serializing_if = "is_zero")]
    pub memory: u64,
    /// The most CPU time, in billionths of a CPU.
    #[serde(skip_serializing_if = "is_zero")]
    pub nano_cpus: u64,
}

/// Whether a container is restarted when it ends.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct RestartPolicy {
    /// `no` or `always`.
    pub name: String,
}

/// A port of the machine.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct Binding {
    /// The address.
    pub host_ip: String,
    /// The number.
    pub host_port: String,
}

/// A mount.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct MountSpec {
    /// `volume`, `bind` or `tmpfs`.
    #[serde(rename = "Type")]
    pub kind: String,
    /// The volume or folder.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub source: String,
    /// The path in the container.
    pub target: String,
    /// Whether it is read-only.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub read_only: bool,
    /// Of scratch space.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tmpfs_options: Option<TmpfsOptions>,
}

/// What scratch space is like.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct TmpfsOptions {
    /// The most bytes.
    #[serde(skip_serializing_if = "is_zero")]
    pub size_bytes: u64,
    /// The mode (POSIX permission bits).
    pub mode: u32,
}

/// The networks of a container.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct NetworkingConfig {
    /// By their names.
    pub endpoints_config: BTreeMap<String, Endpoint>,
}

/// A container in a network.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct Endpoint {
    /// Its names there.
    pub aliases: Vec<String>,
    /// Its address, if it is chosen.
    #[serde(rename = "IPAMConfig", skip_serializing_if = "Option::is_none")]
    pub address: Option<EndpointAddress>,
}

/// A chosen address.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct EndpointAddress {
    /// IPv4.
    #[serde(rename = "IPv4Address")]
    pub ipv4: String,
}

/// A container in a list.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Listed {
    /// Its id.
    pub id: String,
    /// Its names, each behind a slash.
    pub names: Vec<String>,
    /// The id of its image.
    #[serde(rename = "ImageID")]
    pub image_id: String,
    /// Its labels.
    #[serde(deserialize_with = "or_default")]
    pub labels: BTreeMap<String, String>,
    /// `created`, `running`, `exited` …
    pub state: String,
    /// Its ports.
    #[serde(deserialize_with = "or_default")]
    pub ports: Vec<ListedPort>,
}

impl Listed {
    /// Its name.
    pub fn name(&self) -> &str {
        self.names.first().map_or("", |name| name.trim_start_matches('/'))
    }
}

/// A port of a container in a list.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct ListedPort {
    /// The number on the machine; 0 for none.
    pub public_port: u16,
    /// `tcp` or `udp`.
    #[serde(rename = "Type")]
    pub protocol: String,
}

/// `null` is the default.
pub(crate) fn or_default<'de, D, T>(from: D) -> Result<T, D::Error>
where
    D: serde::Deserializer<'de>,
    T: Default + Deserialize<'de>,
{
    Option::<T>::deserialize(from).map(Option::unwrap_or_default)
}

/// A container as it is (`GET /containers/NAME/json`).
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Inspected {
    /// Its id.
    pub id: String,
    /// Its name, behind a slash.
    pub name: String,
    /// The id of its image.
    pub image: String,
    /// Whether it runs.
    pub state: RunState,
    /// How often it was restarted after it ended.
    pub restart_count: u64,
    /// Its definition.
    pub config: Config,
    /// Its networks and ports.
    pub network_settings: Ran,
}

/// What a container was created with.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Config {
    /// The image.
    pub image: String,
    /// The labels.
    #[serde(deserialize_with = "or_default")]
    pub labels: BTreeMap<String, String>,
}

/// Whether a container runs.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct RunState {
    /// `created`, `running`, `exited` …
    pub status: String,
    /// Whether it runs.
    pub running: bool,
    /// Whether it is paused.
    pub paused: bool,
    /// The exit code of its program.
    pub exit_code: i64,
    /// Why it could not be started.
    pub error: String,
    /// When it was started (RFC 3339).
    pub started_at: String,
    /// When it ended (RFC 3339).
    pub finished_at: String,
    /// Whether it was killed for lack of memory.
    #[serde(rename = "OOMKilled")]
    pub oom_killed: bool,
}

/// The networks and ports of a container.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Ran {
    /// The ports of the machine, by those of the container.
    #[serde(deserialize_with = "or_default")]
    pub ports: BTreeMap<String, Option<Vec<BoundPort>>>,
    /// The networks by their names.
    #[serde(deserialize_with = "or_default")]
    pub networks: BTreeMap<String, Joined>,
}

/// A port of the machine that leads to a container.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct BoundPort {
    /// The number.
    pub host_port: String,
}

/// A network that a container is in.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
#[serde(default)]
pub struct Joined {
    /// The address of the container there; empty if it has none.
    #[serde(rename = "IPAddress")]
    pub address: String,
}

impl Inspected {
    /// Its name.
    pub fn name(&self) -> &str {
        self.name.trim_start_matches('/')
    }

    /// An address of it; `None` if the engine tells none.
    pub fn address(&self) -> Option<std::net::IpAddr> {
        self.network_settings.networks.values().find_map(|joined| joined.address.parse().ok())
    }

    /// The numbers of the machine that lead to it.
    pub fn published(&self) -> Vec<u16> {
        let bound = self.network_settings.ports.values().flatten().flatten();
        let mut numbers: Vec<u16> = bound.filter_map(|port| port.host_port.parse().ok()).collect();
        numbers.sort_unstable();
        numbers.dedup();
        numbers
    }
}

/// Which lines of the output of a container are wanted.
#[derive(Clone, Copy, Debug, Default)]
pub struct LogOptions {
    /// Whether those that come later are wanted too.
    pub follow: bool,
    /// Since when, in seconds of Unix time.
    pub since: Option<i64>,
    /// How many of the last lines; `None` for all.
    pub last: Option<u64>,
    /// Whether each has its time in front.
    pub timestamps: bool,
}

impl Engine {
    /// All containers with some labels, also those that do not run.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn containers(&self, labels: &[Label<'_>]) -> Result<Vec<Listed>, EngineError> {
        let filter =
            if labels.is_empty() { String::new() } else { format!("&filters={}", by_labels(labels)) };
        self.get(&format!("/containers/json?all=1{filter}"), "list containers")
    }

    /// A container; `None` if there is none of this name.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn inspect(&self, name: &str) -> Result<Option<Inspected>, EngineError> {
        self.find(&format!("/containers/{}/json", encoded(name)), &format!("look at container {name}"))
    }

    /// Creates a container, and returns its id.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn create(&self, name: &str, spec: &ContainerSpec) -> Result<String, EngineError> {
        #[derive(Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct Created {
            id: String,
        }
        let path = format!("/containers/create?name={}", encoded(name));
        let created: Created = self.post(&path, spec, &format!("create container {name}"))?;
        Ok(created.id)
    }

    /// Starts a container; that one runs already is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn start(&self, name: &str) -> Result<(), EngineError> {
        let path = format!("/containers/{}/start", encoded(name));
        self.act(("POST", &path), Sent::Nothing, (&format!("start container {name}"), &[304]), Some(LIMIT))
    }

    /// Stops a container: it is killed if that takes longer than `within`. That it does not run, or is not there, is
    /// fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn stop(&self, name: &str, within: Duration) -> Result<(), EngineError> {
        let path = format!("/containers/{}/stop?t={}", encoded(name), within.as_secs());
        let what = format!("stop container {name}");
        self.act(("POST", &path), Sent::Nothing, (&what, &[304, 404]), Some(within + LIMIT))
    }

    /// Kills a container. That it does not run, or is not there, is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn kill(&self, name: &str) -> Result<(), EngineError> {
        let path = format!("/containers/{}/kill", encoded(name));
        self.act(
            ("POST", &path),
            Sent::Nothing,
            (&format!("kill container {name}"), &[404, 409]),
            Some(LIMIT),
        )
    }

    /// Removes a container with its nameless volumes. That it is not there is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn remove(&self, name: &str) -> Result<(), EngineError> {
        let path = format!("/containers/{}?force=1&v=1", encoded(name));
        let what = format!("remove container {name}");
        self.act(("DELETE", &path), Sent::Nothing, (&what, &[404]), Some(LIMIT))
    }

    /// Puts the files of a tar archive into a container, below its root.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn put(&self, name: &str, archive: &mut dyn Read) -> Result<(), EngineError> {
        let path = format!("/containers/{}/archive?path=%2F", encoded(name));
        let what = format!("put files into container {name}");
        self.act(("PUT", &path), Sent::Archive(archive), (&what, &[]), Some(LIMIT))
    }

    /// Waits until a container has ended, and returns the exit code of its program.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn wait(&self, name: &str) -> Result<i64, EngineError> {
        #[derive(Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct Ended {
            status_code: i64,
        }
        let path = format!("/containers/{}/wait", encoded(name));
        let what = format!("wait for container {name}");
        let ended: Ended = self.call(("POST", &path), Sent::Nothing, &what, None)?.into_json()?;
        Ok(ended.status_code)
    }

    /// The output of a container, in frames.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn logs(&self, name: &str, options: LogOptions) -> Result<Box<dyn Read + Send>, EngineError> {
        let mut path = format!("/containers/{}/logs?stdout=1&stderr=1", encoded(name));
        if options.follow {
            path.push_str("&follow=1");
        }
        if options.timestamps {
            path.push_str("&timestamps=1");
        }
        if let Some(since) = options.since {
            path.push_str(&format!("&since={since}"));
        }
        if let Some(last) = options.last {
            path.push_str(&format!("&tail={last}"));
        }
        let limit = if options.follow { None } else { Some(LIMIT) };
        self.call(("GET", &path), Sent::Nothing, &format!("show the output of {name}"), limit)?.into_stream()
    }
}
