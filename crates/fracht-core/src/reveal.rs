//! Reads the values of secrets. Only commands with `--secrets` call it.

use std::collections::{BTreeMap, HashMap};
use std::error::Error;
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::files::{Files, MOST_BYTES, reason};
use crate::grammar::lines;
use crate::grammar::reference::{self, Piece};
use crate::model::{Replacement, SecretKey, SecretSource};

/// Why the value of a secret cannot be read. Never contains any part of the value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RevealError {
    /// The environment variable is not set.
    NoVariable(Arc<str>),
    /// No file has a line with this key.
    NoLine(Arc<str>),
    /// The variable, line or file is empty.
    Empty,
    /// The file cannot be read, with the reason of the operating system.
    Unreadable(PathBuf, String),
}

impl fmt::Display for RevealError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoVariable(name) => write!(f, "set the variable {name}"),
            Self::NoLine(key) => write!(f, "add the line {key}=… to its file"),
            Self::Empty => f.write_str("the value is empty"),
            Self::Unreadable(path, reason) => write!(f, "{}: {reason}", path.display()),
        }
    }
}

impl Error for RevealError {}

/// Reads values of secrets. Files of `KEY=value` lines are read once.
pub struct Revealer<'f> {
    files: &'f dyn Files,
    variable: &'f dyn Fn(&str) -> Option<Vec<u8>>,
    lines: BTreeMap<PathBuf, BTreeMap<String, String>>,
}

impl<'f> Revealer<'f> {
    /// `variable` looks up an environment variable.
    pub fn new(files: &'f dyn Files, variable: &'f dyn Fn(&str) -> Option<Vec<u8>>) -> Self {
        Self { files, variable, lines: BTreeMap::new() }
    }

    /// Reads the value of a key of a secret; `None` for one that is in the cluster alone. If a file is one line of
    /// text, its final line break is not part of the value, since editors add it. Every other file is used byte for
    /// byte.
    ///
    /// # Errors
    /// [`RevealError`] if the value cannot be read or is empty.
    pub fn reveal(&mut self, key: &SecretKey) -> Result<Option<Vec<u8>>, RevealError> {
        let value = match &key.source {
            SecretSource::Present | SecretSource::Made => return Ok(None),
            SecretSource::Variable(name) => {
                (self.variable)(name).ok_or_else(|| RevealError::NoVariable(Arc::clone(name)))?
            }
            SecretSource::File(path) => {
                let mut value = self.read(path)?;
                if let Some(line) = one_line(&value) {
                    let length = line.len();
                    value.truncate(length);
                }
                match std::str::from_utf8(&value) {
                    Ok(text) if !key.references.is_empty() => {
                        with_references(text, &key.references).into_bytes()
                    }
                    _ => value,
                }
            }
            SecretSource::Lines(paths) => self.line(paths, key)?,
        };
        if value.is_empty() { Err(RevealError::Empty) } else { Ok(Some(value)) }
    }

    fn read(&self, path: &Path) -> Result<Vec<u8>, RevealError> {
        let unreadable = |error| RevealError::Unreadable(path.to_owned(), reason(&error));
        self.files.read(path, MOST_BYTES).map_err(unreadable)
    }

    /// The value of the line of a key, with its references replaced.
    fn line(&mut self, paths: &[PathBuf], key: &SecretKey) -> Result<Vec<u8>, RevealError> {
        for path in paths {
            if !self.lines.contains_key(path) {
                let text = String::from_utf8(self.read(path)?);
                let text = text.map_err(|_| RevealError::Unreadable(path.clone(), "not UTF-8".into()))?;
                let (settings, _) = lines::parse(text.trim_start_matches('\u{feff}'));
                let settings = settings.into_iter().map(|setting| (setting.key, setting.value));
                self.lines.insert(path.clone(), settings.collect());
            }
            let value = self.lines.get(path).and_then(|lines| lines.get(&*key.name));
            if let Some(value) = value {
                return Ok(with_references(value, &key.references).into_bytes());
            }
        }
        Err(RevealError::NoLine(Arc::clone(&key.name)))
    }
}

/// A value with what its references stand for.
fn with_references(value: &str, references: &[Replacement]) -> String {
    if references.is_empty() {
        return value.to_owned();
    }
    let known: HashMap<&str, &str> = references.iter().map(|(written, text)| (&**written, &**text)).collect();
    let replaced = |piece: &Piece<'_>| match piece {
        Piece::Plain(plain) => (*plain).to_owned(),
        Piece::Stray(at) => value.get(*at..=*at).unwrap_or_default().to_owned(),
        Piece::Braces(inner, _) => {
            let written = ["{", inner, "}"].concat();
            known.get(&*written).map_or(written, |text| (*text).to_owned())
        }
    };
    reference::pieces(value).iter().map(replaced).collect()
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
    fn references_in_a_line_are_replaced_and_other_braces_kept() {
        let references = [("{service.db/sql}".into(), "db:5432".into())];
        let value = "{a} {{service.db/sql}} u:p{w@{service.db/sql}/x";
        let replaced = "{a} {{service.db/sql}} u:p{w@db:5432/x";
        assert_eq!(with_references(value, &references), replaced);
    }

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
