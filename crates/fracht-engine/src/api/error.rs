//! Why a call fails.

use std::error::Error;
use std::fmt;
use std::io;

use fracht_core::files::reason;

/// Why a call of the engine's API fails.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum EngineError {
    /// Nothing answers at its socket, or the connection ended before the answer did.
    Lost {
        /// What was asked of it: a verb and its object.
        what: String,
        /// Its socket.
        place: String,
        /// The reason of the operating system.
        reason: String,
        /// Whether it was not reached at all.
        is_absent: bool,
    },
    /// It refuses.
    Refused {
        /// What was asked of it.
        what: String,
        /// The status (RFC 9110).
        status: u16,
        /// Its own words.
        message: String,
    },
    /// It answers in a way that this program does not understand.
    Odd {
        /// What was asked of it.
        what: String,
        /// What is odd.
        reason: String,
    },
}

impl EngineError {
    pub(crate) fn lost(what: &str, place: &str, error: &io::Error) -> Self {
        let (reason, is_absent) = match error.kind() {
            io::ErrorKind::NotFound => ("no such socket".to_owned(), true),
            io::ErrorKind::ConnectionRefused => ("nothing answers there".to_owned(), true),
            io::ErrorKind::PermissionDenied => ("permission denied".to_owned(), true),
            io::ErrorKind::UnexpectedEof
            | io::ErrorKind::ConnectionReset
            | io::ErrorKind::ConnectionAborted
            | io::ErrorKind::BrokenPipe => ("it ended the connection".to_owned(), false),
            io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut => ("no answer in time".to_owned(), false),
            _ => (reason(error), false),
        };
        Self::Lost { what: what.to_owned(), place: place.to_owned(), reason, is_absent }
    }

    pub(crate) fn odd(what: &str, reason: &dyn fmt::Display) -> Self {
        Self::Odd { what: what.to_owned(), reason: reason.to_string() }
    }

    pub(crate) fn refused(what: &str, status: u16, body: &[u8]) -> Self {
        #[derive(serde::Deserialize)]
        struct Refusal {
            #[serde(default)]
            message: String,
            #[serde(default)]
            cause: String,
        }
        let text = String::from_utf8_lossy(body);
        let message = match serde_json::from_slice::<Refusal>(body) {
            Ok(refusal) if !refusal.message.is_empty() => refusal.message,
            Ok(refusal) if !refusal.cause.is_empty() => refusal.cause,
            _ if text.trim().is_empty() => format!("status {status}"),
            _ => text.trim().to_owned(),
        };
        Self::Refused { what: what.to_owned(), status, message }
    }

    /// An error that the engine reports inside the answer of a success.
    pub(crate) fn inside(what: &str, message: &str) -> Self {
        Self::Refused { what: what.to_owned(), status: 200, message: message.trim().to_owned() }
    }

    /// Whether the engine refuses because what is named is not there.
    pub fn is_missing(&self) -> bool {
        matches!(self, Self::Refused { status: 404, .. })
    }

    /// Whether the engine was not reached, or the connection ended.
    pub fn is_lost(&self) -> bool {
        matches!(self, Self::Lost { .. })
    }

    /// Whether the name of what is to be created is in use.
    pub fn is_name_taken(&self) -> bool {
        matches!(self, Self::Refused { status, message, .. }
            if *status == 409 || message.contains("already in use") || message.contains("already exists"))
    }

    /// Whether the port that a container publishes is in use.
    pub fn is_port_taken(&self) -> bool {
        matches!(self, Self::Refused { message, .. }
            if message.contains("address already in use") || message.contains("port is already allocated"))
    }
}

impl fmt::Display for EngineError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Lost { place, reason, is_absent: true, .. } => {
                write!(f, "cannot reach a container engine at `{place}`: {reason}")
            }
            Self::Lost { what, reason, .. } => write!(f, "the engine did not {what}: {reason}"),
            Self::Refused { what, message, .. } => write!(f, "the engine did not {what}: {message}"),
            Self::Odd { what, reason } => {
                write!(f, "asked to {what}, the engine answered what Fracht does not understand: {reason}")
            }
        }
    }
}

impl Error for EngineError {}
