//! Configs: settings and files in plain text.

use std::collections::HashMap;
use std::ops::Deref;
use std::sync::Arc;

use super::{KeyAddress, Text};
use crate::origin::{Origin, Sourced};
use crate::source::{FileId, Span};

/// A set of keys with values in plain text.
#[derive(Clone, Debug)]
pub struct Config {
    /// Its name.
    pub name: Arc<str>,
    /// Where its name is written.
    pub span: Span,
    /// The name of an existing ConfigMap, which is used instead of a generated one.
    pub present: Option<Sourced<Arc<str>>>,
    /// The keys: first those of `key`, then those of `lines`, then those of `files`, each in the order of the file.
    pub keys: ConfigKeys,
    /// The addresses in its texts, each with its key: of very many only the first.
    pub addresses: Vec<KeyAddress>,
}

/// The keys of a config, in their order. There may be very many, so they are also indexed by name.
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

    /// The position of a key.
    pub(crate) fn place(&self, name: &str) -> Option<usize> {
        self.places.get(name).copied()
    }

    /// A key by its name, to be changed.
    pub(crate) fn get_mut(&mut self, name: &str) -> Option<&mut ConfigKey> {
        self.list.get_mut(*self.places.get(name)?)
    }

    /// Adds a key. Of two keys with the same name, the first one is found.
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
    /// Its content.
    pub content: Content,
    /// Whether references are replaced in it.
    pub takes_references: bool,
    /// Where earlier layers set it, the latest first.
    pub under: Vec<Origin>,
    /// Whether its content is that of a file, or overrides that of a file.
    pub(crate) is_file: bool,
}

impl ConfigKey {
    /// A key that overrides no other one. References are replaced in its text.
    pub(crate) fn new(name: &Arc<str>, span: Span, content: Content) -> Self {
        let takes_references = matches!(content, Content::Text(_));
        let is_file = matches!(content, Content::File { .. });
        Self { name: Arc::clone(name), span, content, takes_references, under: Vec::new(), is_file }
    }

    /// Whether it is a setting, which `use` makes a variable, and not a file.
    pub fn is_setting(&self) -> bool {
        !self.is_file
    }
}

/// The content of a config key.
#[derive(Clone, Debug)]
pub enum Content {
    /// Text with its references resolved, from the stack file or another one.
    Text(Text),
    /// The content of a file, unchanged.
    File {
        /// The bytes.
        bytes: Arc<[u8]>,
        /// Where the file is named.
        origin: Origin,
        /// The file, if it is text.
        file: Option<FileId>,
    },
    /// It already exists in the cluster, so that its content is not known.
    Present,
}

impl Content {
    /// The content as text; `None` for a file that is not UTF-8, and for content that is not known.
    pub fn as_text(&self) -> Option<String> {
        match self {
            Self::Text(text) => Some(text.plain()),
            // Some readers end a text at a NUL character, so such a file is treated as binary.
            Self::File { bytes, .. } if bytes.contains(&0) => None,
            Self::File { bytes, .. } => std::str::from_utf8(bytes).ok().map(str::to_owned),
            Self::Present => None,
        }
    }

    /// The file that it is in, if that is text.
    pub(crate) fn file(&self) -> Option<FileId> {
        match self {
            Self::Text(text) => text.origin.span().map(|span| span.file),
            Self::File { file, .. } => *file,
            Self::Present => None,
        }
    }

    /// Where it is written; `None` for one that already exists in the cluster.
    pub(crate) fn origin(&self) -> Option<Origin> {
        match self {
            Self::Text(text) => Some(text.origin),
            Self::File { origin, .. } => Some(*origin),
            Self::Present => None,
        }
    }

    /// The size in bytes.
    pub fn size(&self) -> usize {
        match self {
            Self::Text(text) => text.plain().len(),
            Self::File { bytes, .. } => bytes.len(),
            Self::Present => 0,
        }
    }
}
