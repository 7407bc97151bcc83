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
pub struct OrderedMap<V>(Items<V>);

/// There are very many small tables, so these have no space for an index.
#[derive(Clone, Debug)]
enum Items<V> {
    Few(Vec<Item<V>>),
    Many(Box<Indexed<V>>),
}

#[derive(Clone, Debug)]
struct Indexed<V> {
    list: Vec<Item<V>>,
    /// The position of each key.
    places: Places,
}

type Places = HashMap<Arc<str>, u32, BuildHasherDefault<FxHasher>>;

type Item<V> = (Arc<str>, V);
type Pair<'e, V> = fn(&'e Item<V>) -> (&'e Arc<str>, &'e V);

impl<V> Default for OrderedMap<V> {
    fn default() -> Self {
        Self(Items::Few(Vec::new()))
    }
}

impl<V> OrderedMap<V> {
    /// The values with their keys, as a slice.
    pub(crate) fn list(&self) -> &[(Arc<str>, V)] {
        match &self.0 {
            Items::Few(list) => list,
            Items::Many(indexed) => &indexed.list,
        }
    }

    /// The list. The index must know of every key that is added or removed.
    fn list_mut(&mut self) -> &mut Vec<Item<V>> {
        match &mut self.0 {
            Items::Few(list) => list,
            Items::Many(indexed) => &mut indexed.list,
        }
    }

    fn place(&self, key: &str) -> Option<usize> {
        match &self.0 {
            Items::Few(list) => list.iter().position(|(known, _)| **known == *key),
            Items::Many(indexed) => indexed.places.get(key).map(|place| *place as usize),
        }
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&V> {
        self.place(key).and_then(|place| self.list().get(place)).map(|(_, value)| value)
    }

    /// The value of a key, to be changed.
    pub fn get_mut(&mut self, key: &str) -> Option<&mut V> {
        self.place(key).and_then(|place| self.list_mut().get_mut(place)).map(|(_, value)| value)
    }

    /// Whether there is a value with a key.
    pub fn contains_key(&self, key: &str) -> bool {
        self.place(key).is_some()
    }

    /// The value at a position, with its key.
    pub fn get_index(&self, place: usize) -> Option<(&Arc<str>, &V)> {
        self.list().get(place).map(|(key, value)| (key, value))
    }

    /// Sets the value of a key, and returns the one that it had. A new key comes last.
    pub fn insert(&mut self, key: Arc<str>, value: V) -> Option<V> {
        if let Some((_, known)) = self.place(&key).and_then(|place| self.list_mut().get_mut(place)) {
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
            self.list().len() - 1
        });
        #[expect(clippy::indexing_slicing, reason = "the place of a value")]
        &mut self.list_mut()[place].1
    }

    /// The position of a key in a map whose keys are all shared: two that are equal are the same text in memory, so
    /// that no texts are compared.
    fn place_of_shared(&self, key: &Arc<str>) -> Option<usize> {
        match &self.0 {
            Items::Few(list) => list.iter().position(|(known, _)| Arc::ptr_eq(known, key)),
            Items::Many(_) => self.place(key),
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
        let place = self.place(key)?;
        let mut list = self.take_list();
        let (_, value) = list.remove(place);
        *self = Self::of(list);
        Some(value)
    }

    /// Removes the values for which `keep` is false. The others keep their order.
    pub fn retain(&mut self, mut keep: impl FnMut(&Arc<str>, &mut V) -> bool) {
        let before = self.len();
        self.list_mut().retain_mut(|(key, value)| keep(key, value));
        if self.len() < before {
            *self = Self::of(self.take_list());
        }
    }

    /// Takes all values, into a map of just their size. A small one keeps its space for others.
    pub(crate) fn take(&mut self) -> Self {
        match &mut self.0 {
            Items::Few(list) => {
                let mut taken = Vec::with_capacity(list.len());
                taken.append(list);
                Self(Items::Few(taken))
            }
            Items::Many(indexed) => {
                indexed.list.shrink_to_fit();
                std::mem::take(self)
            }
        }
    }

    fn take_list(&mut self) -> Vec<Item<V>> {
        std::mem::take(self.list_mut())
    }

    /// The map of a list in which each key is once.
    fn of(list: Vec<Item<V>>) -> Self {
        if list.len() < MANY {
            return Self(Items::Few(list));
        }
        let places = list.iter().enumerate().map(|(place, (key, _))| (Arc::clone(key), position(place)));
        Self(Items::Many(Box::new(Indexed { places: places.collect(), list })))
    }

    /// Adds a new key. Most tables have one or two, so that space is made for few more.
    fn push(&mut self, key: Arc<str>, value: V) {
        let list = match &mut self.0 {
            Items::Few(list) => list,
            Items::Many(indexed) => {
                indexed.places.insert(Arc::clone(&key), position(indexed.list.len()));
                &mut indexed.list
            }
        };
        if list.len() == list.capacity() {
            list.reserve_exact(list.len().max(1));
        }
        list.push((key, value));
        if list.len() == MANY {
            *self = Self::of(self.take_list());
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.list().len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.list().is_empty()
    }

    /// The values with their keys.
    pub fn iter(&self) -> Map<slice::Iter<'_, Item<V>>, Pair<'_, V>> {
        self.list().iter().map(|(key, value)| (key, value))
    }

    /// The values with their keys, to be changed.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&Arc<str>, &mut V)> {
        self.list_mut().iter_mut().map(|(key, value)| (&*key, value))
    }

    /// The keys.
    pub fn keys(&self) -> impl Iterator<Item = &Arc<str>> + Clone {
        self.list().iter().map(|(key, _)| key)
    }

    /// The values.
    pub fn values(&self) -> impl Iterator<Item = &V> + Clone {
        self.list().iter().map(|(_, value)| value)
    }

    /// The values, to be changed.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut V> {
        self.list_mut().iter_mut().map(|(_, value)| value)
    }
}

/// A position as the index keeps it. There are no tables of more values: a file has less than 4 GiB.
fn position(place: usize) -> u32 {
    u32::try_from(place).unwrap_or(u32::MAX)
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
