//! Digests of configs, which show that a key has changed.

use std::collections::BTreeMap;

use fracht_core::digest::Digest;
use fracht_core::model::{Config, Content};

/// The digests of a config.
#[derive(Clone, Debug)]
pub(crate) struct ConfigDigest<'c> {
    /// A digest of the content of each key.
    keys: BTreeMap<&'c str, String>,
    /// A digest of all keys.
    pub(crate) all: String,
}

impl<'c> ConfigDigest<'c> {
    /// The digests of a config.
    pub(crate) fn of(config: &'c Config) -> Self {
        let keys: BTreeMap<&str, String> =
            config.keys.iter().map(|key| (&*key.name, of_content(&key.content))).collect();
        Self { all: joined(keys.iter().map(|(key, digest)| (*key, digest))), keys }
    }

    /// A digest that changes with the content of some keys, and only then.
    pub(crate) fn of_keys<'k>(&self, keys: impl Iterator<Item = &'k str>) -> String {
        joined(keys.filter_map(|key| Some((key, self.keys.get(key)?))))
    }
}

fn of_content(content: &Content) -> String {
    let mut digest = Digest::default();
    match (content.as_text(), content) {
        (Some(text), _) => digest.piece(text.as_bytes()),
        (None, Content::File { bytes, .. }) => digest.piece(bytes),
        (None, Content::Text(_) | Content::Present) => {}
    }
    digest.hex(64)
}

fn joined<'d>(keys: impl Iterator<Item = (&'d str, &'d String)>) -> String {
    let mut all = Digest::default();
    for (key, digest) in keys {
        all.piece(key.as_bytes());
        all.piece(digest.as_bytes());
    }
    all.hex(16)
}
