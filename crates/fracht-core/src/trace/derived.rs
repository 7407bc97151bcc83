//! Values that are not written at their path: keys of configs and secrets from files, and variables from `use`.

use std::collections::BTreeMap;

use super::{Leaf, Step, Traced};
use crate::grammar::path;
use crate::model::{ConfigKey, Container, Content, Part, Use};
use crate::origin::{Layer, Origin};
use crate::source::Span;
use crate::tree::{Node, Value};

impl Traced<'_> {
    /// All such values at or below a path.
    pub(super) fn derived(&self, keys: &[String]) -> Vec<Leaf> {
        let wanted =
            |path: &[&str]| keys.iter().zip(path).all(|(key, step)| key == step) && keys.len() <= path.len();
        let mut leaves = Vec::new();
        for config in &self.model.configs {
            for key in config.keys.iter() {
                let at = ["config", &*config.name, "key", &*key.name];
                if wanted(&at) && self.tree.at(&at).is_none() {
                    leaves.extend(self.key_leaf(&at, key));
                }
            }
        }
        for secret in &self.model.secrets {
            for key in &secret.keys {
                let at = ["secret", &*secret.name, "key", &*key.name];
                if let Some(Origin::Written { span, layer }) = key.line.filter(|_| wanted(&at)) {
                    let steps = vec![self.step_at(span, layer)];
                    leaves.push(Leaf { path: path::show(at.iter().copied()), means: None, steps });
                }
            }
        }
        for workload in &self.model.workloads {
            let owner = [workload.kind_word(), &*workload.name];
            // The path leads to something else in the container.
            if !owner.iter().zip(keys).all(|(step, key)| key == step) {
                continue;
            }
            self.used(&owner, &workload.main, &wanted, &mut leaves);
            for sidecar in &workload.sidecars {
                let owner = [workload.kind_word(), &*workload.name, "beside", &*sidecar.name];
                self.used(&owner, &sidecar.container, &wanted, &mut leaves);
            }
        }
        leaves
    }

    /// The value of a config key from a line of a file, or from a whole file.
    fn key_leaf(&self, at: &[&str], key: &ConfigKey) -> Option<Leaf> {
        let origin = match &key.content {
            Content::Text(text) => text.origin,
            Content::File { origin, .. } => *origin,
            Content::Present => return None,
        };
        let means = match &key.content {
            Content::File { bytes, .. } => Some(format!("the content of a file, {} bytes", bytes.len())),
            Content::Text(text) if !text.is_plain() => {
                let shown = text.parts.iter().map(|part| self.shown(part)).collect::<String>();
                Some(self.cover.value(&shown))
            }
            Content::Text(_) | Content::Present => None,
        };
        let steps = self.steps_at(std::iter::once(&origin).chain(&key.under));
        (!steps.is_empty()).then(|| Leaf { path: path::show(at.iter().copied()), means, steps })
    }

    /// Adds the lines of files that a key in the stack overrides to the value that is written there.
    pub(super) fn add_overridden(&self, keys: &[String], leaves: &mut [Leaf]) {
        if keys.first().is_some_and(|first| first != "config") {
            return;
        }
        for config in &self.model.configs {
            for key in config.keys.iter().filter(|key| !key.under.is_empty()) {
                let at = path::show(["config", &*config.name, "key", &*key.name]);
                if let Some(leaf) = leaves.iter_mut().find(|leaf| leaf.path == at) {
                    let more = self.steps_at(key.under.iter());
                    leaf.steps.extend(
                        more.into_iter().filter(|step| !leaf.steps.contains(step)).collect::<Vec<_>>(),
                    );
                }
            }
        }
    }

    fn steps_at<'o>(&self, origins: impl Iterator<Item = &'o Origin>) -> Vec<Step> {
        let step = |origin: &Origin| match *origin {
            Origin::Written { span, layer } => Some(self.step_at(span, layer)),
            Origin::Default => None,
        };
        origins.filter_map(step).collect()
    }

    /// The variables of a container that come from `use` and are not overridden by `env`. Each has the keys that it
    /// comes from, the one in use first.
    fn used(
        &self,
        owner: &[&str],
        container: &Container,
        wanted: &impl Fn(&[&str]) -> bool,
        leaves: &mut Vec<Leaf>,
    ) {
        let mut variables: BTreeMap<String, Vec<(&Use, Part)>> = BTreeMap::new();
        let mut order = Vec::new();
        for used in &container.uses {
            for part in self.model.used_keys(used) {
                let (Part::Config(_, key) | Part::Secret(_, key)) = &part else { continue };
                let name = used.variable(key);
                let known = variables.entry(name.clone()).or_insert_with(|| {
                    order.push(name);
                    Vec::new()
                });
                known.insert(0, (used, part));
            }
        }
        for name in order {
            let set = container.env.iter().any(|variable| *variable.name == *name);
            let at: Vec<&str> = owner.iter().copied().chain(["env", &*name]).collect();
            if set || !wanted(&at) {
                continue;
            }
            let Some(sources) = variables.get(&name) else { continue };
            let steps: Vec<Step> =
                sources.iter().map(|(used, part)| self.use_step(owner, used, part)).collect();
            let means = sources.first().map(|(_, part)| self.cover.value(&self.shown(part)));
            let means = means.filter(|means| steps.first().is_none_or(|step| step.value != *means));
            leaves.push(Leaf { path: path::show(at), means, steps });
        }
    }

    /// The place that a variable comes from: the line of the key's value, or the `use`.
    fn use_step(&self, owner: &[&str], used: &Use, part: &Part) -> Step {
        if let Part::Config(id, key) = part
            && let Some(Content::Text(text)) = self.model.configs[*id].keys.get(key).map(|key| &key.content)
            && let Origin::Written { span, layer } = text.origin
        {
            return self.step_at(span, layer);
        }
        if let Part::Secret(id, key) = part {
            let known = self.model.secrets[*id].keys.iter().find(|known| known.name == *key);
            if let Some(Origin::Written { span, layer }) = known.and_then(|known| known.line) {
                return self.step_at(span, layer);
            }
            let path = ["secret", &*self.model.secrets[*id].name, "key", &**key];
            if let Some(node) = self.tree.at(&path) {
                return self.step_at(node.span, node.layer);
            }
        }
        self.step_at(used.span, self.layer_of(owner, used.span))
    }

    /// The layer of an entry of a container's `use`.
    fn layer_of(&self, owner: &[&str], span: Span) -> Layer {
        let path: Vec<&str> = owner.iter().copied().chain(["use"]).collect();
        let Some(node) = self.tree.at(&path) else { return Layer::Stack };
        let items = if let Value::List(items) = &node.value { items } else { std::slice::from_ref(node) };
        let holds = |node: &&Node| {
            node.span.file == span.file && node.span.start <= span.start && span.end <= node.span.end
        };
        items.iter().find(holds).map_or(Layer::Stack, |node| node.layer)
    }
}
