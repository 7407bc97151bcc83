//! `ConfigMap` (core/v1) of a config, and the digest by which a change is seen.

use fracht_core::model::{Config, Content, Model};
use k8s_openapi::ByteString;
use k8s_openapi::api::core::v1::ConfigMap;

use crate::digest::content_digest;
use crate::labels;

pub(crate) fn config_map(model: &Model, config: &Config) -> ConfigMap {
    let mut map = ConfigMap {
        metadata: labels::meta(model, &*config.name, labels::of_part(model, &config.name)),
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
            (None, Content::Text(_)) => {}
        }
    }
    map
}

/// Changes with the content of the config, and with nothing else.
pub(crate) fn config_digest(config: &Config) -> String {
    let mut keys: Vec<_> = config.keys.iter().collect();
    keys.sort_by(|a, b| a.name.cmp(&b.name));
    let mut bytes = Vec::new();
    for key in keys {
        let text = key.content.as_text();
        let content = match (&text, &key.content) {
            (Some(text), _) => text.as_bytes(),
            (None, Content::File { bytes, .. }) => bytes,
            (None, Content::Text(_)) => &[],
        };
        // Lengths keep `a` + `bc` apart from `ab` + `c`.
        for piece in [key.name.as_bytes(), content] {
            bytes.extend(piece.len().to_be_bytes());
            bytes.extend(piece);
        }
    }
    content_digest(&bytes)
}
