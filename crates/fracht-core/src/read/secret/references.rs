//! Resolves the references in the values of secrets. They may be to keys of other secrets, and of the same one.

use std::collections::HashMap;
use std::sync::Arc;

use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::model::{KeyAddresses, List, Secret, SecretId, SecretKey, SecretSource, keys_by_name};
use crate::origin::Origin;
use crate::read::Reader;

/// A value that may contain references. It is dropped when they are resolved.
pub(super) struct Unresolved {
    pub(super) value: Arc<str>,
    pub(super) origin: Origin,
}

/// A secret, and the values of some of its keys, by their positions.
pub(super) type Read = (Secret, Vec<(usize, Unresolved)>);

/// Resolves the references in all secrets, whose keys are known now.
pub(super) fn resolve(reader: &mut Reader<'_>, read: Vec<Read>) -> List<Secret> {
    for (secret, _) in &read {
        let keys = secret.keys.iter().map(|key| Arc::clone(&key.name));
        reader.symbols.to_mut().add_secret_keys(&secret.name, keys);
    }
    let secrets: List<Secret> = read.into_iter().map(|one| resolved(reader, one)).collect();
    let has_contained = |secret: &Secret| secret.keys.iter().any(|key| key.contained().next().is_some());
    if secrets.iter().any(has_contained) {
        let known = keys_by_name(&secrets);
        for secret in &secrets {
            for key in &secret.keys {
                check_contained(reader, (&secrets, &known), secret, key);
            }
        }
    }
    secrets
}

fn resolved(reader: &mut Reader<'_>, (mut secret, texts): Read) -> Secret {
    let mut addresses = KeyAddresses::default();
    for (place, Unresolved { value, origin }) in texts {
        let (text, references) = reader.secret(&value, origin);
        if let Some(key) = secret.keys.get_mut(place) {
            addresses.add(&key.name, &text, &reader.sources);
            key.references = references;
        }
    }
    secret.addresses = addresses.list();
    secret
}

/// Why a key has no value here.
const ONLY_THERE: &str = "its value is in the cluster alone";
/// What works with every secret: the cluster puts the value in.
const IN_SERVICE: &str = "set the whole text as a variable of the service";

/// Reports keys in the value of a key that have no value which could be put there.
fn check_contained(
    reader: &mut Reader<'_>,
    (secrets, known): (&List<Secret>, &HashMap<(SecretId, &str), &SecretKey>),
    secret: &Secret,
    key: &SecretKey,
) {
    for (id, name, span) in key.contained() {
        let other = &secrets[id];
        let found = known.get(&(id, &**name));
        let (label, help) = match found {
            Some(key) if key.source == SecretSource::Made => {
                let place = format!("`secret.{}/{name}`", other.name);
                (ONLY_THERE, Some(format!("say where it is kept: add `env = \"VARIABLE\"` to {place}")))
            }
            Some(key) if key.source == SecretSource::Present => (ONLY_THERE, None),
            Some(key) if key.contained().next().is_some() => {
                ("contains other secrets itself", Some("refer to the secrets that it contains".to_owned()))
            }
            _ => continue,
        };
        reader.taint();
        let message =
            format!("`secret.{}/{name}` cannot be part of `secret.{}/{}`", other.name, secret.name, key.name);
        let problem = Diagnostic::new(&BAD_VALUE, message).at(span.unwrap_or(key.span), label);
        reader.sink.push(match help {
            Some(help) => problem.help(help).help(format!("or {IN_SERVICE}")),
            None => problem.help(IN_SERVICE),
        });
    }
}
