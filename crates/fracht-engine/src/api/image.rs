//! Images: which are on this machine, pulling, building, tagging and pushing.

use std::collections::BTreeMap;
use std::io::{BufRead as _, BufReader, Read};

use serde::Deserialize;

use super::container::or_default;
use super::{Engine, EngineError, LIMIT, RegistryLogin, Sent};
use crate::transport::encoded;

/// An image on this machine.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct LocalImage {
    /// Its id, which changes with its content.
    pub id: String,
    /// Its operating system.
    pub os: String,
    /// Its processor architecture.
    pub architecture: String,
    /// Its size in bytes.
    pub size: u64,
    /// The references with digests under which it is known.
    #[serde(deserialize_with = "or_default")]
    pub repo_digests: Vec<String>,
    /// What it runs.
    #[serde(deserialize_with = "or_default")]
    pub config: ImageConfig,
}

/// What an image runs.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "PascalCase", default)]
pub struct ImageConfig {
    /// The program.
    #[serde(deserialize_with = "or_default")]
    pub entrypoint: Vec<String>,
    /// Its arguments.
    #[serde(deserialize_with = "or_default")]
    pub cmd: Vec<String>,
    /// The labels.
    #[serde(deserialize_with = "or_default")]
    pub labels: BTreeMap<String, String>,
}

/// A line of progress.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(default)]
pub struct Progress {
    /// The output of a build.
    #[serde(deserialize_with = "or_default")]
    pub stream: String,
    /// What is done now.
    #[serde(deserialize_with = "or_default")]
    pub status: String,
    /// Why it failed.
    #[serde(deserialize_with = "or_default")]
    pub error: String,
}

/// Reads lines of progress, passes each to `seen`, and returns the error among them. The status of the answer says
/// nothing, since it is sent before the work begins.
///
/// # Errors
/// [`EngineError`], also if the lines end in the middle of one.
pub fn stream_lines(from: impl Read, what: &str, seen: &mut dyn FnMut(&Progress)) -> Result<(), EngineError> {
    let mut reader = BufReader::new(from);
    let mut line = Vec::new();
    let mut failed = None;
    loop {
        line.clear();
        let read = reader.read_until(b'\n', &mut line);
        if read.map_err(|error| EngineError::lost(what, "", &error))? == 0 {
            break;
        }
        if line.trim_ascii().is_empty() {
            continue;
        }
        let progress: Progress =
            serde_json::from_slice(&line).map_err(|error| EngineError::odd(what, &error))?;
        seen(&progress);
        if !progress.error.is_empty() {
            failed.get_or_insert_with(|| EngineError::inside(what, &progress.error));
        }
    }
    failed.map_or(Ok(()), Err)
}

impl Engine {
    /// An image on this machine; `None` if it is not there.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn image(&self, reference: &str) -> Result<Option<LocalImage>, EngineError> {
        self.find(&format!("/images/{}/json", path_of(reference)), &format!("look at image {reference}"))
    }

    /// Pulls an image from its registry.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn pull(
        &self,
        reference: &str,
        platform: Option<&str>,
        login: Option<RegistryLogin<'_>>,
        seen: &mut dyn FnMut(&Progress),
    ) -> Result<(), EngineError> {
        let what = format!("pull {reference}");
        let mut path = format!("/images/create?fromImage={}", encoded(reference));
        if let Some(platform) = platform {
            path.push_str(&format!("&platform={}", encoded(platform)));
        }
        self.exchange(&path, &what, login, seen)
    }

    /// Pushes an image to its registry.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn push(
        &self,
        (repository, tag): (&str, &str),
        login: Option<RegistryLogin<'_>>,
        seen: &mut dyn FnMut(&Progress),
    ) -> Result<(), EngineError> {
        let path = format!("/images/{}/push?tag={}", path_of(repository), encoded(tag));
        self.exchange(&path, &format!("push {repository}:{tag}"), login, seen)
    }

    /// Builds an image of the tar archive of a folder; `query` has its recipe, name and arguments.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn build(
        &self,
        (name, query): (&str, &str),
        archive: &mut dyn Read,
        seen: &mut dyn FnMut(&Progress),
    ) -> Result<(), EngineError> {
        let what = format!("build {name}");
        let path = format!("/build?{query}");
        let body = self.call(("POST", &path), Sent::Archive(archive), &what, None)?.into_stream()?;
        stream_lines(body, &what, seen)
    }

    /// Gives an image another name.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn tag(&self, reference: &str, (repository, tag): (&str, &str)) -> Result<(), EngineError> {
        let (repo, to) = (encoded(repository), encoded(tag));
        let path = format!("/images/{}/tag?repo={repo}&tag={to}", path_of(reference));
        let what = format!("tag {reference} as {repository}:{tag}");
        self.act(("POST", &path), Sent::Nothing, (&what, &[]), Some(LIMIT))
    }
}

/// A reference as a part of a path: its slashes stay.
fn path_of(reference: &str) -> String {
    reference.split('/').map(encoded).collect::<Vec<_>>().join("/")
}
