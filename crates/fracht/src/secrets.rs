//! The values of secrets, read only where somebody asked for them.

use std::collections::BTreeMap;

use fracht_cluster::SecretValues;
use fracht_core::check::{RevealError, is_made, reveal};
use fracht_core::model::Model;

use crate::disk::Disk;
use crate::failure::Failure;
use crate::ui::counted;

/// Reads the values of all secrets that are made; every one that is missing is named.
pub(crate) fn values(model: &Model) -> Result<SecretValues, Failure> {
    let variable = |name: &str| std::env::var_os(name).map(std::ffi::OsString::into_encoded_bytes);
    let (mut all, mut missing) = (SecretValues::new(), Vec::new());
    for (id, secret) in model.secrets.entries().filter(|(_, secret)| is_made(secret)) {
        let mut values = BTreeMap::new();
        for key in &secret.keys {
            match reveal(&Disk, &variable, key) {
                Ok(Some(value)) => _ = values.insert(key.name.to_string(), value),
                Ok(None) => {}
                Err(error) => missing.push(format!(
                    "secret.{}/{}: {}",
                    secret.name,
                    key.name,
                    match error {
                        RevealError::NoVariable(name) => format!("set the variable {name}"),
                        RevealError::Empty => "its value is empty".to_owned(),
                        RevealError::Unreadable(path, reason) => format!("{}: {reason}", path.display()),
                    }
                )),
            }
        }
        all.insert(id, values);
    }
    if missing.is_empty() {
        return Ok(all);
    }
    let message = format!("{} can't be read.", counted(missing.len(), "secret value"));
    Err(Failure::Because { message, help: missing })
}
