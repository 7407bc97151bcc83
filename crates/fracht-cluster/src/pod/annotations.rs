//! The annotations of pods.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use fracht_core::model::{ConfigId, Container as Definition, Model, Mounted, Part, Workload};

use crate::api::Map;
use crate::facts::ClusterFacts;
use crate::labels;
use crate::name::{LABEL, shortened};

/// The annotation whose change restarts pods.
const RENEW: &str = "fracht/renew";

/// The annotations, with a digest per config of the keys that the workload uses: a change of these keys restarts its
/// pods, and no others. Secrets have no digest, from which they could be guessed.
pub(super) fn of_pod(facts: &ClusterFacts<'_>, workload: &Workload) -> Map {
    let mut used: BTreeMap<ConfigId, Keys<'_>> = BTreeMap::new();
    workload.containers().for_each(|container| keys(facts.model, container, &mut used));
    let digest = |(id, keys): (ConfigId, Keys<'_>)| {
        let config = &facts.model.configs[id];
        let name = shortened(&format!("config-{}", config.name), LABEL);
        let known = facts.config_digest(id)?;
        let digest = match keys {
            Keys::All => known.all.clone(),
            Keys::Some(keys) => known.of_keys(keys.iter().map(|key| &**key)),
        };
        Some((format!("fracht/{name}"), digest))
    };
    let mut annotations = labels::notes(&workload.notes);
    annotations.extend(workload.renew.as_ref().map(|renew| (RENEW, renew.plain())));
    annotations.extend(used.into_iter().filter_map(digest));
    annotations
}

/// The used keys of a config.
enum Keys<'m> {
    All,
    Some(BTreeSet<Cow<'m, str>>),
}

/// Adds the config keys that a container mounts, uses or refers to.
fn keys<'m>(model: &Model, container: &'m Definition, all: &mut BTreeMap<ConfigId, Keys<'m>>) {
    let mut key = |id: ConfigId, key: Option<Cow<'m, str>>| match (
        all.entry(id).or_insert_with(|| Keys::Some(BTreeSet::new())),
        key,
    ) {
        (Keys::All, _) => {}
        (known, None) => *known = Keys::All,
        (Keys::Some(keys), Some(key)) => _ = keys.insert(key),
    };
    for mount in &container.mounts {
        if let Mounted::Config(id, one) = &mount.what {
            key(*id, one.as_deref().map(Cow::Borrowed));
        }
    }
    for used in container.uses.iter().flat_map(|used| model.used_keys(used)) {
        if let Part::Config(id, one) = used {
            key(id, Some(Cow::Owned(one.to_string())));
        }
    }
    for part in container.texts().flat_map(|(_, text)| &text.parts) {
        if let Part::Config(id, one) = part {
            key(*id, Some(Cow::Borrowed(one)));
        }
    }
}
