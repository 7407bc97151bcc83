//! Networks and volumes.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::container::{Endpoint, or_default};
use super::{Engine, EngineError, LIMIT, Label, Sent, by_labels};
use crate::transport::encoded;

/// A network to create.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct NetworkSpec {
    /// Its name.
    pub name: String,
    /// Its driver.
    pub driver: String,
    /// Whether nothing leads out of it.
    pub internal: bool,
    /// Its labels.
    pub labels: BTreeMap<String, String>,
    /// The options of its driver.
    pub options: BTreeMap<String, String>,
}

/// A network that there is.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct ListedNetwork {
    /// Its name.
    pub name: String,
    /// Its id.
    pub id: String,
    /// Its labels.
    #[serde(deserialize_with = "or_default")]
    pub labels: BTreeMap<String, String>,
    /// Its addresses.
    #[serde(rename = "IPAM", deserialize_with = "or_default")]
    pub addresses: Addresses,
}

/// The addresses of a network.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Addresses {
    /// Its blocks.
    #[serde(deserialize_with = "or_default")]
    pub config: Vec<Block>,
}

/// A block of addresses.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct Block {
    /// In CIDR notation (RFC 4632).
    pub subnet: String,
}

/// A volume to create.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct VolumeSpec {
    /// Its name.
    pub name: String,
    /// Its labels.
    pub labels: BTreeMap<String, String>,
}

/// A volume that there is.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct ListedVolume {
    /// Its name.
    pub name: String,
    /// Its labels.
    #[serde(deserialize_with = "or_default")]
    pub labels: BTreeMap<String, String>,
}

impl Engine {
    /// All networks, or those with some labels.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn networks(&self, labels: &[Label<'_>]) -> Result<Vec<ListedNetwork>, EngineError> {
        let filter =
            if labels.is_empty() { String::new() } else { format!("?filters={}", by_labels(labels)) };
        self.get(&format!("/networks{filter}"), "list networks")
    }

    /// A network; `None` if there is none of this name.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn network(&self, name: &str) -> Result<Option<ListedNetwork>, EngineError> {
        self.find(&format!("/networks/{}", encoded(name)), &format!("look at network {name}"))
    }

    /// Creates a network.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn create_network(&self, spec: &NetworkSpec) -> Result<(), EngineError> {
        let what = format!("create network {}", spec.name);
        self.act(("POST", "/networks/create"), Sent::Json(spec), (&what, &[]), Some(LIMIT))
    }

    /// Connects a container with a network.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn connect_network(
        &self,
        network: &str,
        container: &str,
        endpoint: &Endpoint,
    ) -> Result<(), EngineError> {
        let path = format!("/networks/{}/connect", encoded(network));
        let body = serde_json::json!({ "Container": container, "EndpointConfig": endpoint });
        let what = format!("connect {container} with network {network}");
        self.act(("POST", &path), Sent::Json(&body), (&what, &[]), Some(LIMIT))
    }

    /// Removes a network. That it is not there is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn remove_network(&self, name: &str) -> Result<(), EngineError> {
        let path = format!("/networks/{}", encoded(name));
        self.act(("DELETE", &path), Sent::Nothing, (&format!("remove network {name}"), &[404]), Some(LIMIT))
    }

    /// All volumes, or those with some labels.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn volumes(&self, labels: &[Label<'_>]) -> Result<Vec<ListedVolume>, EngineError> {
        #[derive(Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct All {
            #[serde(default, deserialize_with = "or_default")]
            volumes: Vec<ListedVolume>,
        }
        let filter =
            if labels.is_empty() { String::new() } else { format!("?filters={}", by_labels(labels)) };
        let all: All = self.get(&format!("/volumes{filter}"), "list volumes")?;
        Ok(all.volumes)
    }

    /// Creates a volume, unless it is there.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn create_volume(&self, spec: &VolumeSpec) -> Result<(), EngineError> {
        let what = format!("create volume {}", spec.name);
        self.act(("POST", "/volumes/create"), Sent::Json(spec), (&what, &[]), Some(LIMIT))
    }

    /// Removes a volume with its data. That it is not there is fine.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn remove_volume(&self, name: &str) -> Result<(), EngineError> {
        let path = format!("/volumes/{}", encoded(name));
        self.act(("DELETE", &path), Sent::Nothing, (&format!("remove volume {name}"), &[404]), Some(LIMIT))
    }
}
