//! Requests and answers of the engine's API, behind a small trait: over the engine's socket, or from the stand-in.

mod http;
mod socket;

use std::fmt;
use std::io::{self, Read, Write};
use std::time::Duration;

pub use fracht_core::escape::encoded;
pub(crate) use http::{read_head, received};
pub use socket::Socket;

/// A request.
pub struct Request<'b> {
    /// `GET`, `POST`, `PUT`, `HEAD` or `DELETE`.
    pub method: &'static str,
    /// The path with its query, encoded (RFC 3986).
    pub path: String,
    /// What is sent.
    pub body: Body<'b>,
    /// A login for a registry, as the engine takes it.
    pub login: Option<String>,
    /// The longest pause in the answer; `None` for an answer that may take any time.
    pub limit: Option<Duration>,
}

/// What a request sends.
pub enum Body<'b> {
    /// Nothing.
    Nothing,
    /// A JSON document.
    Json(Vec<u8>),
    /// A tar archive, in pieces as it is made.
    Archive(&'b mut dyn Read),
}

/// An answer.
pub struct Answer {
    /// The status (RFC 9110).
    pub status: u16,
    /// The rest of it, in pieces as they come.
    pub body: Box<dyn Read + Send>,
}

/// Both directions of a connection that the engine keeps open for a program.
pub struct Attached {
    /// The status.
    pub status: u16,
    /// What the program writes.
    pub from: Box<dyn Read + Send>,
    /// What the program reads. When it is dropped, the program has read all.
    pub to: Box<dyn Write + Send>,
}

/// Something that answers requests of the engine's API.
pub trait Transport: Send + Sync {
    /// Sends a request.
    ///
    /// # Errors
    /// The error of the operating system if the engine cannot be reached, or the connection ends too early.
    fn send(&self, request: Request<'_>) -> io::Result<Answer>;

    /// Sends a request whose connection becomes that of a program.
    ///
    /// # Errors
    /// Those of [`Self::send`].
    fn attach(&self, request: Request<'_>) -> io::Result<Attached>;

    /// Where it is, to be shown.
    fn place(&self) -> String;
}

impl fmt::Debug for dyn Transport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "engine at {}", self.place())
    }
}

/// The text of a part of a query.
pub(crate) fn decoded(text: &str) -> String {
    let bytes = text.as_bytes();
    let mut out = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while let Some(byte) = bytes.get(at) {
        let hex = (*byte == b'%').then(|| text.get(at + 1..at + 3)).flatten();
        match hex.and_then(|hex| u8::from_str_radix(hex, 16).ok()) {
            Some(byte) => {
                out.push(byte);
                at += 3;
            }
            None => {
                out.push(*byte);
                at += 1;
            }
        }
    }
    String::from_utf8_lossy(&out).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_survives_a_query() {
        for text in ["{\"label\":[\"a=b\"]}", "100%", "ä b+c/d?e&f", "%zz", ""] {
            assert_eq!(decoded(&encoded(text)), text);
        }
        assert_eq!(encoded("a b"), "a%20b");
    }
}
