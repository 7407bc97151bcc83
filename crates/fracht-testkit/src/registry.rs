//! A registry (OCI distribution specification 1.1) that answers from memory, over HTTP at a port of this machine.

use std::collections::BTreeMap;
use std::io::Cursor;
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;

use fracht_core::digest::sha256;
use serde_json::{Value, json};
use tiny_http::{Header, Request, Response, Server};

/// What a registry has, and how it answers.
#[derive(Clone, Debug, Default)]
pub struct Registry {
    /// Manifests and indexes with their media types, by repository and then by tag or digest.
    pub manifests: BTreeMap<(String, String), (String, Vec<u8>)>,
    /// Blobs by their digests.
    pub blobs: BTreeMap<String, Vec<u8>>,
    /// What it demands: `Basic` or `Bearer`; none if it is empty.
    pub demands: String,
    /// How many of the next requests fail with status 503.
    pub fails: usize,
    /// How many tags are in a page.
    pub page: usize,
    /// All requests: the path, and the `Authorization` header.
    pub requests: Vec<String>,
}

const OCI_INDEX: &str = "application/vnd.oci.image.index.v1+json";
const OCI_MANIFEST: &str = "application/vnd.oci.image.manifest.v1+json";
const OLD_MANIFEST: &str = "application/vnd.docker.distribution.manifest.v2+json";

/// What an image of a made-up registry says of itself.
#[derive(Clone, Debug, Default)]
pub struct Says {
    /// The ports, such as `8080/tcp`.
    pub ports: Vec<&'static str>,
    /// The user.
    pub user: &'static str,
    /// The folders with data.
    pub data: Vec<&'static str>,
}

impl Registry {
    /// Adds an image for some platforms, each with a size in bytes, and returns its digest. One platform is a single
    /// manifest, several are an index.
    pub fn image(&mut self, repository: &str, tag: &str, platforms: &[(&str, u64)], says: &Says) -> String {
        let mut entries = Vec::new();
        let mut last = (String::new(), Vec::new());
        for (platform, size) in platforms {
            let (os, architecture) = platform.split_once('/').unwrap_or((platform, ""));
            let folders = |names: &[&str]| -> Value {
                names
                    .iter()
                    .map(|name| ((*name).to_owned(), json!({})))
                    .collect::<serde_json::Map<_, _>>()
                    .into()
            };
            let config = json!({
                "os": os, "architecture": architecture, "created": "2026-10-01T08:00:00Z",
                "config": { "Healthcheck": { "Test": ["CMD", "ok"] }, "User": says.user, "ExposedPorts": folders(&says.ports), "Volumes": folders(&says.data) },
            });
            let config = config.to_string().into_bytes();
            let config_digest = sha256(&config);
            let manifest = json!({
                "schemaVersion": 2, "mediaType": OCI_MANIFEST,
                "config": { "digest": config_digest, "size": 0 },
                "layers": [{ "digest": format!("sha256:{tag}"), "size": size }],
            });
            let manifest = manifest.to_string().into_bytes();
            let digest = sha256(&manifest);
            self.blobs.insert(config_digest, config);
            self.manifests
                .insert((repository.to_owned(), digest.clone()), (OCI_MANIFEST.to_owned(), manifest.clone()));
            entries.push(json!({ "digest": digest, "platform": { "os": os, "architecture": architecture } }));
            last = (OLD_MANIFEST.to_owned(), manifest);
        }
        if platforms.len() != 1 {
            // What belongs to an image is no platform.
            entries.push(
                json!({ "digest": "sha256:0", "platform": { "os": "unknown", "architecture": "unknown" } }),
            );
            let index = json!({ "schemaVersion": 2, "mediaType": OCI_INDEX, "manifests": entries });
            last = (OCI_INDEX.to_owned(), index.to_string().into_bytes());
        }
        let digest = sha256(&last.1);
        self.manifests.insert((repository.to_owned(), digest.clone()), last.clone());
        self.manifests.insert((repository.to_owned(), tag.to_owned()), last);
        digest
    }

    fn tags(&self, repository: &str) -> Vec<&str> {
        let own = self.manifests.keys().filter(|(of, name)| of == repository && !name.starts_with("sha256:"));
        own.map(|(_, tag)| &**tag).collect()
    }
}

/// A registry that is served.
pub struct Served {
    registry: Arc<Mutex<Registry>>,
    server: Arc<Server>,
    /// Its address: host and port.
    pub address: String,
}

impl Served {
    /// Serves a registry at a free port.
    pub fn start(registry: Registry) -> Self {
        let server = Server::http("127.0.0.1:0").unwrap_or_else(|error| panic!("{error}"));
        let address = server.server_addr().to_string();
        let (server, registry) = (Arc::new(server), Arc::new(Mutex::new(registry)));
        let (serving, answers, own) = (Arc::clone(&server), Arc::clone(&registry), address.clone());
        thread::spawn(move || {
            for request in serving.incoming_requests() {
                let mut registry = answers.lock().unwrap_or_else(PoisonError::into_inner);
                answer(&mut registry, request, &own);
            }
        });
        Self { registry, server, address }
    }

    /// Changes what it has.
    pub fn change(&self, change: impl FnOnce(&mut Registry)) {
        change(&mut self.registry.lock().unwrap_or_else(PoisonError::into_inner));
    }

    /// The requests since the last call.
    pub fn requests(&self) -> Vec<String> {
        std::mem::take(&mut self.registry.lock().unwrap_or_else(PoisonError::into_inner).requests)
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        self.server.unblock();
    }
}

fn header(name: &str, value: &str) -> Header {
    Header::from_bytes(name, value).unwrap_or_else(|()| panic!("{name}: {value}"))
}

fn answer(registry: &mut Registry, request: Request, address: &str) {
    let url = request.url().to_owned();
    let authorization = request
        .headers()
        .iter()
        .find(|header| header.field.equiv("Authorization"))
        .map(|header| header.value.to_string())
        .unwrap_or_default();
    registry.requests.push(format!("{url} {authorization}").trim().to_owned());
    let (status, headers, body) = reply(registry, &url, &authorization, address);
    let response = Response::new(status.into(), headers, Cursor::new(body), None, None);
    // A client that is gone is no matter of the next one.
    let _ = request.respond(response);
}

fn reply(
    registry: &mut Registry,
    url: &str,
    authorization: &str,
    address: &str,
) -> (u16, Vec<Header>, Vec<u8>) {
    let json = |value: Value| {
        (200, vec![header("Content-Type", "application/json")], value.to_string().into_bytes())
    };
    if registry.fails > 0 {
        registry.fails -= 1;
        return (503, Vec::new(), Vec::new());
    }
    let (path, query) = url.split_once('?').unwrap_or((url, ""));
    if path == "/token" {
        // The login of `gull` with the password `tern`.
        return if authorization == "Basic Z3VsbDp0ZXJu" {
            json(json!({ "token": "sea" }))
        } else {
            (401, Vec::new(), Vec::new())
        };
    }
    let wanted = match registry.demands.as_str() {
        "Basic" => "Basic Z3VsbDp0ZXJu",
        "Bearer" => "Bearer sea",
        _ => authorization,
    };
    if authorization != wanted {
        let demand = match registry.demands.as_str() {
            "Bearer" => format!("Bearer realm=\"http://{address}/token\",service=\"tides\",scope=\"pull\""),
            _ => "Basic realm=\"tides\"".to_owned(),
        };
        return (401, vec![header("WWW-Authenticate", &demand)], Vec::new());
    }
    let absent =
        || (404, Vec::new(), json!({ "errors": [{ "code": "MANIFEST_UNKNOWN" }] }).to_string().into_bytes());
    let Some(path) = path.strip_prefix("/v2/") else { return absent() };
    if let Some((repository, reference)) = path.split_once("/manifests/") {
        return match registry.manifests.get(&(repository.to_owned(), reference.to_owned())) {
            Some((media_type, body)) => {
                let headers =
                    vec![header("Content-Type", media_type), header("Docker-Content-Digest", &sha256(body))];
                (200, headers, body.clone())
            }
            None => absent(),
        };
    }
    if let Some((_, digest)) = path.split_once("/blobs/") {
        return registry.blobs.get(digest).map_or_else(absent, |blob| (200, Vec::new(), blob.clone()));
    }
    if let Some(repository) = path.strip_suffix("/tags/list") {
        let from = query.split('&').find_map(|pair| pair.strip_prefix("last=")).unwrap_or_default();
        let page = if registry.page == 0 { usize::MAX } else { registry.page };
        let all = registry.tags(repository);
        let left: Vec<&str> = all.into_iter().filter(|tag| *tag > from || from.is_empty()).collect();
        let (now, more) = left.split_at(page.min(left.len()));
        let (status, mut headers, body) = json(json!({ "name": repository, "tags": now }));
        if let (Some(last), false) = (now.last(), more.is_empty()) {
            headers.push(header(
                "Link",
                &format!("</v2/{repository}/tags/list?last={last}&n={page}>; rel=\"next\""),
            ));
        }
        return (status, headers, body);
    }
    absent()
}
