//! Secret (core/v1). Made only where its values were asked for.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Secret as Definition};
use k8s_openapi::ByteString;
use k8s_openapi::api::core::v1::Secret;

use crate::labels;

/// `values` are the values of its keys, not encoded: the format of the object does that, once.
pub(crate) fn secret(model: &Model, definition: &Definition, values: &BTreeMap<String, Vec<u8>>) -> Secret {
    let data = values.iter().map(|(key, value)| (key.clone(), ByteString(value.clone())));
    Secret {
        metadata: labels::meta(model, &*definition.name, labels::of_part(model, &definition.name)),
        data: Some(data.collect()),
        ..Secret::default()
    }
}
