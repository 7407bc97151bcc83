//! The values that fields hold.

use std::ops::Deref;
use std::sync::Arc;

use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use serde::{Serialize, Serializer};

use super::Field;

/// A text: one of the program, one that the model has, or one of its own. Objects share most of their texts.
#[derive(Clone, Debug)]
pub(crate) enum Str {
    Static(&'static str),
    Shared(Arc<str>),
    Owned(String),
}

impl Deref for Str {
    type Target = str;

    fn deref(&self) -> &str {
        match self {
            Self::Static(text) => text,
            Self::Shared(text) => text,
            Self::Owned(text) => text,
        }
    }
}

impl Default for Str {
    fn default() -> Self {
        Self::Static("")
    }
}

impl PartialEq for Str {
    fn eq(&self, other: &Self) -> bool {
        **self == **other
    }
}

impl From<&'static str> for Str {
    fn from(text: &'static str) -> Self {
        Self::Static(text)
    }
}

impl From<String> for Str {
    fn from(text: String) -> Self {
        Self::Owned(text)
    }
}

impl From<&Arc<str>> for Str {
    fn from(text: &Arc<str>) -> Self {
        Self::Shared(Arc::clone(text))
    }
}

impl Serialize for Str {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self)
    }
}

/// A map with keys of the author's own, such as labels. It is written in the order of its keys.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Map<V = Str>(Vec<(Str, V)>);

impl<V> Map<V> {
    /// Sets a key.
    pub(crate) fn insert(&mut self, key: impl Into<Str>, value: impl Into<V>) {
        let (key, value) = (key.into(), value.into());
        match self.0.binary_search_by(|(known, _)| (**known).cmp(&key)) {
            Ok(at) => {
                if let Some((_, known)) = self.0.get_mut(at) {
                    *known = value;
                }
            }
            Err(at) => self.0.insert(at, (key, value)),
        }
    }

    /// Removes a key.
    pub(crate) fn remove(&mut self, key: &str) {
        self.0.retain(|(known, _)| **known != *key);
    }
}

impl<V> Default for Map<V> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<V> Field for Map<V> {
    fn is_absent(&self) -> bool {
        self.0.is_empty()
    }
}

impl<K: Into<Str>, W: Into<V>, V> Extend<(K, W)> for Map<V> {
    fn extend<I: IntoIterator<Item = (K, W)>>(&mut self, items: I) {
        self.0.extend(items.into_iter().map(|(key, value)| (key.into(), value.into())));
        if self.0.is_sorted_by(|(one, _), (other, _)| **one < **other) {
            return;
        }
        self.0.sort_by(|(one, _), (other, _)| (**one).cmp(other));
        // Of several values for a key, the last one stays.
        self.0.dedup_by(|(later, later_value), (key, value)| {
            let same = **later == **key;
            if same {
                std::mem::swap(later_value, value);
            }
            same
        });
    }
}

impl<K: Into<Str>, W: Into<V>, V> FromIterator<(K, W)> for Map<V> {
    fn from_iter<I: IntoIterator<Item = (K, W)>>(items: I) -> Self {
        let mut map = Self::default();
        map.extend(items);
        map
    }
}

impl<V: Serialize> Serialize for Map<V> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|(key, value)| (key, value)))
    }
}

/// A number, or a name or percentage (`IntOrString` in the API).
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
pub(crate) enum IntOrName {
    Int(i32),
    Name(Str),
}

/// Bytes, which objects hold in base64 (RFC 4648, section 4).
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Bytes(pub(crate) Arc<[u8]>);

impl Serialize for Bytes {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&BASE64_STANDARD.encode(&self.0))
    }
}

impl Default for IntOrName {
    fn default() -> Self {
        Self::Int(0)
    }
}

impl Field for Str {}
impl Field for IntOrName {}
impl Field for bool {}
impl Field for i32 {}
impl Field for i64 {}
