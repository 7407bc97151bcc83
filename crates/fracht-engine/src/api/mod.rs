//! The engine's API (version 1.41, which several engines share) as typed calls, one file for each kind of object.

mod container;
mod error;
mod frames;
mod image;
mod network;
mod program;

use std::io::Read;
use std::time::Duration;

use base64::Engine as _;
use base64::engine::general_purpose::URL_SAFE;
use serde::Serialize;
use serde::de::DeserializeOwned;

pub use container::{
    Binding, Config, ContainerSpec, Endpoint, EndpointAddress, HealthCheck, HostConfig, Inspected, Listed,
    ListedPort, LogOptions, MountSpec, NetworkingConfig, Ran, RestartPolicy, RunState, TmpfsOptions,
};
pub use error::EngineError;
pub(crate) use frames::Lines;
pub use frames::{Frames, Line, Output};
pub use image::{ImageConfig, LocalImage, Progress, stream_lines};
pub use network::{ListedNetwork, ListedVolume, NetworkSpec, VolumeSpec};
pub use program::ProgramSpec;

use crate::transport::{Attached, Body, Request, Transport, encoded};

/// The longest pause in an ordinary answer.
const LIMIT: Duration = Duration::from_secs(60);

/// The most bytes of an ordinary answer.
const MOST_OF_ANSWER: u64 = 64 << 20;

/// Labels by which objects are listed: a key and its value.
pub type Label<'l> = (&'l str, &'l str);

/// A login for a registry: the user name, the password, and the host.
pub type RegistryLogin<'l> = (&'l str, &'l str, &'l str);

/// An engine.
pub struct Engine {
    transport: Box<dyn Transport>,
}

/// What a call sends.
enum Sent<'b> {
    Nothing,
    Json(&'b dyn erased::Json),
    Archive(&'b mut dyn Read),
}

/// Serialisable values of any type.
mod erased {
    use serde::Serialize;

    pub(super) trait Json {
        fn bytes(&self) -> Result<Vec<u8>, serde_json::Error>;
    }

    impl<T: Serialize> Json for T {
        fn bytes(&self) -> Result<Vec<u8>, serde_json::Error> {
            serde_json::to_vec(self)
        }
    }
}

impl Engine {
    /// The engine behind a transport.
    pub fn new(transport: Box<dyn Transport>) -> Self {
        Self { transport }
    }

    /// Where it is, to be shown.
    pub fn place(&self) -> String {
        self.transport.place()
    }

    /// Asks whether it is there.
    ///
    /// # Errors
    /// [`EngineError`] if it does not answer as an engine does.
    pub fn ping(&self) -> Result<(), EngineError> {
        let answer = self.call(("GET", "/_ping"), Sent::Nothing, "ask the engine", Some(LIMIT))?;
        answer.into_text().map(|_| ())
    }

    /// The processor architecture of the machine that it runs on.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn architecture(&self) -> Result<String, EngineError> {
        #[derive(serde::Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct Version {
            #[serde(default)]
            arch: String,
        }
        let version: Version = self.get("/version", "tell its version")?;
        Ok(version.arch)
    }

    /// A call whose answer is of any status; `what` says what it does, for errors. `limit` is the longest pause in the
    /// answer.
    fn call(
        &self,
        (method, path): (&'static str, &str),
        sent: Sent<'_>,
        what: &str,
        limit: Option<Duration>,
    ) -> Result<Answered, EngineError> {
        let body = match sent {
            Sent::Nothing => Body::Nothing,
            Sent::Json(value) => {
                let bytes = value.bytes().map_err(|error| EngineError::odd(what, &error))?;
                Body::Json(bytes)
            }
            Sent::Archive(from) => Body::Archive(from),
        };
        // `_ping` has no version.
        let path = if path.starts_with("/_") { path.to_owned() } else { format!("/v1.41{path}") };
        let request = Request { method, path, body, login: None, limit };
        let answer = self.transport.send(request);
        let answer = answer.map_err(|error| EngineError::lost(what, &self.place(), &error))?;
        Ok(Answered { what: what.to_owned(), place: self.place(), status: answer.status, body: answer.body })
    }

    /// A call that works with a registry, with a login for it, whose answer comes in lines of progress.
    fn exchange(
        &self,
        path: &str,
        what: &str,
        login: Option<RegistryLogin<'_>>,
        seen: &mut dyn FnMut(&Progress),
    ) -> Result<(), EngineError> {
        let login = login.map(|(user, password, host)| {
            let login = serde_json::json!({ "username": user, "password": password, "serveraddress": host });
            URL_SAFE.encode(login.to_string())
        });
        // An engine wants the header in any case.
        let login = Some(login.unwrap_or_else(|| URL_SAFE.encode("{}")));
        let path = format!("/v1.41{path}");
        let request = Request { method: "POST", path, body: Body::Nothing, login, limit: None };
        let answer = self.transport.send(request);
        let answer = answer.map_err(|error| EngineError::lost(what, &self.place(), &error))?;
        let (status, body) = (answer.status, answer.body);
        let answered = Answered { what: what.to_owned(), place: self.place(), status, body };
        stream_lines(answered.into_stream()?, what, seen)
    }

    fn get<T: DeserializeOwned>(&self, path: &str, what: &str) -> Result<T, EngineError> {
        self.call(("GET", path), Sent::Nothing, what, Some(LIMIT))?.into_json()
    }

    /// The same, `None` if there is no such object.
    fn find<T: DeserializeOwned>(&self, path: &str, what: &str) -> Result<Option<T>, EngineError> {
        let answer = self.call(("GET", path), Sent::Nothing, what, Some(LIMIT))?;
        if answer.status == 404 { Ok(None) } else { answer.into_json().map(Some) }
    }

    /// A call of which only its success counts, or one of some other statuses.
    fn act(
        &self,
        to: (&'static str, &str),
        sent: Sent<'_>,
        (what, fine): (&str, &[u16]),
        limit: Option<Duration>,
    ) -> Result<(), EngineError> {
        let answer = self.call(to, sent, what, limit)?;
        if fine.contains(&answer.status) { Ok(()) } else { answer.into_text().map(|_| ()) }
    }

    fn post<T: DeserializeOwned>(
        &self,
        path: &str,
        value: &impl Serialize,
        what: &str,
    ) -> Result<T, EngineError> {
        self.call(("POST", path), Sent::Json(value), what, Some(LIMIT))?.into_json()
    }

    fn attach(
        &self,
        path: &str,
        value: Option<&dyn erased::Json>,
        what: &str,
    ) -> Result<Attached, EngineError> {
        let bytes = value.map(erased::Json::bytes).transpose();
        let bytes = bytes.map_err(|error| EngineError::odd(what, &error))?;
        let body = bytes.map_or(Body::Nothing, Body::Json);
        let request =
            Request { method: "POST", path: format!("/v1.41{path}"), body, login: None, limit: None };
        let attached = self.transport.attach(request);
        let attached = attached.map_err(|error| EngineError::lost(what, &self.place(), &error))?;
        if matches!(attached.status, 101 | 200..=299) {
            return Ok(attached);
        }
        let Attached { status, from, .. } = attached;
        let refused = Answered { what: what.to_owned(), place: self.place(), status, body: from };
        Err(refused.into_text().err().unwrap_or_else(|| EngineError::odd(what, &"no connection")))
    }
}

/// An answer, and what was asked.
struct Answered {
    what: String,
    place: String,
    status: u16,
    body: Box<dyn Read + Send>,
}

impl Answered {
    /// The body of a success; of a failure, the error.
    fn into_bytes(mut self) -> Result<Vec<u8>, EngineError> {
        let mut bytes = Vec::new();
        let read = (&mut self.body).take(MOST_OF_ANSWER).read_to_end(&mut bytes);
        read.map_err(|error| EngineError::lost(&self.what, &self.place, &error))?;
        match self.status {
            200..=299 | 304 => Ok(bytes),
            status => Err(EngineError::refused(&self.what, status, &bytes)),
        }
    }

    fn into_text(self) -> Result<String, EngineError> {
        self.into_bytes().map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
    }

    fn into_json<T: DeserializeOwned>(self) -> Result<T, EngineError> {
        let what = self.what.clone();
        let bytes = self.into_bytes()?;
        serde_json::from_slice(&bytes).map_err(|error| EngineError::odd(&what, &error))
    }

    /// The body of a success while it comes.
    fn into_stream(self) -> Result<Box<dyn Read + Send>, EngineError> {
        match self.status {
            200..=299 => Ok(self.body),
            _ => self.into_bytes().map(|bytes| Box::new(std::io::Cursor::new(bytes)) as Box<dyn Read + Send>),
        }
    }
}

/// The filter of a list by labels, as a part of a query.
fn by_labels(labels: &[Label<'_>]) -> String {
    let labels: Vec<String> = labels.iter().map(|(key, value)| format!("{key}={value}")).collect();
    encoded(&serde_json::json!({ "label": labels }).to_string())
}
