//! The requests: with logins and tokens, time limits, and retries.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Mutex;
use std::thread;
use std::time::Duration;

use fracht_core::escape::encoded;
use fracht_core::grammar::image::Image;
use serde::Deserialize;
use ureq::Agent;
use ureq::tls::{RootCerts, TlsConfig};

use crate::challenge::Challenge;
use crate::login::{Login, Logins};
use crate::manifest::{ACCEPT, Config, Index, Kind, Manifest};
use crate::place::{Places, registry_of, repository_of};

/// The longest time of one request.
const LIMIT: Duration = Duration::from_secs(30);

/// The longest time until a registry is reached, with TLS.
const CONNECT_LIMIT: Duration = Duration::from_secs(5);

/// The pauses before another try.
const PAUSES: [Duration; 2] = [Duration::from_millis(300), Duration::from_secs(2)];

/// The longest pause that a registry may ask for.
const LONGEST_PAUSE: Duration = Duration::from_secs(10);

/// The most bytes of an answer.
const MOST_BYTES: u64 = 8 << 20;

/// The most pages of tags, and tags of a page.
const MOST_PAGES: usize = 20;
const PAGE: usize = 1000;

/// Why a registry does not tell what it is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RegistryError {
    /// It does not have it.
    Absent,
    /// It wants a login, or another one.
    Denied,
    /// It cannot be reached, or answers in a way that is not known.
    Failed(String),
}

impl fmt::Display for RegistryError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Absent => f.write_str("not found"),
            Self::Denied => f.write_str("access denied: log in to the registry"),
            Self::Failed(reason) => f.write_str(reason),
        }
    }
}

impl std::error::Error for RegistryError {}

/// A client of registries. Several threads can use it at once.
pub struct Client {
    agent: Agent,
    places: Places,
    logins: Logins,
    /// The values of the `Authorization` header, by registry and repository.
    granted: Mutex<BTreeMap<(String, String), String>>,
}

/// A repository in its registry.
struct Repository<'i> {
    registry: &'i str,
    name: String,
}

/// An answer.
struct Reply {
    status: u16,
    media_type: String,
    digest: Option<String>,
    challenge: Option<String>,
    next: Option<String>,
    retry_after: Option<Duration>,
    body: Vec<u8>,
}

/// A manifest or an index with its digest.
pub(crate) enum Found {
    Index(String, Index),
    Manifest(String, Manifest),
}

impl Client {
    /// A client that reaches registries at `places`, with `logins`.
    pub fn new(places: Places, logins: Logins) -> Self {
        let config = Agent::config_builder()
            .http_status_as_error(false)
            .timeout_global(Some(LIMIT))
            .timeout_connect(Some(CONNECT_LIMIT))
            .user_agent(concat!("fracht/", env!("CARGO_PKG_VERSION")))
            .tls_config(TlsConfig::builder().root_certs(RootCerts::PlatformVerifier).build())
            .build();
        Self { agent: config.into(), places, logins, granted: Mutex::default() }
    }

    /// The digest to which a reference leads now.
    ///
    /// # Errors
    /// [`RegistryError`]
    pub fn digest(&self, image: &Image) -> Result<String, RegistryError> {
        match self.manifest(image, image.tag().or(image.digest()).unwrap_or("latest"))? {
            Found::Index(digest, _) | Found::Manifest(digest, _) => Ok(digest),
        }
    }

    /// The manifest of a tag or a digest.
    pub(crate) fn manifest(&self, image: &Image, reference: &str) -> Result<Found, RegistryError> {
        let repository = Repository::of(image);
        let reply = self.ask(&repository, &format!("manifests/{reference}"), ACCEPT)?;
        let digest = reply.digest.unwrap_or_else(|| digest_of(&reply.body));
        match Kind::of(&reply.media_type) {
            Some(Kind::Index) => Ok(Found::Index(digest, parsed(&reply.body)?)),
            Some(Kind::Manifest) => Ok(Found::Manifest(digest, parsed(&reply.body)?)),
            // A conversion: its digest is not that of the image.
            None => Err(RegistryError::Failed(format!("it answers with `{}`", reply.media_type))),
        }
    }

    /// The configuration of an image.
    pub(crate) fn config(&self, image: &Image, manifest: &Manifest) -> Result<Config, RegistryError> {
        let path = format!("blobs/{}", manifest.config.digest);
        parsed(&self.ask(&Repository::of(image), &path, "*/*")?.body)
    }

    /// The tags of a repository.
    pub(crate) fn tags(&self, image: &Image) -> Result<Vec<String>, RegistryError> {
        #[derive(Deserialize)]
        struct Tags {
            #[serde(default)]
            tags: Option<Vec<String>>,
        }
        let repository = Repository::of(image);
        let mut all = Vec::new();
        let mut path = format!("tags/list?n={PAGE}");
        for _ in 0..MOST_PAGES {
            let reply = self.ask(&repository, &path, "application/json")?;
            let page: Tags = parsed(&reply.body)?;
            all.extend(page.tags.unwrap_or_default());
            // The next page is that of the same list.
            let query = reply.next.and_then(|next| next.split_once('?').map(|(_, query)| query.to_owned()));
            match query {
                Some(query) => path = format!("tags/list?{query}"),
                None => break,
            }
        }
        Ok(all)
    }

    /// Asks for a part of a repository, with what the registry demands before.
    fn ask(&self, repository: &Repository<'_>, path: &str, accept: &str) -> Result<Reply, RegistryError> {
        let Repository { registry, name } = repository;
        let url = format!("{}/v2/{name}/{path}", self.places.address(registry));
        let key = ((*registry).to_owned(), name.clone());
        let granted = self.granted.lock().ok().and_then(|granted| granted.get(&key).cloned());
        let mut reply = self.get(&url, accept, granted.as_deref())?;
        if reply.status == 401 {
            let challenge = reply.challenge.as_deref().and_then(Challenge::parse);
            let authorization = self.authorization(repository, challenge)?;
            reply = self.get(&url, accept, Some(&authorization))?;
            if let (Ok(mut granted), 200) = (self.granted.lock(), reply.status) {
                granted.insert(key, authorization);
            }
        }
        match reply.status {
            200 => Ok(reply),
            404 => Err(RegistryError::Absent),
            401 | 403 => Err(RegistryError::Denied),
            status => Err(RegistryError::Failed(format!("it answers with status {status}"))),
        }
    }

    /// What answers a challenge.
    fn authorization(
        &self,
        repository: &Repository<'_>,
        challenge: Option<Challenge>,
    ) -> Result<String, RegistryError> {
        #[derive(Deserialize)]
        struct Token {
            #[serde(default)]
            token: String,
            #[serde(default)]
            access_token: String,
        }
        let login = self.logins.of(repository.registry, &repository.name);
        match challenge {
            Some(Challenge::Basic) => Ok(login.ok_or(RegistryError::Denied)?.basic()),
            Some(Challenge::Bearer { realm, service, scope }) => {
                // A login must not go over the network in plain text, unless the registry itself is asked so.
                let is_plain = realm.starts_with("http://");
                if is_plain && self.places.address(repository.registry).starts_with("https://") {
                    return Err(RegistryError::Failed("it wants a login without TLS".to_owned()));
                }
                let scope = scope.unwrap_or_else(|| format!("repository:{}:pull", repository.name));
                let mut url = format!(
                    "{realm}{}scope={}",
                    if realm.contains('?') { "&" } else { "?" },
                    encoded(&scope)
                );
                if let Some(service) = service {
                    url.push_str(&format!("&service={}", encoded(&service)));
                }
                let basic = login.map(Login::basic);
                let reply = self.get(&url, "application/json", basic.as_deref())?;
                if reply.status != 200 {
                    return Err(RegistryError::Denied);
                }
                let token: Token = parsed(&reply.body)?;
                let token = if token.token.is_empty() { token.access_token } else { token.token };
                Ok(format!("Bearer {token}"))
            }
            None => Err(RegistryError::Denied),
        }
    }

    /// A request, tried again if the registry is not reached or too busy.
    fn get(&self, url: &str, accept: &str, authorization: Option<&str>) -> Result<Reply, RegistryError> {
        let mut pauses = PAUSES.into_iter();
        loop {
            let reply = self.once(url, accept, authorization);
            let is_busy = match &reply {
                Ok(reply) => matches!(reply.status, 429 | 500 | 502..=504),
                // One that is silent would keep us waiting as long again.
                Err(error) => matches!(error, ureq::Error::Io(_) | ureq::Error::ConnectionFailed),
            };
            match pauses.next().filter(|_| is_busy) {
                Some(pause) => {
                    let wanted = reply.ok().and_then(|reply| reply.retry_after);
                    thread::sleep(wanted.unwrap_or(pause).min(LONGEST_PAUSE));
                }
                None => return reply.map_err(|error| failed(&error)),
            }
        }
    }

    fn once(&self, url: &str, accept: &str, authorization: Option<&str>) -> Result<Reply, ureq::Error> {
        let mut request = self.agent.get(url).header("Accept", accept);
        if let Some(authorization) = authorization {
            request = request.header("Authorization", authorization);
        }
        let mut answer = request.call()?;
        let header = |name: &str| {
            let value = answer.headers().get(name).and_then(|value| value.to_str().ok());
            value.map(str::to_owned)
        };
        let next = header("Link").filter(|link| link.contains("rel=\"next\"") || link.contains("rel=next"));
        Ok(Reply {
            status: answer.status().as_u16(),
            media_type: header("Content-Type").unwrap_or_default(),
            digest: header("Docker-Content-Digest"),
            challenge: header("WWW-Authenticate"),
            next: next.and_then(|link| Some(link.split_once('<')?.1.split_once('>')?.0.to_owned())),
            retry_after: header("Retry-After").and_then(|time| time.parse().ok()).map(Duration::from_secs),
            body: answer.body_mut().with_config().limit(MOST_BYTES).read_to_vec()?,
        })
    }
}

impl<'i> Repository<'i> {
    fn of(image: &'i Image) -> Self {
        Self { registry: registry_of(image), name: repository_of(image) }
    }
}

fn failed(error: &ureq::Error) -> RegistryError {
    RegistryError::Failed(match error {
        ureq::Error::Timeout(_) => "no answer in time".to_owned(),
        ureq::Error::HostNotFound => "its host is not known".to_owned(),
        // The standard library tells it so, without a kind of its own.
        ureq::Error::Io(error) if error.to_string().contains("lookup address") => {
            "its host is not known".to_owned()
        }
        ureq::Error::Io(error) => format!("it cannot be reached: {}", fracht_core::files::reason(error)),
        ureq::Error::ConnectionFailed => "it cannot be reached".to_owned(),
        other => format!("it cannot be asked: {other}"),
    })
}

fn parsed<T: serde::de::DeserializeOwned>(body: &[u8]) -> Result<T, RegistryError> {
    serde_json::from_slice(body)
        .map_err(|error| RegistryError::Failed(format!("its answer is not understood: {error}")))
}

/// The digest of a document of a registry that does not tell it.
fn digest_of(body: &[u8]) -> String {
    fracht_core::digest::sha256(body)
}
