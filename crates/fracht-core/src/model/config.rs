//! Plain settings and files.

use std::sync::Arc;

use super::Text;
use crate::origin::Origin;
use crate::source::Span;

/// A set of keys with plain values.
#[derive(Clone, Debug)]
pub struct Config {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The keys, in the order of the file; those of `lines` behind those of `key`.
    pub keys: Vec<ConfigKey>,
}

impl Config {
    /// A key by its name.
    pub fn key(&self, name: &str) -> Option<&ConfigKey> {
        self.keys.iter().find(|key| *key.name == *name)
    }
}

/// A key of a config.
#[derive(Clone, Debug)]
pub struct ConfigKey {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// What it holds.
    pub content: Content,
}

/// What a key of a config holds.
#[derive(Clone, Debug)]
pub enum Content {
    /// Text written in the stack, references resolved.
    Text(Text),
    /// The content of a file, taken as it is.
    File {
        /// The bytes.
        bytes: Arc<[u8]>,
        /// Where the file is named.
        origin: Origin,
    },
}

impl Content {
    /// The content as text; `None` for a file that is not UTF-8.
    pub fn as_text(&self) -> Option<String> {
        match self {
            Self::Text(text) => Some(text.plain()),
            Self::File { bytes, .. } => std::str::from_utf8(bytes).ok().map(str::to_owned),
        }
    }

    /// How many bytes it has.
    pub fn size(&self) -> usize {
        match self {
            Self::Text(text) => text.plain().len(),
            Self::File { bytes, .. } => bytes.len(),
        }
    }
}
