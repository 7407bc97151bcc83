//! Logins of services: user names, and the keys of secrets with passwords.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::uses::used;
use crate::model::{Address, KnownLogin, Model, Part, Port, SecretId, Text, WorkloadId};

/// A part of a login: a user name or a secret.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Login {
    /// The variable that contains a user name, and the name.
    User(Arc<str>, String),
    /// A key of a secret.
    Secret(SecretId, Arc<str>),
}

/// The login at a port, as the stack says it, or as it is known of the image.
pub(super) fn login_at(model: &Model, id: WorkloadId, port: &Port) -> Vec<Login> {
    let workload = &model.workloads[id];
    if let Some(login) = &port.login {
        let user = login.user.as_ref().map(|user| Login::User("user".into(), shown(model, user)));
        let password = login.password.clone().map(|(secret, key)| Login::Secret(secret, key));
        return user.into_iter().chain(password).collect();
    }
    let container = match port.sidecar.and_then(|sidecar| workload.sidecars.get(sidecar.index())) {
        Some(sidecar) => &sidecar.container,
        None => &workload.main,
    };
    let Some(known) = KnownLogin::of(&container.image.value) else { return Vec::new() };
    let variable = |name: &str| container.env.iter().find(|variable| *variable.name == *name);
    let mut logins = Vec::new();
    match (variable(known.user), known.default_user) {
        (Some(user), _) => logins.push(Login::User(known.user.into(), shown(model, &user.value))),
        (None, Some(user)) => logins.push(Login::User(known.user.into(), user.to_owned())),
        (None, None) => {}
    }
    let password = variable(known.password).map(|password| &*password.value.parts);
    if let Some([Part::Secret(secret, key)]) = password {
        logins.push(Login::Secret(*secret, Arc::clone(key)));
    }
    // From a secret whose keys all become variables.
    for used in container.uses.iter().filter(|_| password.is_none()) {
        for part in model.used_keys(used) {
            if let Part::Secret(secret, key) = part
                && used.variable(&key) == known.password
            {
                logins.push(Login::Secret(secret, key));
            }
        }
    }
    logins
}

/// A text with the values that only the cluster knows in braces.
fn shown(model: &Model, text: &Text) -> String {
    let part = |part: &Part| match part {
        Part::Config(id, key) => format!("{{config.{}/{key}}}", model.configs[*id].name),
        Part::Secret(id, key) => format!("{{secret.{}/{key}}}", model.secrets[*id].name),
        Part::Pod(field) => format!("{{pod.{}}}", field.words().replace(' ', "/")),
        part => part.known().unwrap_or_default().to_owned(),
    };
    text.parts.iter().map(part).collect()
}

/// The logins of a service: its user names and secrets, without those for services that it uses. A secret is for
/// another service if it is in one text with that service's address, or if that service has it as well.
pub(super) fn logins_of(model: &Model, id: WorkloadId) -> Vec<Login> {
    let workload = &model.workloads[id];
    let (used, _) = used(model, workload);
    let others = used.iter().filter(|other| **other != id).flat_map(|other| model.workloads[*other].texts());
    let known_there: BTreeSet<(SecretId, &str)> =
        others.flat_map(|(_, text)| &text.parts).filter_map(key_of).collect();
    let leads_away = |text: &Text| {
        text.parts.iter().any(|part| match part {
            Part::Known { address: Some(Address::Service(other, _)), .. } => *other != id,
            Part::Known { address: Some(Address::Outside(..)), .. } => true,
            _ => false,
        })
    };
    let is_foreign = |text: &Text| {
        leads_away(text) || text.parts.iter().filter_map(key_of).any(|key| known_there.contains(&key))
    };
    // `DB_USER` belongs with `DB_HOST` and `DB_PASSWORD`.
    let stem = |name: &'_ str| name.rsplit_once(['_', '.', '-']).map_or("", |(stem, _)| stem).to_uppercase();
    let foreign: BTreeSet<String> = workload
        .texts()
        .filter(|(_, text)| is_foreign(text))
        .filter_map(|(variable, _)| Some(stem(&variable?.name)))
        .filter(|stem| !stem.is_empty())
        .collect();
    let mut logins = BTreeSet::new();
    for (variable, text) in workload.texts() {
        let of_another = variable.is_some_and(|variable| foreign.contains(&stem(&variable.name)));
        if of_another || is_foreign(text) {
            continue;
        }
        for part in &text.parts {
            if let Part::Secret(id, key) = part {
                logins.insert(Login::Secret(*id, Arc::clone(key)));
            }
        }
        let is_user = |name: &str| {
            let last = name.rsplit(['_', '.', '-']).next().unwrap_or_default().to_uppercase();
            ["USER", "USERNAME", "LOGIN"].contains(&last.as_str())
        };
        if let Some(variable) = variable.filter(|variable| is_user(&variable.name) && text.is_plain()) {
            logins.insert(Login::User(Arc::clone(&variable.name), text.plain()));
        }
    }
    logins.into_iter().collect()
}

fn key_of(part: &Part) -> Option<(SecretId, &str)> {
    match part {
        Part::Secret(id, key) => Some((*id, key)),
        _ => None,
    }
}
