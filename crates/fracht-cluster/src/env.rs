//! Environment variables and arguments.
//!
//! A secret inside a longer text never stands in an object: the container gets a variable of its own that
//! refers to the key, and the text says `$(THAT_VARIABLE)`, which the cluster resolves when it starts the
//! container. A variable has to stand before those that use it. A `$(` that people wrote themselves is
//! doubled, `$$(`, which the cluster makes single again.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use fracht_core::model::{Container, Content, Model, Part, PodField, Spell, Text, Use, UseSource};
use k8s_openapi::api::core::v1::{
    ConfigMapEnvSource, ConfigMapKeySelector, EnvFromSource, EnvVar, EnvVarSource, ObjectFieldSelector,
    SecretEnvSource, SecretKeySelector,
};

/// Collects the variables of one container.
pub(crate) struct Environment<'m> {
    model: &'m Model,
    container: &'m Container,
    /// Names that people gave; ours go around them.
    taken: BTreeSet<String>,
    /// Our variables, by what they refer to.
    ours: BTreeMap<String, EnvVar>,
    own_order: Vec<String>,
}

impl<'m> Environment<'m> {
    pub(crate) fn new(model: &'m Model, container: &'m Container) -> Self {
        let taken = container.env.iter().map(|variable| variable.name.to_string()).collect();
        Self { model, container, taken, ours: BTreeMap::new(), own_order: Vec::new() }
    }

    /// The objects all of whose keys are variables as they are.
    pub(crate) fn sources(&self) -> Vec<EnvFromSource> {
        let whole = self.container.uses.iter().filter(|used| self.is_whole(used));
        whole
            .map(|used| {
                let mut source = EnvFromSource::default();
                match used.source {
                    UseSource::Config(id) => {
                        let name = self.model.configs[id].object_name().to_string();
                        source.config_map_ref = Some(ConfigMapEnvSource { name, optional: None });
                    }
                    UseSource::Secret(id) => {
                        let name = self.model.secrets[id].object_name().to_string();
                        source.secret_ref = Some(SecretEnvSource { name, optional: None });
                    }
                }
                source.prefix = (!used.prefix.is_empty()).then(|| used.prefix.to_string());
                source
            })
            .collect()
    }

    /// Whether the cluster can make the variables by itself: it takes every key, files too, as it is spelt.
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

    /// The variables of the objects that the cluster can't take as they are, later ones over earlier ones.
    /// Those of people win over them all.
    fn used(&self) -> Vec<EnvVar> {
        let mut variables: Vec<EnvVar> = Vec::new();
        for used in self.container.uses.iter().filter(|used| !self.is_whole(used)) {
            let parts: Vec<(Arc<str>, Part)> = match used.source {
                UseSource::Config(id) => {
                    let keys = self.model.configs[id].keys.iter();
                    let settings = keys.filter(|key| !matches!(key.content, Content::File { .. }));
                    settings
                        .map(|key| (Arc::clone(&key.name), Part::Config(id, Arc::clone(&key.name))))
                        .collect()
                }
                UseSource::Secret(id) => {
                    let keys = self.model.secrets[id].keys.iter();
                    keys.map(|key| (Arc::clone(&key.name), Part::Secret(id, Arc::clone(&key.name)))).collect()
                }
            };
            for (key, part) in parts {
                let name = used.variable(&key);
                if self.container.env.iter().any(|variable| *variable.name == *name) {
                    continue;
                }
                let variable = EnvVar { name, value: None, value_from: self.source(&part) };
                match variables.iter_mut().find(|known| known.name == variable.name) {
                    Some(known) => *known = variable,
                    None => variables.push(variable),
                }
            }
        }
        variables
    }

    /// A text as an argument of a program.
    pub(crate) fn argument(&mut self, text: &Text) -> String {
        self.composed(text)
    }

    /// All variables: ours first, since those of people refer to them.
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

    /// A text with `$(NAME)` for each part that is kept elsewhere.
    fn composed(&mut self, text: &Text) -> String {
        let mut out = String::new();
        let mut literal = String::new();
        for part in &text.parts {
            if let Some(known) = part.known() {
                literal.push_str(known);
                continue;
            }
            escape(&mut out, &literal, true);
            literal.clear();
            out.push_str("$(");
            out.push_str(&self.variable_for(part));
            out.push(')');
        }
        escape(&mut out, &literal, false);
        out
    }

    /// The name of our variable for a part, which is made if it is new.
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

    /// Where the cluster takes a part from; `None` for what is known here.
    fn source(&self, part: &Part) -> Option<EnvVarSource> {
        let mut source = EnvVarSource::default();
        match part {
            Part::Plain(_) | Part::Known { .. } | Part::Unresolved => return None,
            Part::Config(id, key) => {
                source.config_map_key_ref = Some(ConfigMapKeySelector {
                    name: self.model.configs[*id].object_name().to_string(),
                    key: key.to_string(),
                    optional: None,
                });
            }
            Part::Secret(id, key) => {
                source.secret_key_ref = Some(SecretKeySelector {
                    name: self.model.secrets[*id].object_name().to_string(),
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

fn field_path(field: &PodField) -> String {
    match field {
        PodField::Name => "metadata.name".into(),
        PodField::Namespace => "metadata.namespace".into(),
        PodField::Ip => "status.podIP".into(),
        PodField::Node => "spec.nodeName".into(),
        PodField::Label(key) => format!("metadata.labels['{key}']"),
    }
}

/// Appends a literal so that the cluster's composition leaves it as it is. `$$` would become `$`, and
/// `$(` begin a reference: a run of `$` is doubled if it is longer than one, or if `(` or a reference
/// follows it.
fn escape(out: &mut String, literal: &str, reference_follows: bool) {
    let mut rest = literal;
    while let Some(at) = rest.find('$') {
        let (before, from_run) = rest.split_at(at);
        let after = from_run.trim_start_matches('$');
        let run = from_run.len() - after.len();
        let doubled = run > 1 || after.starts_with('(') || (after.is_empty() && reference_follows);
        out.push_str(before);
        out.extend(std::iter::repeat_n('$', if doubled { run * 2 } else { run }));
        rest = after;
    }
    out.push_str(rest);
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    /// What the cluster makes of a composed text, by its documentation of `$(NAME)` in variables.
    fn expanded(text: &str, value: &str) -> String {
        let mut out = String::new();
        let mut rest = text;
        while let Some(at) = rest.find('$') {
            let (before, after) = rest.split_at(at);
            out.push_str(before);
            rest = if let Some(after) = after.strip_prefix("$$") {
                out.push('$');
                after
            } else if let Some(after) = after.strip_prefix("$(NAME)") {
                out.push_str(value);
                after
            } else {
                out.push('$');
                &after[1..]
            };
        }
        out + rest
    }

    proptest! {
        #[test]
        fn every_literal_comes_out_as_it_went_in(parts in prop::collection::vec("[$(){a]{0,6}", 1..4)) {
            let mut composed = String::new();
            for (index, part) in parts.iter().enumerate() {
                let last = index + 1 == parts.len();
                super::escape(&mut composed, part, !last);
                composed.push_str(if last { "" } else { "$(NAME)" });
            }
            prop_assert_eq!(expanded(&composed, "<v>"), parts.join("<v>"));
        }
    }
}
