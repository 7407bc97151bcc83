//! Digests of configs, which show that a key has changed.

use std::collections::BTreeMap;

use fracht_core::digest::Digest;
use fracht_core::model::{Config, Content};

/// A digest of the content of each key; `None` for an existing `ConfigMap`.
pub(crate) fn key_digests(config: &Config) -> Option<BTreeMap<&str, String>> {
    let digest = |content: &Content| {
        let mut digest = Digest::default();
        match (content.as_text(), content) {
            (Some(text), _) => digest.piece(text.as_bytes()),
            (None, Content::File { bytes, .. }) => digest.piece(bytes),
            (None, Content::Text(_) | Content::Present) => {}
        }
        digest.hex(64)
    };
    let made = config.present.is_none();
    made.then(|| config.keys.iter().map(|key| (&*key.name, digest(&key.content))).collect())
}

/// A digest that changes with the content of some keys, and only then.
pub(crate) fn digest_of<'d>(keys: impl Iterator<Item = (&'d str, &'d String)>) -> String {
    let mut all = Digest::default();
    for (key, digest) in keys {
        all.piece(key.as_bytes());
        all.piece(digest.as_bytes());
    }
    all.hex(16)
}
