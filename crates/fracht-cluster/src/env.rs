//! Environment variables and arguments.
//!
//! A secret inside a longer text is never written into an object. The container gets an extra variable that refers to
//! the key, and the text contains `$(THAT_VARIABLE)`, which the cluster resolves when it starts the container. A
//! variable must come before those that use it.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::model::{Container, Content, Model, Part, PodField, Spell, Text, Use, UseSource};
use k8s_openapi::api::core::v1::{
    ConfigMapEnvSource, ConfigMapKeySelector, EnvFromSource, EnvVar, EnvVarSource, ObjectFieldSelector,
    SecretEnvSource, SecretKeySelector,
};

use crate::expansion;
use crate::name::{config_name, secret_name};

/// Collects the variables of one container.
pub(crate) struct Environment<'m> {
    model: &'m Model,
    container: &'m Container,
    /// The names in the stack, which extra variables must not use.
    taken: BTreeSet<String>,
    /// The extra variables, by what they refer to.
    ours: BTreeMap<String, EnvVar>,
    own_order: Vec<String>,
}

impl<'m> Environment<'m> {
    pub(crate) fn new(model: &'m Model, container: &'m Container) -> Self {
        let used = container.uses.iter().flat_map(|used| {
            let keys = model.used_keys(used);
            keys.into_iter()
                .filter_map(|part| key_of(&part).map(|key| used.variable(key)))
                .collect::<Vec<_>>()
        });
        let taken = container.env.iter().map(|variable| variable.name.to_string()).chain(used).collect();
        Self { model, container, taken, ours: BTreeMap::new(), own_order: Vec::new() }
    }

    /// The objects whose keys all become variables unchanged.
    pub(crate) fn sources(&self) -> Vec<EnvFromSource> {
        let whole = self.container.uses.iter().filter(|used| self.is_whole(used));
        whole
            .map(|used| {
                let mut source = EnvFromSource::default();
                match used.source {
                    UseSource::Config(id) => {
                        let name = config_name(self.model, &self.model.configs[id]);
                        source.config_map_ref = Some(ConfigMapEnvSource { name, optional: None });
                    }
                    UseSource::Secret(id) => {
                        let name = secret_name(self.model, &self.model.secrets[id]);
                        source.secret_ref = Some(SecretEnvSource { name, optional: None });
                    }
                }
                source.prefix = (!used.prefix.is_empty()).then(|| used.prefix.to_string());
                source
            })
            .collect()
    }

    /// Whether the cluster can create the variables itself: it uses every key unchanged, including files.
    fn is_whole(&self, used: &Use) -> bool {
        let has_files = match used.source {
            UseSource::Config(id) => {
                let mut keys = self.model.configs[id].keys.iter();
                keys.any(|key| matches!(key.content, Content::File { .. }))
            }
            UseSource::Secret(_) => false,
        };
        used.spell == Spell::Same && !has_files
    }

    /// The variables from objects whose keys cannot be used unchanged; later ones override earlier ones. A variable
    /// that a later whole object sets is left out, since listed variables override those of whole objects. `env`
    /// overrides all.
    fn used(&self) -> Vec<EnvVar> {
        let mut variables: Vec<EnvVar> = Vec::new();
        for used in &self.container.uses {
            let whole = self.is_whole(used);
            for part in self.model.used_keys(used) {
                let Some(name) = key_of(&part).map(|key| used.variable(key)) else { continue };
                variables.retain(|known| known.name != name);
                let set = self.container.env.iter().any(|variable| *variable.name == *name);
                if !whole && !set {
                    variables.push(EnvVar { name, value: None, value_from: self.source(&part) });
                }
            }
        }
        variables
    }

    /// A text as an argument of a program.
    pub(crate) fn argument(&mut self, text: &Text) -> String {
        self.composed(text)
    }

    /// All variables, the extra ones first, since the others refer to them.
    pub(crate) fn finish(mut self) -> Vec<EnvVar> {
        let container = self.container;
        let theirs: Vec<EnvVar> = container
            .env
            .iter()
            .map(|variable| {
                let name = variable.name.to_string();
                match variable.value.parts.as_slice() {
                    [part] => match self.source(part) {
                        Some(source) => EnvVar { name, value: None, value_from: Some(source) },
                        None => self.plain(name, &variable.value),
                    },
                    _ => self.plain(name, &variable.value),
                }
            })
            .collect();
        let mut variables: Vec<EnvVar> =
            self.own_order.iter().filter_map(|key| self.ours.remove(key)).collect();
        variables.extend(self.used());
        variables.extend(theirs);
        variables
    }

    fn plain(&mut self, name: String, text: &Text) -> EnvVar {
        EnvVar { name, value: Some(self.composed(text)), value_from: None }
    }

    /// A text with `$(NAME)` for each part that comes from another object.
    fn composed(&mut self, text: &Text) -> String {
        let mut out = String::new();
        let mut literal = String::new();
        for part in &text.parts {
            if let Some(known) = part.known() {
                literal.push_str(known);
                continue;
            }
            expansion::escape(&mut out, &literal, true);
            literal.clear();
            out.push_str("$(");
            out.push_str(&self.variable_for(part));
            out.push(')');
        }
        expansion::escape(&mut out, &literal, false);
        out
    }

    /// The name of the extra variable for a part, which is added if it is new.
    fn variable_for(&mut self, part: &Part) -> String {
        let key = match part {
            Part::Config(id, key) => format!("config {} {key}", self.model.configs[*id].name),
            Part::Secret(id, key) => format!("secret {} {key}", self.model.secrets[*id].name),
            Part::Pod(field) => format!("pod {}", field.words()),
            Part::Plain(_) | Part::Known { .. } | Part::Unresolved => return String::new(),
        };
        if let Some(known) = self.ours.get(&key) {
            return known.name.clone();
        }
        let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
        let stem: String = "FRACHT_".chars().chain(key.chars().map(word)).collect();
        let mut name = stem.clone();
        let mut count = 2;
        while !self.taken.insert(name.clone()) {
            name = format!("{stem}_{count}");
            count += 1;
        }
        let value_from = self.source(part);
        self.ours.insert(key.clone(), EnvVar { name: name.clone(), value: None, value_from });
        self.own_order.push(key);
        name
    }

    /// The source of a part in the cluster; `None` for plain text.
    fn source(&self, part: &Part) -> Option<EnvVarSource> {
        let mut source = EnvVarSource::default();
        match part {
            Part::Plain(_) | Part::Known { .. } | Part::Unresolved => return None,
            Part::Config(id, key) => {
                source.config_map_key_ref = Some(ConfigMapKeySelector {
                    name: config_name(self.model, &self.model.configs[*id]),
                    key: key.to_string(),
                    optional: None,
                });
            }
            Part::Secret(id, key) => {
                source.secret_key_ref = Some(SecretKeySelector {
                    name: secret_name(self.model, &self.model.secrets[*id]),
                    key: key.to_string(),
                    optional: None,
                });
            }
            Part::Pod(field) => {
                let field_path = field_path(field);
                source.field_ref = Some(ObjectFieldSelector { api_version: None, field_path });
            }
        }
        Some(source)
    }
}

/// The key of a config or secret that a part is.
fn key_of(part: &Part) -> Option<&str> {
    match part {
        Part::Config(_, key) | Part::Secret(_, key) => Some(key),
        _ => None,
    }
}

fn field_path(field: &PodField) -> String {
    match field {
        PodField::Name => "metadata.name".into(),
        PodField::Namespace => "metadata.namespace".into(),
        PodField::Ip => "status.podIP".into(),
        PodField::Node => "spec.nodeName".into(),
        PodField::Label(key) => format!("metadata.labels['{key}']"),
    }
}
