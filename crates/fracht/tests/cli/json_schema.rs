//! JSON Schema (2020-12 and draft 7), as far as the schemas of the tests use it: a keyword that is not here is not read.

use std::collections::BTreeMap;

use regex::Regex;
use serde::Deserialize;
use serde_json::Value;

/// A schema. What is left out allows all.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "camelCase")]
pub(crate) struct Schema {
    #[serde(rename = "$schema")]
    pub(crate) dialect: Option<String>,
    #[serde(rename = "$id")]
    _id: Option<String>,
    #[serde(rename = "$defs", alias = "definitions", default)]
    definitions: BTreeMap<String, Schema>,
    #[serde(rename = "$ref")]
    reference: Option<String>,
    #[serde(rename = "title")]
    _title: Option<String>,
    #[serde(rename = "description")]
    _description: Option<String>,
    r#type: Option<Types>,
    r#enum: Option<Vec<Value>>,
    any_of: Option<Vec<Schema>>,
    one_of: Option<Vec<Schema>>,
    #[serde(default)]
    required: Vec<String>,
    #[serde(default)]
    min_items: usize,
    #[serde(default)]
    unique_items: bool,
    // A hint for what writes values, and an assertion only if it is asked for.
    #[serde(rename = "default")]
    _default: Option<Value>,
    #[serde(rename = "format")]
    _format: Option<String>,
    minimum: Option<f64>,
    maximum: Option<f64>,
    #[serde(default, deserialize_with = "expressions")]
    pattern: Vec<Regex>,
    items: Option<Box<Schema>>,
    #[serde(default)]
    properties: BTreeMap<String, Schema>,
    property_names: Option<Box<Schema>>,
    additional_properties: Option<Additional>,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Type {
    Array,
    Boolean,
    Integer,
    Number,
    Object,
    String,
}

#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum Types {
    One(Type),
    Several(Vec<Type>),
}

#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum Additional {
    Allowed(bool),
    Of(Box<Schema>),
}

/// A regular expression. A look-ahead at its start, which the library does not have, is one more of them.
fn expressions<'de, D: serde::Deserializer<'de>>(text: D) -> Result<Vec<Regex>, D::Error> {
    let text = String::deserialize(text)?;
    let ahead = text.strip_prefix("^(?=").and_then(|rest| rest.split_once(')'));
    let all = match ahead {
        Some((ahead, rest)) => vec![format!("^{ahead}"), format!("^{rest}")],
        None => vec![text],
    };
    all.iter().map(|text| Regex::new(text)).collect::<Result<_, _>>().map_err(serde::de::Error::custom)
}

impl Type {
    fn fits(&self, value: &Value) -> bool {
        match self {
            Self::Array => value.is_array(),
            Self::Boolean => value.is_boolean(),
            Self::Integer => value.is_i64(),
            Self::Number => value.is_number(),
            Self::Object => value.is_object(),
            Self::String => value.is_string(),
        }
    }
}

impl Schema {
    /// Whether a value fits: if not, the JSON pointers (RFC 6901) of values that do not.
    pub(crate) fn misfits(&self, value: &Value) -> Vec<String> {
        let mut found = Vec::new();
        self.judge(self, value, "", &mut found);
        found
    }

    fn judge(&self, root: &Self, value: &Value, at: &str, found: &mut Vec<String>) {
        if let Some(reference) = &self.reference {
            let name = reference.rsplit('/').next().unwrap();
            root.definitions[name].judge(root, value, at, found);
        }
        let fits_type = match &self.r#type {
            Some(Types::One(one)) => one.fits(value),
            Some(Types::Several(several)) => several.iter().any(|one| one.fits(value)),
            None => true,
        };
        let fits = |schema: &Self, value: &Value| {
            let mut found = Vec::new();
            schema.judge(root, value, at, &mut found);
            found.is_empty()
        };
        let is_one_of = self.r#enum.as_ref().is_none_or(|values| values.contains(value));
        let fits_any = self.any_of.as_ref().is_none_or(|schemas| schemas.iter().any(|one| fits(one, value)));
        let in_range = value.as_f64().is_none_or(|number| {
            (self.minimum.unwrap_or(f64::MIN)..=self.maximum.unwrap_or(f64::MAX)).contains(&number)
        });
        let matches =
            value.as_str().is_none_or(|text| self.pattern.iter().all(|pattern| pattern.is_match(text)));
        let fits_one = self
            .one_of
            .as_ref()
            .is_none_or(|schemas| schemas.iter().filter(|one| fits(one, value)).count() == 1);
        let items = value.as_array().map_or(&[][..], Vec::as_slice);
        let is_unique = !self.unique_items || (1..items.len()).all(|at| !items[..at].contains(&items[at]));
        let is_long = !value.is_array() || items.len() >= self.min_items;
        let has_all =
            value.as_object().is_none_or(|fields| self.required.iter().all(|name| fields.contains_key(name)));
        let whole = fits_one && is_unique && is_long && has_all;
        if !(fits_type && is_one_of && fits_any && in_range && matches && whole) {
            found.push(at.to_owned());
        }
        for (index, item) in value.as_array().into_iter().flatten().enumerate() {
            if let Some(schema) = &self.items {
                schema.judge(root, item, &format!("{at}/{index}"), found);
            }
        }
        for (name, value) in value.as_object().into_iter().flatten() {
            let at = format!("{at}/{name}");
            if self.property_names.as_ref().is_some_and(|names| !fits(names, &name.as_str().into())) {
                found.push(at.clone());
            }
            match (self.properties.get(name), &self.additional_properties) {
                (Some(schema), _) => schema.judge(root, value, &at, found),
                (None, Some(Additional::Of(schema))) => schema.judge(root, value, &at, found),
                (None, Some(Additional::Allowed(false))) => found.push(at),
                (None, _) => {}
            }
        }
    }
}
