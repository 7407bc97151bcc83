//! Which request is answered by what.

use std::collections::BTreeMap;

use serde_json::{Value, json};

use super::World;

/// An answer.
pub(super) struct Answering {
    pub(super) status: u16,
    pub(super) body: Vec<u8>,
}

impl Answering {
    pub(super) fn json(status: u16, value: &Value) -> Self {
        Self { status, body: value.to_string().into_bytes() }
    }

    pub(super) fn done(status: u16) -> Self {
        Self { status, body: Vec::new() }
    }

    /// A refusal, in the form of engines.
    pub(super) fn refused(status: u16, message: &str) -> Self {
        Self::json(status, &json!({ "cause": message, "message": message, "response": status }))
    }

    pub(super) fn missing(what: &str) -> Self {
        Self::refused(404, &format!("no such {what}"))
    }

    /// One line of JSON for each value, as of work whose end is not known when the answer begins.
    pub(super) fn lines(values: &[Value]) -> Self {
        let mut text = String::new();
        for value in values {
            text.push_str(&value.to_string());
            text.push('\n');
        }
        Self { status: 200, body: text.into_bytes() }
    }
}

/// The query of a request.
pub(super) type Query = BTreeMap<String, String>;

/// The labels by which a list is asked for.
pub(super) fn wanted_labels(query: &Query) -> Vec<String> {
    let filters = query.get("filters").and_then(|text| serde_json::from_str::<Value>(text).ok());
    let labels = filters.as_ref().and_then(|filters| filters.get("label")).and_then(Value::as_array);
    labels.into_iter().flatten().filter_map(Value::as_str).map(str::to_owned).collect()
}

/// Whether something has all of some labels: `KEY=VALUE`, or a bare key.
pub(super) fn has_labels(own: &BTreeMap<String, String>, wanted: &[String]) -> bool {
    wanted.iter().all(|label| match label.split_once('=') {
        Some((key, value)) => own.get(key).is_some_and(|own| own == value),
        None => own.contains_key(label),
    })
}

impl World {
    pub(super) fn answer(&mut self, method: &str, parts: &[&str], query: &Query, body: &[u8]) -> Answering {
        let value = || serde_json::from_slice::<Value>(body).unwrap_or_default();
        match (method, parts) {
            ("GET", ["_ping"]) => Answering { status: 200, body: b"OK".to_vec() },
            ("GET", ["version"]) => Answering::json(200, &json!({ "ApiVersion": "1.41", "Arch": "amd64" })),
            ("GET", ["containers", "json"]) => self.list_containers(query),
            ("POST", ["containers", "create"]) => self.create_container(query, &value()),
            ("GET", ["containers", name, "json"]) => self.inspect_container(name),
            ("POST", ["containers", name, "start"]) => self.start_container(name),
            ("POST", ["containers", name, "stop" | "kill"]) => self.stop_container(name),
            ("POST", ["containers", name, "wait"]) => self.wait_for_container(name),
            ("POST", ["containers", name, "attach"]) => self.attach(name),
            ("POST", ["containers" | "exec", _, "resize"]) => Answering::done(200),
            ("GET", ["containers", name, "logs"]) => self.logs(name, query),
            ("PUT", ["containers", name, "archive"]) => self.put_files(name, body),
            ("DELETE", ["containers", name]) => self.remove_container(name, query),
            ("POST", ["containers", name, "exec"]) => self.prepare_program(name, &value()),
            ("POST", ["exec", id, "start"]) => self.run_program(id),
            ("GET", ["exec", id, "json"]) => self.program_end(id),
            ("GET", ["networks"]) => self.list_networks(query),
            ("POST", ["networks", "create"]) => self.create_network(value()),
            ("POST", ["networks", name, "connect"]) => self.connect(name, &value()),
            ("GET", ["networks", name]) => self.inspect_network(name),
            ("DELETE", ["networks", name]) => self.remove_network(name),
            ("GET", ["volumes"]) => self.list_volumes(),
            ("POST", ["volumes", "create"]) => self.create_volume(&value()),
            ("DELETE", ["volumes", name]) => self.remove_volume(name),
            ("POST", ["images", "create"]) => self.pull_image(query),
            ("POST", ["build"]) => self.build_image(query, body),
            ("GET", ["images", name @ .., "json"]) => self.inspect_image(&name.join("/")),
            ("POST", ["images", name @ .., "tag"]) => self.tag_image(&name.join("/"), query),
            ("POST", ["images", name @ .., "push"]) => self.push_image(&name.join("/"), query),
            _ => Answering::refused(404, "Not Found"),
        }
    }
}
