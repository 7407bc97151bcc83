//! Hides secrets when two sets of objects are compared.
//!
//! A Secret shows its name, its type and its keys. In other objects, these values are hidden: those whose name looks
//! secret or is the name of a key in a Secret on either side, those that look secret, and those that are hidden
//! anywhere else.

use std::collections::BTreeSet;

use aho_corasick::AhoCorasick;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use fracht_core::cover::{self, flag_name, is_reference, is_secret_name, is_switch, may_be_secret_name};
use serde_json::{Map, Value};

use crate::object::text_at;

/// What is shown instead of a secret value.
pub(super) const HIDDEN: &str = "(hidden)";

/// Maps with keys of the author's own.
const OWN_KEYS: [&str; 4] = ["data", "stringData", "binaryData", "annotations"];

/// The secret names and values of both sides.
#[derive(Default)]
pub(super) struct Secrets {
    /// The names of variables and keys that are in a Secret on either side, normalized.
    names: BTreeSet<String>,
    values: Option<AhoCorasick>,
}

impl Secrets {
    /// Collects the secrets of both sets of objects.
    pub(super) fn of<'v>(objects: impl Iterator<Item = &'v Value> + Clone) -> Self {
        let mut secrets = Self::default();
        for object in objects.clone() {
            if text_at(object, "/kind") == "Secret" {
                let maps = ["data", "stringData"].into_iter().filter_map(|map| object.get(map)?.as_object());
                secrets.names.extend(maps.flat_map(Map::keys).map(|key| spelled(key)));
            }
            secrets.references(object);
        }
        let mut values = BTreeSet::new();
        for object in objects {
            secrets.values_of(object, text_at(object, "/kind") == "Secret", &mut values);
        }
        // A short or common word is not recognisable as a secret, and would hide other text.
        values.retain(|value| value.len() >= 5 && !value.bytes().all(|byte| byte.is_ascii_lowercase()));
        secrets.values = if values.is_empty() { None } else { AhoCorasick::new(values).ok() };
        secrets
    }

    /// Adds the names of variables that refer to a Secret, and their keys.
    fn references(&mut self, value: &Value) {
        match value {
            Value::Array(items) => items.iter().for_each(|item| self.references(item)),
            Value::Object(fields) => {
                let key = value.pointer("/valueFrom/secretKeyRef/key").and_then(Value::as_str);
                if let (Some(key), Some(name)) = (key, fields.get("name").and_then(Value::as_str)) {
                    self.names.extend([spelled(key), spelled(name)]);
                }
                fields.values().for_each(|field| self.references(field));
            }
            _ => {}
        }
    }

    /// Adds the values that are hidden because of their names.
    fn values_of(&self, value: &Value, in_secret: bool, values: &mut BTreeSet<String>) {
        match value {
            Value::Array(items) => items.iter().for_each(|item| self.values_of(item, in_secret, values)),
            Value::Object(fields) => {
                if let (Some(name), Some(Value::String(text))) =
                    (fields.get("name").and_then(Value::as_str), fields.get("value"))
                    && self.is_name(name)
                {
                    values.insert(text.clone());
                }
                for (key, field) in fields {
                    let own = OWN_KEYS.contains(&key.as_str()).then(|| field.as_object()).flatten();
                    for (name, text) in own.into_iter().flatten() {
                        let Some(text) = text.as_str().filter(|_| in_secret || self.is_name(name)) else {
                            continue;
                        };
                        values.insert(text.to_owned());
                        let decoded = STANDARD.decode(text).ok().filter(|_| in_secret && key == "data");
                        values.extend(decoded.and_then(|bytes| String::from_utf8(bytes).ok()));
                    }
                    self.values_of(field, in_secret, values);
                }
            }
            _ => {}
        }
    }

    /// Whether a name is secret.
    pub(super) fn is_name(&self, name: &str) -> bool {
        may_be_secret_name(name) || self.names.contains(&spelled(name))
    }

    /// The value with secrets hidden. `name` is its name, if the author chose it.
    pub(super) fn covered(&self, value: &Value, name: Option<&str>) -> Value {
        let hidden = |text: &str| !text.is_empty() && !is_reference(text) && !is_switch(text);
        match value {
            Value::String(text) => {
                let named = name.is_some_and(|name| self.is_name(name)) && hidden(text);
                let known = self.values.as_ref().filter(|_| !text.is_empty());
                match known.and_then(|values| values.find(text)) {
                    _ if named => HIDDEN.into(),
                    Some(found) if found.range() == (0..text.len()) => HIDDEN.into(),
                    Some(_) => {
                        let all = known.into_iter().flat_map(|values| values.find_iter(text));
                        cover::text(&cover::Shown::covering(text, all.map(|found| found.range()))).into()
                    }
                    None => cover::text(text).into(),
                }
            }
            Value::Array(items) => {
                let before = std::iter::once(None).chain(items.iter().map(Value::as_str));
                let item = |(item, before): (&Value, Option<&str>)| match item.as_str() {
                    Some(text)
                        if before.is_some_and(is_secret_flag) && hidden(text) && !text.starts_with('-') =>
                    {
                        HIDDEN.into()
                    }
                    _ => self.covered(item, name),
                };
                Value::Array(items.iter().zip(before).map(item).collect())
            }
            Value::Object(fields) => {
                let item = fields.get("name").and_then(Value::as_str);
                let field = |(key, field): (&String, &Value)| {
                    let covered = match field {
                        Value::Object(own) if OWN_KEYS.contains(&key.as_str()) => {
                            let own = own
                                .iter()
                                .map(|(name, field)| (name.clone(), self.covered(field, Some(name))));
                            Value::Object(own.collect())
                        }
                        _ if key == "value" && item.is_some() => self.covered(field, item),
                        Value::String(text) if is_secret_name(key) && hidden(text) => HIDDEN.into(),
                        _ => self.covered(field, None),
                    };
                    (key.clone(), covered)
                };
                Value::Object(fields.iter().map(field).collect())
            }
            other => other.clone(),
        }
    }
}

/// Whether the argument after this one is secret.
pub(super) fn is_secret_flag(argument: &str) -> bool {
    flag_name(argument).is_some_and(may_be_secret_name)
}

/// A name, normalized so that variables and keys can be compared.
fn spelled(name: &str) -> String {
    name.to_uppercase().replace(['-', '.'], "_")
}
