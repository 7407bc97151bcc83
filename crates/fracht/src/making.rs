//! How to make the secrets that somebody has to make once, and where they go.

use fracht_cluster::secret_name;
use fracht_core::model::{Model, Secret, SecretKey, SecretSource};

/// The command that makes the Secret of a cluster with all keys that are in it alone.
pub(crate) fn in_cluster(model: &Model, secret: &Secret) -> String {
    let (object, namespace) = (secret_name(model, secret), &model.target.namespace.value);
    let mut command = format!("kubectl create secret generic {object} -n {namespace}");
    for key in &secret.keys {
        if let Some(make) = key.make {
            command.push_str(&format!(" --from-literal={}=\"$({})\"", key.name, make.command()));
        }
    }
    command
}

/// The secrets that are made once, each with the command that makes it.
pub(crate) fn made(model: &Model) -> Vec<(String, String)> {
    let made = model.secrets.iter().filter(|secret| secret.is_made());
    made.map(|secret| (format!("secret.{}", secret.name), in_cluster(model, secret))).collect()
}

/// The command that makes the value of a key where it is read from; `None` if the stack does not say how.
pub(crate) fn value(key: &SecretKey) -> Option<String> {
    let command = key.make?.command();
    match &key.source {
        SecretSource::Variable(name) => Some(format!("export {name}=\"$({command})\"")),
        SecretSource::File(path) => Some(format!("(umask 077; {command} > {})", path.display())),
        SecretSource::Lines(_) | SecretSource::Made | SecretSource::Present => None,
    }
}
