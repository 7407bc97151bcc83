//! Plain settings and files.

use std::collections::HashMap;
use std::ops::Deref;
use std::sync::Arc;

use super::Text;
use crate::origin::{Origin, Sourced};
use crate::source::Span;

/// A set of keys with plain values.
#[derive(Clone, Debug)]
pub struct Config {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The name of the config in the cluster, if it is there already and not made here.
    pub present: Option<Sourced<Arc<str>>>,
    /// The keys, in the order of the file; those of `lines` behind those of `key`, then those of `files`.
    pub keys: ConfigKeys,
}

/// The keys of a config, in their order. A file may have very many: each is found by its name at once.
#[derive(Clone, Debug, Default)]
pub struct ConfigKeys {
    list: Vec<ConfigKey>,
    places: HashMap<Arc<str>, usize>,
}

impl ConfigKeys {
    /// A key by its name.
    pub fn get(&self, name: &str) -> Option<&ConfigKey> {
        self.list.get(*self.places.get(name)?)
    }

    /// Adds a key. Of two with one name the first is the one that is found.
    pub(crate) fn push(&mut self, key: ConfigKey) {
        self.places.entry(Arc::clone(&key.name)).or_insert(self.list.len());
        self.list.push(key);
    }
}

impl Deref for ConfigKeys {
    type Target = [ConfigKey];

    fn deref(&self) -> &[ConfigKey] {
        &self.list
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
    /// It is in the cluster already.
    Present,
}

impl Content {
    /// The content as text; `None` for a file that is not UTF-8, and for what is not known here.
    pub fn as_text(&self) -> Option<String> {
        match self {
            Self::Text(text) => Some(text.plain()),
            // A text with a NUL character is none that every reader keeps whole.
            Self::File { bytes, .. } if bytes.contains(&0) => None,
            Self::File { bytes, .. } => std::str::from_utf8(bytes).ok().map(str::to_owned),
            Self::Present => None,
        }
    }

    /// How many bytes it has.
    pub fn size(&self) -> usize {
        match self {
            Self::Text(text) => text.plain().len(),
            Self::File { bytes, .. } => bytes.len(),
            Self::Present => 0,
        }
    }
}
