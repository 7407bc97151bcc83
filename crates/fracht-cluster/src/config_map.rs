//! `ConfigMap` (core/v1) of a config, and the digest by which a change is seen.

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
    for key in &config.keys {
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

/// Changes with the content of some keys of the config, and with nothing else; `None` for one that is not made here.
pub(crate) fn config_digest(config: &Config, is_used: impl Fn(&str) -> bool) -> Option<String> {
    if config.present.is_some() {
        return None;
    }
    let mut keys: Vec<_> = config.keys.iter().filter(|key| is_used(&key.name)).collect();
    keys.sort_by(|a, b| a.name.cmp(&b.name));
    let mut digest = Digest::default();
    for key in keys {
        let text = key.content.as_text();
        digest.piece(key.name.as_bytes());
        digest.piece(match (&text, &key.content) {
            (Some(text), _) => text.as_bytes(),
            (None, Content::File { bytes, .. }) => bytes,
            (None, Content::Text(_) | Content::Present) => &[],
        });
    }
    Some(digest.hex(16))
}
