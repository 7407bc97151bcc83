//! Environment variables and arguments.
//!
//! A secret inside a longer text is never written into an object. The container gets an extra variable that refers to
//! the key, and the text contains `$(THAT_VARIABLE)`, which the cluster resolves when it starts the container. A
//! variable must come before those that use it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use fracht_core::model::{ConfigId, Container, Model, Part, PodField, SecretId, Spell, Text, Use, UseSource};

use super::expansion;
use crate::api::{
    EnvFromSource, EnvVar, EnvVarSource, KeySelector, LocalObjectReference, ObjectFieldSelector, Str,
};
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
                        source.config_map_ref = Some(LocalObjectReference { name: name.into() });
                    }
                    UseSource::Secret(id) => {
                        let name = secret_name(self.model, &self.model.secrets[id]);
                        source.secret_ref = Some(LocalObjectReference { name: name.into() });
                    }
                }
                source.prefix = (!used.prefix.is_empty()).then(|| (&used.prefix).into());
                source
            })
            .collect()
    }

    /// Whether the cluster can create the variables itself: it uses every key unchanged, including files.
    fn is_whole(&self, used: &Use) -> bool {
        let has_files = match used.source {
            UseSource::Config(id) => self.model.configs[id].keys.iter().any(|key| !key.is_setting()),
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
                let Some(remote) = Remote::of(&part) else { continue };
                let Some(name) = key_of(&part).map(|key| used.variable(key)) else { continue };
                variables.retain(|known| *known.name != *name);
                let set = self.container.env.iter().any(|variable| *variable.name == *name);
                if !whole && !set {
                    variables.push(EnvVar {
                        name: name.into(),
                        value: None,
                        value_from: Some(self.source(remote)),
                    });
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
                let name = Str::from(&variable.name);
                let whole = match &*variable.value.parts {
                    [part] => Remote::of(part),
                    _ => None,
                };
                match whole {
                    Some(remote) => EnvVar { name, value: None, value_from: Some(self.source(remote)) },
                    None => {
                        EnvVar { name, value: Some(self.composed(&variable.value).into()), value_from: None }
                    }
                }
            })
            .collect();
        let mut variables: Vec<EnvVar> =
            self.own_order.iter().filter_map(|key| self.ours.remove(key)).collect();
        variables.extend(self.used());
        variables.extend(theirs);
        variables
    }

    /// A text with `$(NAME)` for each part that comes from another object.
    fn composed(&mut self, text: &Text) -> String {
        let mut out = String::new();
        let mut literal = String::new();
        for part in &text.parts {
            literal.push_str(part.known().unwrap_or_default());
            if let Some(remote) = Remote::of(part) {
                expansion::escape(&mut out, &literal, true);
                literal.clear();
                out.push_str("$(");
                out.push_str(&self.variable_for(remote));
                out.push(')');
            }
        }
        expansion::escape(&mut out, &literal, false);
        out
    }

    /// The name of the extra variable for a part, which is added if it is new.
    fn variable_for(&mut self, part: Remote<'_>) -> String {
        let key = match part {
            Remote::Config(id, key) => format!("config {} {key}", self.model.configs[id].name),
            Remote::Secret(id, key) => format!("secret {} {key}", self.model.secrets[id].name),
            Remote::Pod(field) => format!("pod {}", field.words()),
        };
        if let Some(known) = self.ours.get(&key) {
            return known.name.to_string();
        }
        let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
        let stem: String = "FRACHT_".chars().chain(key.chars().map(word)).collect();
        let mut name = stem.clone();
        let mut count = 2;
        while !self.taken.insert(name.clone()) {
            name = format!("{stem}_{count}");
            count += 1;
        }
        let value_from = Some(self.source(part));
        self.ours.insert(key.clone(), EnvVar { name: name.clone().into(), value: None, value_from });
        self.own_order.push(key);
        name
    }

    /// The source of a part in the cluster.
    fn source(&self, part: Remote<'_>) -> EnvVarSource {
        let mut source = EnvVarSource::default();
        match part {
            Remote::Config(id, key) => {
                let name = config_name(self.model, &self.model.configs[id]).into();
                source.config_map_key_ref = Some(KeySelector { name, key: key.into() });
            }
            Remote::Secret(id, key) => {
                let name = secret_name(self.model, &self.model.secrets[id]).into();
                source.secret_key_ref = Some(KeySelector { name, key: key.into() });
            }
            Remote::Pod(field) => {
                source.field_ref = Some(ObjectFieldSelector { field_path: field_path(field) });
            }
        }
        source
    }
}

/// A part of a text that only the cluster knows.
#[derive(Clone, Copy)]
enum Remote<'t> {
    Config(ConfigId, &'t Arc<str>),
    Secret(SecretId, &'t Arc<str>),
    Pod(&'t PodField),
}

impl<'t> Remote<'t> {
    /// `None` for a part that is known.
    fn of(part: &'t Part) -> Option<Self> {
        match part {
            Part::Config(id, key) => Some(Self::Config(*id, key)),
            Part::Secret(id, key) => Some(Self::Secret(*id, key)),
            Part::Pod(field) => Some(Self::Pod(field)),
            Part::Plain(_) | Part::Known { .. } | Part::Unresolved => None,
        }
    }
}

/// The key of a config or secret that a part is.
fn key_of(part: &Part) -> Option<&str> {
    match part {
        Part::Config(_, key) | Part::Secret(_, key) => Some(key),
        _ => None,
    }
}

fn field_path(field: &PodField) -> Str {
    match field {
        PodField::Name => "metadata.name".into(),
        PodField::Namespace => "metadata.namespace".into(),
        PodField::Ip => "status.podIP".into(),
        PodField::Node => "spec.nodeName".into(),
        PodField::Label(key) => format!("metadata.labels['{key}']").into(),
    }
}
