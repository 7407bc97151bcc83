//! `ConfigMap` (core/v1) of a config, and the digests that show a change.

use std::collections::BTreeMap;

use fracht_core::digest::Digest;
use fracht_core::model::{Config, Content, Model};
use k8s_openapi::ByteString;
use k8s_openapi::api::core::v1::ConfigMap;

use crate::labels;
use crate::name::config_name;

pub(crate) fn config_map(model: &Model, config: &Config) -> ConfigMap {
    let mut map = ConfigMap {
        metadata: labels::meta(model, config_name(model, config), labels::of_part(model, &config.name)),
        ..ConfigMap::default()
    };
    for key in config.keys.iter() {
        let name = key.name.to_string();
        match (key.content.as_text(), &key.content) {
            (Some(text), _) => _ = map.data.get_or_insert_default().insert(name, text),
            (None, Content::File { bytes, .. }) => {
                let bytes = ByteString(bytes.to_vec());
                map.binary_data.get_or_insert_default().insert(name, bytes);
            }
            (None, Content::Text(_) | Content::Present) => {}
        }
    }
    map
}

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
