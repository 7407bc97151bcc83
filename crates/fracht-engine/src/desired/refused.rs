//! What a stack cannot have on a machine, told before anything is changed.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::model::{Model, Mounted, Part, SecretSource, UseSource, Workload};

/// Why a stack cannot run on a machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refusal {
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

/// Everything that cannot be on a machine.
pub(super) fn refusals(model: &Model) -> Vec<Refusal> {
    let target = &model.target.name;
    let mut refusals = Vec::new();
    let (secrets, configs) = used(model);
    for (name, key) in secrets {
        let message = format!("the value of `secret.{name}/{key}` is only in the cluster");
        let variable: String = format!("{}_{name}_{key}", model.name.value)
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' })
            .collect();
        let help = format!(
            "use another one in `target.{target}`: `secret.local.key.{key} = {{ env = \"{variable}\" }}`"
        );
        refusals.push(Refusal { message, help });
    }
    for name in configs {
        let message = format!("the content of `config.{name}` is only in the cluster");
        let help = format!("set its keys for the machine: `target.{target}.config.{name}.key.KEY = \"…\"`");
        refusals.push(Refusal { message, help });
    }
    refusals.extend(parts_of_whole(model));
    refusals
}

/// The keys of secrets and the configs that are used, and are only in a cluster.
fn used(model: &Model) -> (BTreeSet<(String, String)>, BTreeSet<String>) {
    let (mut secrets, mut configs) = (BTreeSet::new(), BTreeSet::new());
    let is_elsewhere = |source: &SecretSource| matches!(source, SecretSource::Present | SecretSource::Made);
    for workload in &model.workloads {
        let parts = workload.texts().flat_map(|(_, text)| &text.parts);
        let mut wanted: Vec<(fracht_core::model::SecretId, Option<&str>)> = Vec::new();
        for part in parts {
            match part {
                Part::Secret(id, key) => wanted.push((*id, Some(&**key))),
                Part::Config(id, _) if model.configs[*id].present.is_some() => {
                    configs.insert(model.configs[*id].name.to_string());
                }
                _ => {}
            }
        }
        for container in workload.containers() {
            for used in &container.uses {
                match used.source {
                    UseSource::Secret(id) => wanted.push((id, None)),
                    UseSource::Config(id) if model.configs[id].present.is_some() => {
                        configs.insert(model.configs[id].name.to_string());
                    }
                    UseSource::Config(_) => {}
                }
            }
            for mount in &container.mounts {
                match &mount.what {
                    Mounted::Secret(id, key) => wanted.push((*id, key.as_deref())),
                    Mounted::Config(id, _) if model.configs[*id].present.is_some() => {
                        configs.insert(model.configs[*id].name.to_string());
                    }
                    _ => {}
                }
            }
        }
        for (id, key) in wanted {
            let secret = &model.secrets[id];
            let keys = secret.keys.iter().filter(|own| key.is_none_or(|key| *own.name == *key));
            secrets.extend(
                keys.filter(|key| is_elsewhere(&key.source))
                    .map(|key| (secret.name.to_string(), key.name.to_string())),
            );
        }
    }
    (secrets, configs)
}

/// Volumes that are mounted as a whole and in part: on a machine each part is a volume of its own.
fn parts_of_whole(model: &Model) -> Vec<Refusal> {
    let mut mounted: BTreeMap<&str, [bool; 2]> = BTreeMap::new();
    for mount in model.workloads.iter().flat_map(Workload::containers).flat_map(|one| &one.mounts) {
        if let Mounted::Volume(id) = mount.what {
            let [whole, part] = mounted.entry(&model.volumes[id].name).or_default();
            *(if mount.part.is_some() { part } else { whole }) = true;
        }
    }
    let both = mounted.into_iter().filter(|(_, ways)| *ways == [true, true]);
    both.map(|(name, _)| Refusal {
        message: format!("`volume.{name}` is mounted as a whole and in part, which the engine cannot do"),
        help: "mount only parts of it, or only the whole".to_owned(),
    })
    .collect()
}
