//! Manifests and indexes: those of OCI (image specification 1.1) and the older ones that they came from.

use std::collections::BTreeMap;

use serde::Deserialize;

/// The media types that are asked for. Without the older ones, some registries answer with a converted document of
/// another digest.
pub(crate) const ACCEPT: &str = "application/vnd.oci.image.index.v1+json, \
    application/vnd.oci.image.manifest.v1+json, \
    application/vnd.docker.distribution.manifest.list.v2+json, \
    application/vnd.docker.distribution.manifest.v2+json";

/// What a media type says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// A list of manifests, by platform.
    Index,
    /// One image.
    Manifest,
}

impl Kind {
    /// The kind of an answer, by its own type; `None` for one that was not asked for.
    pub(crate) fn of(media_type: &str) -> Option<Self> {
        match media_type.split(';').next().unwrap_or_default().trim() {
            "application/vnd.oci.image.index.v1+json"
            | "application/vnd.docker.distribution.manifest.list.v2+json" => Some(Self::Index),
            "application/vnd.oci.image.manifest.v1+json"
            | "application/vnd.docker.distribution.manifest.v2+json" => Some(Self::Manifest),
            _ => None,
        }
    }
}

/// An index.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct Index {
    #[serde(default)]
    pub(crate) manifests: Vec<Entry>,
}

/// An image of an index.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct Entry {
    pub(crate) digest: String,
    #[serde(default)]
    pub(crate) platform: Option<Platform>,
    #[serde(default)]
    pub(crate) annotations: BTreeMap<String, String>,
}

impl Entry {
    /// Whether it is an image that runs, and not what belongs to one, such as how it was made.
    pub(crate) fn is_image(&self) -> bool {
        let is_unknown = |platform: &Platform| platform.os == "unknown" || platform.architecture == "unknown";
        !self.platform.as_ref().is_some_and(is_unknown)
            && !self.annotations.contains_key("vnd.docker.reference.type")
    }
}

/// A platform.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct Platform {
    #[serde(default)]
    pub(crate) os: String,
    #[serde(default)]
    pub(crate) architecture: String,
    #[serde(default)]
    pub(crate) variant: String,
}

impl Platform {
    /// It in words: `linux/arm64`, `linux/arm/v7`.
    pub(crate) fn words(&self) -> String {
        let Self { os, architecture, variant } = self;
        // The only variant that processors of 64 bits have.
        match variant.as_str() {
            "" | "v8" => format!("{os}/{architecture}"),
            variant => format!("{os}/{architecture}/{variant}"),
        }
    }
}

/// One image.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct Manifest {
    pub(crate) config: Blob,
    #[serde(default)]
    pub(crate) layers: Vec<Blob>,
}

impl Manifest {
    /// What is downloaded, in bytes.
    pub(crate) fn size(&self) -> u64 {
        self.layers.iter().chain([&self.config]).map(|blob| blob.size).sum()
    }
}

/// A blob.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct Blob {
    pub(crate) digest: String,
    #[serde(default)]
    pub(crate) size: u64,
}

/// The configuration of an image.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct Config {
    #[serde(flatten)]
    pub(crate) platform: Platform,
    #[serde(default)]
    pub(crate) created: Option<String>,
    #[serde(default, rename = "config")]
    pub(crate) runs: Option<Runs>,
}

/// What an image runs.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub(crate) struct Runs {
    pub(crate) user: Option<String>,
    pub(crate) exposed_ports: Option<BTreeMap<String, serde_json::Value>>,
    pub(crate) volumes: Option<BTreeMap<String, serde_json::Value>>,
    pub(crate) healthcheck: Option<HealthCheck>,
}

/// The health check that an image brings.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub(crate) struct HealthCheck {
    pub(crate) test: Option<Vec<String>>,
}
