//! Networks and volumes.

use std::collections::BTreeMap;

use serde_json::{Value, json};

use super::answers::{Answering, Query, has_labels, wanted_labels};
use super::{Network, World};

impl Network {
    fn json(&self) -> Value {
        json!({
            "Name": self.spec.get("Name"),
            "Id": format!("{:064x}", self.number),
            "Labels": self.spec.get("Labels"),
            "Internal": self.spec.get("Internal"),
            "IPAM": { "Config": [{ "Subnet": format!("10.89.{}.0/24", self.number % 256) }] },
        })
    }
}

impl World {
    pub(super) fn list_networks(&self, query: &Query) -> Answering {
        let wanted = wanted_labels(query);
        let fits = |network: &&Network| {
            let labels = network.spec.get("Labels").cloned().unwrap_or_default();
            let labels: BTreeMap<String, String> = serde_json::from_value(labels).unwrap_or_default();
            has_labels(&labels, &wanted)
        };
        Answering::json(200, &self.networks.values().filter(fits).map(Network::json).collect())
    }

    pub(super) fn create_network(&mut self, spec: Value) -> Answering {
        let name = spec.get("Name").and_then(Value::as_str).unwrap_or_default().to_owned();
        if self.networks.contains_key(&name) {
            return Answering::refused(500, "network already exists");
        }
        let number = self.networks.len();
        self.networks.insert(name, Network { spec, number });
        Answering::json(201, &json!({ "Id": "", "Warning": "" }))
    }

    pub(super) fn inspect_network(&self, name: &str) -> Answering {
        self.networks
            .get(name)
            .map_or_else(|| Answering::missing("network"), |network| Answering::json(200, &network.json()))
    }

    pub(super) fn remove_network(&mut self, name: &str) -> Answering {
        if self.is_in_use(name) {
            return Answering::refused(500, &format!("{name} has associated containers"));
        }
        match self.networks.remove(name) {
            Some(_) => Answering::done(204),
            None => Answering::missing("network"),
        }
    }

    pub(super) fn list_volumes(&self) -> Answering {
        let volumes: Vec<Value> =
            self.volumes.iter().map(|(name, labels)| json!({ "Name": name, "Labels": labels })).collect();
        Answering::json(200, &json!({ "Volumes": volumes, "Warnings": [] }))
    }

    /// One that is there stays as it is.
    pub(super) fn create_volume(&mut self, spec: &Value) -> Answering {
        let name = spec.get("Name").and_then(Value::as_str).unwrap_or_default().to_owned();
        let labels: BTreeMap<String, String> =
            serde_json::from_value(spec.get("Labels").cloned().unwrap_or_default()).unwrap_or_default();
        self.volumes.entry(name).or_insert(labels);
        Answering::json(201, &json!({}))
    }

    pub(super) fn remove_volume(&mut self, name: &str) -> Answering {
        if self.is_mounted(name) {
            return Answering::refused(409, "volume is being used");
        }
        match self.volumes.remove(name) {
            Some(_) => Answering::done(204),
            None => Answering::missing("volume"),
        }
    }
}
