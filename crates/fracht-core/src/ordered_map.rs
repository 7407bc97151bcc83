//! A map that keeps the order in which keys were added, for tables.
//!
//! Most tables have few keys, in which a search is faster than a hash. Only those with many have an index.

use std::collections::HashMap;
use std::hash::BuildHasherDefault;
use std::iter::Map;
use std::slice;
use std::sync::Arc;

use rustc_hash::FxHasher;

/// From this many values on, a table has an index.
const MANY: usize = 12;

/// Keys with their values, in the order in which they were added.
#[derive(Clone, Debug)]
pub struct OrderedMap<V> {
    list: Vec<(Arc<str>, V)>,
    /// The position of each key; `None` for a table with few values.
    places: Option<Box<Places>>,
}

type Places = HashMap<Arc<str>, u32, BuildHasherDefault<FxHasher>>;

type Item<V> = (Arc<str>, V);
type Pair<'e, V> = fn(&'e Item<V>) -> (&'e Arc<str>, &'e V);

impl<V> Default for OrderedMap<V> {
    fn default() -> Self {
        Self { list: Vec::new(), places: None }
    }
}

impl<V> OrderedMap<V> {
    fn place(&self, key: &str) -> Option<usize> {
        match &self.places {
            None => self.list.iter().position(|(known, _)| **known == *key),
            Some(places) => places.get(key).map(|place| *place as usize),
        }
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&V> {
        self.place(key).and_then(|place| self.list.get(place)).map(|(_, value)| value)
    }

    /// The value of a key, to be changed.
    pub fn get_mut(&mut self, key: &str) -> Option<&mut V> {
        self.place(key).and_then(|place| self.list.get_mut(place)).map(|(_, value)| value)
    }

    /// Whether there is a value with a key.
    pub fn contains_key(&self, key: &str) -> bool {
        self.place(key).is_some()
    }

    /// The value at a position, with its key.
    pub fn get_index(&self, place: usize) -> Option<(&Arc<str>, &V)> {
        self.list.get(place).map(|(key, value)| (key, value))
    }

    /// Sets the value of a key, and returns the one that it had. A new key comes last.
    pub fn insert(&mut self, key: Arc<str>, value: V) -> Option<V> {
        if let Some((_, known)) = self.place(&key).and_then(|place| self.list.get_mut(place)) {
            return Some(std::mem::replace(known, value));
        }
        self.push(key, value);
        None
    }

    /// The value of a key, which is added if there is none.
    pub fn get_or_insert(&mut self, key: &Arc<str>, value: impl FnOnce() -> V) -> &mut V {
        self.at_or_insert(self.place(key), key, value)
    }

    /// The value at the place of a key, which is added if it has none.
    fn at_or_insert(&mut self, place: Option<usize>, key: &Arc<str>, value: impl FnOnce() -> V) -> &mut V {
        let place = place.unwrap_or_else(|| {
            self.push(Arc::clone(key), value());
            self.list.len() - 1
        });
        #[expect(clippy::indexing_slicing, reason = "the place of a value")]
        &mut self.list[place].1
    }

    /// The position of a key in a map whose keys are all shared: two that are equal are the same text in memory, so
    /// that no texts are compared.
    fn place_of_shared(&self, key: &Arc<str>) -> Option<usize> {
        match &self.places {
            None => self.list.iter().position(|(known, _)| Arc::ptr_eq(known, key)),
            Some(_) => self.place(key),
        }
    }

    /// Adds the value of a shared key, if the map has none: all keys must be shared. Returns whether it was added.
    pub(crate) fn add_shared(&mut self, key: &Arc<str>, value: V) -> bool {
        let is_new = self.place_of_shared(key).is_none();
        if is_new {
            self.push(Arc::clone(key), value);
        }
        is_new
    }

    /// The value of a shared key, which is added if there is none: all keys must be shared.
    pub(crate) fn get_or_insert_shared(&mut self, key: &Arc<str>, value: impl FnOnce() -> V) -> &mut V {
        self.at_or_insert(self.place_of_shared(key), key, value)
    }

    /// Removes the value of a key. The others keep their order.
    pub fn remove(&mut self, key: &str) -> Option<V> {
        let (_, value) = self.list.remove(self.place(key)?);
        self.places = None;
        self.add_places();
        Some(value)
    }

    /// Removes the values for which `keep` is false. The others keep their order.
    pub fn retain(&mut self, mut keep: impl FnMut(&Arc<str>, &mut V) -> bool) {
        let before = self.list.len();
        self.list.retain_mut(|(key, value)| keep(key, value));
        if self.list.len() < before {
            self.places = None;
            self.add_places();
        }
    }

    /// Takes all values, into a map of just their size. This one keeps its space for others.
    pub(crate) fn take(&mut self) -> Self {
        let mut list = Vec::with_capacity(self.list.len());
        list.append(&mut self.list);
        Self { list, places: self.places.take() }
    }

    /// Adds a new key. Most tables have one or two, so that space is made for few more.
    fn push(&mut self, key: Arc<str>, value: V) {
        if self.list.len() == self.list.capacity() {
            self.list.reserve_exact(self.list.len().max(1));
        }
        self.list.push((key, value));
        self.add_places();
    }

    /// Adds the positions of new values to the index.
    fn add_places(&mut self) {
        if self.list.len() >= MANY {
            let places = self.places.get_or_insert_default();
            let new = self.list.iter().enumerate().skip(places.len());
            let new =
                new.map(|(place, (key, _))| (Arc::clone(key), u32::try_from(place).unwrap_or(u32::MAX)));
            places.extend(new);
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.list.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// The values with their keys.
    pub fn iter(&self) -> Map<slice::Iter<'_, Item<V>>, Pair<'_, V>> {
        self.list.iter().map(|(key, value)| (key, value))
    }

    /// The values with their keys, to be changed.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&Arc<str>, &mut V)> {
        self.list.iter_mut().map(|(key, value)| (&*key, value))
    }

    /// The keys.
    pub fn keys(&self) -> impl Iterator<Item = &Arc<str>> + Clone {
        self.list.iter().map(|(key, _)| key)
    }

    /// The values.
    pub fn values(&self) -> impl Iterator<Item = &V> {
        self.list.iter().map(|(_, value)| value)
    }

    /// The values, to be changed.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut V> {
        self.list.iter_mut().map(|(_, value)| value)
    }
}

impl<V> Extend<(Arc<str>, V)> for OrderedMap<V> {
    fn extend<I: IntoIterator<Item = (Arc<str>, V)>>(&mut self, values: I) {
        for (key, value) in values {
            self.insert(key, value);
        }
    }
}

impl<V> FromIterator<(Arc<str>, V)> for OrderedMap<V> {
    fn from_iter<I: IntoIterator<Item = (Arc<str>, V)>>(values: I) -> Self {
        let mut all = Self::default();
        all.extend(values);
        all
    }
}

impl<'e, V> IntoIterator for &'e OrderedMap<V> {
    type Item = (&'e Arc<str>, &'e V);
    type IntoIter = Map<slice::Iter<'e, Item<V>>, Pair<'e, V>>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}
