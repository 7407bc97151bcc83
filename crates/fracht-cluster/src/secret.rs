//! Secret (core/v1). Generated only with `--secrets`.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Secret as Definition};
use k8s_openapi::ByteString;
use k8s_openapi::api::core::v1::Secret;

use crate::labels;
use crate::name::secret_name;

/// The Secret with the plain values of its keys, which the format of the object encodes.
pub(crate) fn secret(model: &Model, definition: &Definition, values: &BTreeMap<String, Vec<u8>>) -> Secret {
    let data = values.iter().map(|(key, value)| (key.clone(), ByteString(value.clone())));
    Secret {
        metadata: labels::meta(
            model,
            secret_name(model, definition),
            labels::of_part(model, &definition.name),
        ),
        type_: kind(definition).map(str::to_owned),
        data: Some(data.collect()),
        ..Secret::default()
    }
}

/// The built-in type of a Secret, by its keys. The cluster checks the values of these types.
fn kind(definition: &Definition) -> Option<&'static str> {
    let has = |name: &str| definition.keys.iter().any(|key| *key.name == *name);
    if has("tls.crt") && has("tls.key") {
        Some("kubernetes.io/tls")
    } else if has(".dockerconfigjson") {
        Some("kubernetes.io/dockerconfigjson")
    } else {
        None
    }
}
