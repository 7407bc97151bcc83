//! Secret (core/v1). Generated only with `--secrets`.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Secret as Definition, SecretId};

use crate::api::{Bytes, Secret};
use crate::labels;
use crate::name::secret_name;

/// The values of the generated Secrets, by key.
pub type SecretValues = BTreeMap<SecretId, BTreeMap<String, Vec<u8>>>;

/// The Secret with the plain values of its keys, which the format of the object encodes.
pub(crate) fn secret(
    model: &Model,
    definition: &Definition,
    values: Option<&BTreeMap<String, Vec<u8>>>,
) -> Secret {
    let data = values.into_iter().flatten().map(|(key, value)| (key.clone(), Bytes(value.as_slice().into())));
    let labels = labels::of_part(model, &definition.name);
    let metadata = labels::meta(model, secret_name(model, definition), labels);
    Secret::new(metadata, kind(definition).map(Into::into), data.collect())
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
