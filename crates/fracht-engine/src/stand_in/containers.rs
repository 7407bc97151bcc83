//! Containers and programs in them.

use std::collections::BTreeMap;

use serde_json::{Value, json};

use super::answers::{Answering, Query, has_labels, wanted_labels};
use super::{Program, Shown, World};

/// A container.
#[derive(Default)]
pub(super) struct Container {
    id: String,
    name: String,
    spec: Value,
    image_id: String,
    pub(super) status: String,
    exit_code: i64,
    restarts: u64,
    started_at: String,
    finished_at: String,
    /// How often it was looked at since its start.
    looks: usize,
    /// How often its health check was asked since its start.
    asked: usize,
    files: Vec<String>,
    log: Vec<(String, String)>,
}

const NEVER: &str = "0001-01-01T00:00:00Z";

fn text<'v>(value: &'v Value, path: &str) -> &'v str {
    value.pointer(path).and_then(Value::as_str).unwrap_or_default()
}

impl Container {
    fn is_running(&self) -> bool {
        self.status == "running"
    }

    /// Whether it is restarted when it ends.
    fn is_kept(&self) -> bool {
        text(&self.spec, "/HostConfig/RestartPolicy/Name") == "always"
    }

    fn labels(&self) -> BTreeMap<String, String> {
        serde_json::from_value(self.spec.get("Labels").cloned().unwrap_or_default()).unwrap_or_default()
    }

    /// What it writes when it is started.
    fn greeting(&self) -> String {
        format!("{} starts", text(&self.spec, "/Image"))
    }

    /// The container whose network it shares.
    fn shares(&self) -> Option<&str> {
        text(&self.spec, "/HostConfig/NetworkMode").strip_prefix("container:")
    }

    /// The numbers of the machine that lead to it.
    fn numbers(&self) -> Vec<(u16, String)> {
        let bindings = self.spec.pointer("/HostConfig/PortBindings").and_then(Value::as_object);
        let bound = bindings.into_iter().flatten().flat_map(|(slot, bindings)| {
            let protocol = slot.rsplit('/').next().unwrap_or("tcp").to_owned();
            bindings.as_array().into_iter().flatten().map(move |one| (one.clone(), protocol.clone()))
        });
        bound.filter_map(|(one, protocol)| Some((text(&one, "/HostPort").parse().ok()?, protocol))).collect()
    }

    pub(super) fn definition(&self) -> Value {
        self.spec.clone()
    }

    pub(super) fn shown(&self) -> Shown {
        Shown {
            name: self.name.clone(),
            status: self.status.clone(),
            labels: self.labels(),
            files: self.files.clone(),
        }
    }

    pub(super) fn crash(&mut self, exit_code: i64, now: &str) {
        self.exit_code = exit_code;
        now.clone_into(&mut self.finished_at);
        if self.is_kept() {
            self.restarts += 1;
            now.clone_into(&mut self.started_at);
        } else {
            "exited".clone_into(&mut self.status);
        }
    }
}

impl World {
    pub(super) fn next_id(&mut self) -> String {
        self.ids += 1;
        format!("{:064x}", self.ids)
    }

    /// The time, later at each call.
    pub(super) fn now(&mut self) -> String {
        let now = jiff::Timestamp::now();
        let next = self.last_time.map(|last| last + jiff::SignedDuration::from_nanos(1));
        let now = next.map_or(now, |next| now.max(next));
        self.last_time = Some(now);
        now.to_string()
    }

    pub(super) fn list_containers(&self, query: &Query) -> Answering {
        let wanted = wanted_labels(query);
        let fits = |container: &&Container| has_labels(&container.labels(), &wanted);
        let listed = self.containers.values().filter(fits).map(|container| {
            let ports = container.numbers().into_iter();
            let ports = ports.map(|(number, protocol)| json!({ "PublicPort": number, "Type": protocol }));
            json!({
                "Id": container.id,
                "Names": [format!("/{}", container.name)],
                "ImageID": container.image_id,
                "Labels": container.labels(),
                "State": container.status,
                "Ports": ports.collect::<Vec<_>>(),
            })
        });
        Answering::json(200, &listed.collect())
    }

    pub(super) fn create_container(&mut self, query: &Query, spec: &Value) -> Answering {
        let name = query.get("name").cloned().unwrap_or_default();
        if self.containers.contains_key(&name) {
            return Answering::refused(500, "that name is already in use");
        }
        let image = text(spec, "/Image");
        let Some(image_id) = self.images.get(image).map(|image| image.id.clone()) else {
            return Answering::missing("image");
        };
        let networks = spec.pointer("/NetworkingConfig/EndpointsConfig").and_then(Value::as_object);
        if networks.into_iter().flatten().any(|(network, _)| !self.networks.contains_key(network)) {
            return Answering::refused(500, "unable to find network");
        }
        let count = networks.map_or(0, serde_json::Map::len);
        if self.scene.takes_one_network && count > 1 {
            return Answering::refused(400, "container cannot be connected to several networks");
        }
        let id = self.next_id();
        let container = Container {
            id: id.clone(),
            name: name.clone(),
            spec: spec.clone(),
            image_id,
            status: "created".to_owned(),
            started_at: NEVER.to_owned(),
            finished_at: NEVER.to_owned(),
            ..Container::default()
        };
        self.containers.insert(name, container);
        Answering::json(201, &json!({ "Id": id, "Warnings": [] }))
    }

    pub(super) fn inspect_container(&mut self, name: &str) -> Answering {
        if self.scene.vanish.contains(name) {
            self.containers.remove(name);
        }
        let (now, ends) = (self.now(), self.scene.ends.get(name).copied());
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        if container.is_running() {
            container.looks += 1;
            match ends {
                Some(code) => container.crash(code, &now),
                None if !container.is_kept() && container.looks > 1 => container.crash(0, &now),
                None => {}
            }
        }
        let container = &*container;
        let networks = container.spec.pointer("/NetworkingConfig/EndpointsConfig").and_then(Value::as_object);
        let networks: serde_json::Map<String, Value> = networks
            .into_iter()
            .flatten()
            .map(|(network, _)| (network.clone(), json!({ "IPAddress": "" })))
            .collect();
        let numbers = container.numbers();
        let ports: serde_json::Map<String, Value> = numbers
            .iter()
            .map(|(number, protocol)| {
                (format!("{number}/{protocol}"), json!([{ "HostPort": number.to_string() }]))
            })
            .collect();
        Answering::json(
            200,
            &json!({
                "Id": container.id,
                "Name": format!("/{}", container.name),
                "Image": container.image_id,
                "RestartCount": container.restarts,
                "State": {
                    "Status": container.status,
                    "Running": container.is_running(),
                    "Paused": container.status == "paused",
                    "ExitCode": container.exit_code,
                    "StartedAt": container.started_at,
                    "FinishedAt": container.finished_at,
                },
                "Config": { "Image": text(&container.spec, "/Image"), "Labels": container.labels() },
                "NetworkSettings": { "Networks": networks, "Ports": ports },
            }),
        )
    }

    pub(super) fn start_container(&mut self, name: &str) -> Answering {
        let now = self.now();
        let taken: Vec<u16> = self
            .containers
            .values()
            .filter(|other| other.name != name && other.is_running())
            .flat_map(Container::numbers)
            .map(|(number, _)| number)
            .chain(self.scene.taken.iter().copied())
            .collect();
        let shares = self.containers.get(name).and_then(|container| container.shares().map(str::to_owned));
        if let Some(main) = shares
            && !self.containers.get(&main).is_some_and(Container::is_running)
        {
            return Answering::refused(
                500,
                &format!("container {main} does not run: cannot join its network"),
            );
        }
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        if container.is_running() {
            return Answering::done(304);
        }
        if let Some((number, _)) = container.numbers().iter().find(|(number, _)| taken.contains(number)) {
            let message = format!("listen tcp4 127.0.0.1:{number}: bind: address already in use");
            return Answering::refused(500, &message);
        }
        "running".clone_into(&mut container.status);
        container.started_at.clone_from(&now);
        (container.looks, container.asked, container.exit_code) = (0, 0, 0);
        container.log.push((now, container.greeting()));
        Answering::done(204)
    }

    pub(super) fn stop_container(&mut self, name: &str) -> Answering {
        let now = self.now();
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        if !container.is_running() {
            return Answering::done(304);
        }
        "exited".clone_into(&mut container.status);
        container.exit_code = 143;
        container.finished_at = now;
        Answering::done(204)
    }

    pub(super) fn wait_for_container(&mut self, name: &str) -> Answering {
        let (now, ends) = (self.now(), self.scene.ends.get(name).copied().unwrap_or(0));
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        if container.is_running() {
            container.crash(ends, &now);
        }
        Answering::json(200, &json!({ "StatusCode": container.exit_code, "Error": null }))
    }

    pub(super) fn remove_container(&mut self, name: &str, query: &Query) -> Answering {
        let Some(container) = self.containers.get(name) else { return Answering::missing("container") };
        if container.is_running() && !query.contains_key("force") {
            return Answering::refused(500, "container is running");
        }
        if self.containers.values().any(|other| other.shares() == Some(name)) {
            return Answering::refused(
                500,
                "container has dependent containers which must be removed before it",
            );
        }
        self.containers.remove(name);
        Answering::done(204)
    }

    pub(super) fn put_files(&mut self, name: &str, archive: &[u8]) -> Answering {
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        let mut archive = tar::Archive::new(archive);
        let Ok(entries) = archive.entries() else { return Answering::refused(400, "not a tar archive") };
        for entry in entries {
            let Ok(entry) = entry else { return Answering::refused(400, "not a tar archive") };
            let path = entry.path().map(|path| format!("/{}", path.display())).unwrap_or_default();
            container.files.push(path);
        }
        Answering::done(200)
    }

    /// The output of a container, in frames.
    pub(super) fn logs(&self, name: &str, query: &Query) -> Answering {
        let Some(container) = self.containers.get(name) else { return Answering::missing("container") };
        let last = query.get("tail").and_then(|tail| tail.parse().ok()).unwrap_or(usize::MAX);
        let skipped = container.log.len().saturating_sub(last);
        let mut body = Vec::new();
        for (time, line) in container.log.iter().skip(skipped) {
            let time = if query.contains_key("timestamps") { format!("{time} ") } else { String::new() };
            body.extend(frame(&format!("{time}{line}\n")));
        }
        Answering { status: 200, body }
    }

    /// What a container writes that is not started yet.
    pub(super) fn attach(&self, name: &str) -> Answering {
        let Some(container) = self.containers.get(name) else { return Answering::missing("container") };
        Answering { status: 200, body: frame(&format!("{}\n", container.greeting())) }
    }

    pub(super) fn prepare_program(&mut self, name: &str, spec: &Value) -> Answering {
        if !self.containers.get(name).is_some_and(Container::is_running) {
            return Answering::refused(409, "container is not running");
        }
        let id = self.next_id();
        let words = spec.get("Cmd").and_then(Value::as_array).into_iter().flatten();
        let command = words.filter_map(Value::as_str).map(str::to_owned).collect();
        let program = Program { container: name.to_owned(), command, exit_code: 0 };
        self.programs.insert(id.clone(), program);
        Answering::json(201, &json!({ "Id": id }))
    }

    /// Runs a program: `exit CODE` ends with that code, any other one counts as a health check.
    pub(super) fn run_program(&mut self, id: &str) -> Answering {
        let Some(program) = self.programs.get_mut(id) else { return Answering::missing("exec session") };
        let name = &program.container;
        let main = self.containers.get(name).and_then(|container| container.shares().map(str::to_owned));
        let is_sick = |name: &String| self.scene.sick.contains(name) || self.scene.ends.contains_key(name);
        let is_sick = is_sick(name) || main.is_some_and(|main| is_sick(&main));
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        container.asked += 1;
        let said = program.command.join(" ");
        let code = said.strip_prefix("exit ").and_then(|code| code.parse().ok());
        program.exit_code = code.unwrap_or(i64::from(is_sick || container.asked < 2));
        Answering { status: 200, body: frame(&format!("{said}\n")) }
    }

    pub(super) fn program_end(&self, id: &str) -> Answering {
        match self.programs.get(id) {
            Some(program) => {
                Answering::json(200, &json!({ "ExitCode": program.exit_code, "Running": false }))
            }
            None => Answering::missing("exec session"),
        }
    }

    /// Connects a container with a network.
    pub(super) fn connect(&mut self, network: &str, body: &Value) -> Answering {
        let name = text(body, "/Container");
        let Some(container) = self.containers.get_mut(name) else { return Answering::missing("container") };
        let endpoints = container.spec.pointer_mut("/NetworkingConfig/EndpointsConfig");
        if let Some(endpoints) = endpoints.and_then(Value::as_object_mut) {
            endpoints.insert(network.to_owned(), body.get("EndpointConfig").cloned().unwrap_or_default());
        }
        Answering::done(200)
    }

    /// Whether a container is in a network.
    pub(super) fn is_in_use(&self, network: &str) -> bool {
        self.containers.values().any(|container| {
            let networks = container.spec.pointer("/NetworkingConfig/EndpointsConfig");
            networks.and_then(Value::as_object).is_some_and(|networks| networks.contains_key(network))
        })
    }

    /// Whether a container mounts a volume.
    pub(super) fn is_mounted(&self, volume: &str) -> bool {
        self.containers.values().any(|container| {
            let mounts = container.spec.pointer("/HostConfig/Mounts").and_then(Value::as_array);
            mounts.into_iter().flatten().any(|mount| text(mount, "/Source") == volume)
        })
    }
}

/// A frame of standard output.
fn frame(text: &str) -> Vec<u8> {
    let length = u32::try_from(text.len()).unwrap_or_default().to_be_bytes();
    [&[1, 0, 0, 0][..], &length, text.as_bytes()].concat()
}
