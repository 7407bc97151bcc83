//! Reads the values of secrets. Only commands with `--secrets` call it.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::error::Error;
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::files::{Files, MOST_BYTES, reason};
use crate::grammar::lines;
use crate::grammar::reference::{self, Piece};
use crate::model::{List, Part, Secret, SecretId, SecretKey, SecretSource, keys_by_name};

/// Why the value of a secret cannot be read. Never contains any part of the value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RevealError {
    /// The environment variable is not set.
    NoVariable(Arc<str>),
    /// No file has a line with this key.
    NoLine(Arc<str>),
    /// The variable, line or file is empty.
    Empty,
    /// The value of another secret that it contains is not UTF-8.
    NotText(String),
    /// The file cannot be read, with the reason of the operating system.
    Unreadable(PathBuf, String),
}

impl fmt::Display for RevealError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoVariable(name) => write!(f, "set the variable {name}"),
            Self::NoLine(key) => write!(f, "add the line {key}=… to its file"),
            Self::Empty => f.write_str("the value is empty"),
            Self::NotText(reference) => write!(f, "{reference} is not UTF-8, which it must be inside a text"),
            Self::Unreadable(path, reason) => write!(f, "{}: {reason}", path.display()),
        }
    }
}

impl Error for RevealError {}

/// Reads values of secrets. Files of `KEY=value` lines are read once.
pub struct Revealer<'f> {
    keys: HashMap<(SecretId, &'f str), &'f SecretKey>,
    files: &'f dyn Files,
    variable: &'f dyn Fn(&str) -> Option<Vec<u8>>,
    lines: BTreeMap<PathBuf, BTreeMap<String, String>>,
}

impl<'f> Revealer<'f> {
    /// `variable` looks up an environment variable.
    pub fn new(
        secrets: &'f List<Secret>,
        files: &'f dyn Files,
        variable: &'f dyn Fn(&str) -> Option<Vec<u8>>,
    ) -> Self {
        Self { keys: keys_by_name(secrets), files, variable, lines: BTreeMap::new() }
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
                    Ok(text) if !key.references.is_empty() => self.replaced(text, key)?.into_bytes(),
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
            let value = self.lines.get(path).and_then(|lines| lines.get(&*key.name)).cloned();
            if let Some(value) = value {
                return Ok(self.replaced(&value, key)?.into_bytes());
            }
        }
        Err(RevealError::NoLine(Arc::clone(&key.name)))
    }

    /// The value of a key with its references replaced: those to known texts, and those to other secrets.
    fn replaced(&mut self, value: &str, key: &SecretKey) -> Result<String, RevealError> {
        if key.references.is_empty() {
            return Ok(value.to_owned());
        }
        let mut known = HashMap::new();
        for reference in &key.references {
            let text = match &reference.part {
                Part::Secret(id, name) => Cow::Owned(self.contained(*id, name, &reference.written)?),
                part => Cow::Borrowed(part.known().unwrap_or_default()),
            };
            known.insert(&*reference.written, text);
        }
        Ok(with_references(value, &known))
    }

    /// The value of a key that another one contains. It contains none itself, which has been checked.
    fn contained(&mut self, id: SecretId, name: &str, written: &str) -> Result<String, RevealError> {
        let key = self.keys.get(&(id, name)).copied();
        let plain = key.filter(|key| key.contained().next().is_none());
        let value = plain.map(|key| self.reveal(key)).transpose()?.flatten().ok_or(RevealError::Empty)?;
        String::from_utf8(value).map_err(|_| RevealError::NotText(written.to_owned()))
    }
}

/// A value with what its references stand for, by their texts with braces. All other braces stay.
fn with_references(value: &str, known: &HashMap<&str, Cow<'_, str>>) -> String {
    let replaced = |piece: &Piece<'_>| match piece {
        Piece::Plain(plain) => (*plain).to_owned(),
        Piece::Stray(at) => value.get(*at..=*at).unwrap_or_default().to_owned(),
        Piece::Braces(inner, _) => {
            let written = ["{", inner, "}"].concat();
            known.get(&*written).map_or(written, |text| text.clone().into_owned())
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
        let references = HashMap::from([("{service.db/sql}", Cow::Borrowed("db:5432"))]);
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
