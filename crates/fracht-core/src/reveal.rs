//! Reads the values of secrets. Only commands with `--secrets` call it.

use std::error::Error;
use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

use crate::files::{Files, MOST_BYTES, reason};
use crate::model::{SecretKey, SecretSource};

/// Why the value of a secret cannot be read. Never contains any part of the value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RevealError {
    /// The environment variable is not set.
    NoVariable(Arc<str>),
    /// The variable or file is empty.
    Empty,
    /// The file cannot be read, with the reason of the operating system.
    Unreadable(PathBuf, String),
}

impl fmt::Display for RevealError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoVariable(name) => write!(f, "set the variable {name}"),
            Self::Empty => f.write_str("the value is empty"),
            Self::Unreadable(path, reason) => write!(f, "{}: {reason}", path.display()),
        }
    }
}

impl Error for RevealError {}

/// Reads the value of a key of a secret; `None` for a secret that already exists in the cluster. `variable` looks up an
/// environment variable. If a file is one line of text, its final line break is not part of the value, since editors
/// add it. Every other file is used byte for byte.
///
/// # Errors
/// [`RevealError`] if the value cannot be read or is empty.
pub fn reveal(
    files: &dyn Files,
    variable: &dyn Fn(&str) -> Option<Vec<u8>>,
    key: &SecretKey,
) -> Result<Option<Vec<u8>>, RevealError> {
    let mut value = match &key.source {
        SecretSource::Present => return Ok(None),
        SecretSource::Variable(name) => {
            variable(name).ok_or_else(|| RevealError::NoVariable(Arc::clone(name)))?
        }
        SecretSource::File(path) => files
            .read(path, MOST_BYTES)
            .map_err(|error| RevealError::Unreadable(path.clone(), reason(&error)))?,
    };
    if let (SecretSource::File(_), Some(line)) = (&key.source, one_line(&value)) {
        let length = line.len();
        value.truncate(length);
    }
    if value.is_empty() { Err(RevealError::Empty) } else { Ok(Some(value)) }
}

/// A text of one line, without its line break; `None` for several lines, and for bytes that are not text.
fn one_line(bytes: &[u8]) -> Option<&str> {
    let text = std::str::from_utf8(bytes).ok()?;
    let line = text.strip_suffix('\n')?;
    let line = line.strip_suffix('\r').unwrap_or(line);
    (!line.contains(|c: char| c.is_control() && c != '\t')).then_some(line)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_single_line_of_text_loses_its_line_break() {
        for (bytes, line) in [
            (&b"gull\n"[..], Some("gull")),
            (b"gull\r\n", Some("gull")),
            (b"gull", None),
            (b"gull\n\n", None),
            (b"-----BEGIN X-----\nabc\n-----END X-----\n", None),
            (b"\x01\x02\n", None),
            (b"\xff\xfe\r\n", None),
            (b"k\xc3\xa9lp\n", Some("k\u{e9}lp")),
            (b"", None),
        ] {
            assert_eq!(one_line(bytes), line, "{bytes:?}");
        }
    }
}
