//! Reads the values of secrets, only with `--secrets`, and to run the stack on this machine.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use fracht_cluster::SecretValues;
use fracht_core::escape::escaped;
use fracht_core::files::Files;
use fracht_core::model::{Model, SecretId};
use fracht_core::reveal::Revealer;
use fracht_core::rules::MOST_OF_SECRET;

use crate::failure::Failure;
use crate::making;
use crate::ui::counted;

/// Values of variables that are made up for a demonstration.
static MADE_UP: OnceLock<BTreeMap<String, String>> = OnceLock::new();

/// Uses made-up values for variables from now on.
pub(crate) fn make_up(values: &[(&str, &str)]) {
    let values = values.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned()));
    // Only the first ones count.
    let _ = MADE_UP.set(values.collect());
}

/// The value of an environment variable.
fn variable(name: &str) -> Option<Vec<u8>> {
    let made_up = MADE_UP.get().and_then(|values| values.get(name)).map(|value| value.clone().into_bytes());
    made_up.or_else(|| std::env::var_os(name).map(std::ffi::OsString::into_encoded_bytes))
}

/// The values of secrets, as containers get them.
pub(crate) struct Values<'v>(pub(crate) &'v SecretValues);

impl fracht_engine::desired::Secrets for Values<'_> {
    fn value(&self, secret: SecretId, key: &str) -> Option<Vec<u8>> {
        self.0.get(&secret)?.get(key).cloned()
    }
}

/// The values of secrets that can be read, to hide them where they appear. Those that cannot be read are left out.
pub(crate) fn known(model: &Model, files: &dyn Files) -> SecretValues {
    let mut revealer = Revealer::new(&model.secrets, files, &variable);
    let mut all = SecretValues::new();
    for (id, secret) in model.secrets.entries() {
        let keys = secret.keys.iter();
        let values = keys.filter_map(|key| Some((key.name.to_string(), revealer.reveal(key).ok()??)));
        all.insert(id, values.collect());
    }
    all
}

/// Reads the values of all generated Secrets. Every missing value, and every value that a cluster refuses, is reported.
pub(crate) fn values(model: &Model, files: &dyn Files) -> Result<SecretValues, Failure> {
    let (mut all, mut missing, mut refused) = (SecretValues::new(), Vec::new(), Vec::new());
    let mut count = 0;
    let mut revealer = Revealer::new(&model.secrets, files, &variable);
    let of_processes = model.secrets_of_processes();
    for (id, secret) in model.secrets.entries().filter(|(_, secret)| secret.is_generated()) {
        let mut values = BTreeMap::new();
        for key in &secret.keys {
            match revealer.reveal(key) {
                Ok(Some(value)) => {
                    let is_variable = of_processes.contains(&(id, Arc::clone(&key.name)));
                    let reason = reason(&key.name, &value, is_variable);
                    refused.extend(
                        reason.map(|reason| format!("secret.{}/{}: {reason}", secret.name, key.name)),
                    );
                    values.insert(key.name.to_string(), value);
                }
                Ok(None) => {}
                Err(error) => {
                    let reason = error.to_string();
                    missing.push(format!("secret.{}/{}: {}", secret.name, key.name, escaped(&reason)));
                    let how = making::value(key);
                    missing.extend(how.map(|how| format!("  to make it once: {}", escaped(&how))));
                    count += 1;
                }
            }
        }
        let size: usize = values.values().map(Vec::len).sum();
        if size > MOST_OF_SECRET {
            refused.push(format!(
                "secret.{}: {size} bytes, more than the limit of {MOST_OF_SECRET}",
                secret.name
            ));
        }
        all.insert(id, values);
    }
    if missing.is_empty() && !refused.is_empty() {
        let message = format!("{} cannot be used", counted(refused.len(), "secret value"));
        return Err(Failure::Error { message, help: refused });
    }
    if missing.is_empty() {
        return Ok(all);
    }
    let message = format!("cannot read {}", counted(count, "secret value"));
    Err(Failure::Error { message, help: missing })
}

/// Why a cluster refuses the value of a key, in words that do not show it.
fn reason(key: &str, value: &[u8], is_variable: bool) -> Option<&'static str> {
    if is_variable && value.contains(&0) {
        return Some("has a NUL byte, where a variable ends; mount it as a file");
    }
    if is_variable && std::str::from_utf8(value).is_err() {
        return Some("not UTF-8, which a variable must be; mount it as a file");
    }
    let is_json = || serde_json::from_slice::<serde_json::Value>(value).is_ok();
    (key == ".dockerconfigjson" && !is_json()).then_some("not JSON, which registry logins must be")
}
