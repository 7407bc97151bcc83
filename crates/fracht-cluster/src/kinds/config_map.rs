//! `ConfigMap` (core/v1) of a config.

use std::sync::Arc;

use fracht_core::model::{Config, Content, Model};

use crate::api::{Bytes, ConfigMap};
use crate::labels;
use crate::name::config_name;

pub(crate) fn config_map(model: &Model, config: &Config) -> ConfigMap {
    let texts = config.keys.iter().filter_map(|key| Some((&key.name, key.content.as_text()?)));
    let files = config.keys.iter().filter_map(|key| match &key.content {
        Content::File { bytes, .. } if key.content.as_text().is_none() => {
            Some((&key.name, Bytes(Arc::clone(bytes))))
        }
        _ => None,
    });
    let metadata = labels::meta(model, config_name(model, config), labels::of_part(model, &config.name));
    ConfigMap::new(metadata, texts.collect(), files.collect())
}
