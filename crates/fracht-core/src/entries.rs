//! The entries of a table, in the order of the file.
//!
//! Most tables have few keys, in which a search is faster than a hash. Only those with many have an index.

use std::collections::HashMap;
use std::hash::BuildHasherDefault;
use std::iter::Map;
use std::slice;
use std::sync::Arc;

use rustc_hash::FxHasher;

use crate::tree::Entry;

/// From this many entries on, a table has an index.
const MANY: usize = 12;

/// The entries of a table: keys with their values, in the order of the file.
#[derive(Clone, Debug, Default)]
pub struct Entries {
    list: Vec<(Arc<str>, Entry)>,
    /// The position of each key; empty for a table with few entries.
    places: HashMap<Arc<str>, u32, BuildHasherDefault<FxHasher>>,
}

type Item = (Arc<str>, Entry);
type Pair<'e> = fn(&'e Item) -> (&'e Arc<str>, &'e Entry);

impl Entries {
    fn place(&self, key: &str) -> Option<usize> {
        if self.places.is_empty() {
            self.list.iter().position(|(known, _)| **known == *key)
        } else {
            self.places.get(key).map(|place| *place as usize)
        }
    }

    /// The entry of a key.
    pub fn get(&self, key: &str) -> Option<&Entry> {
        self.place(key).and_then(|place| self.list.get(place)).map(|(_, entry)| entry)
    }

    /// The entry of a key, to be changed.
    pub fn get_mut(&mut self, key: &str) -> Option<&mut Entry> {
        self.place(key).and_then(|place| self.list.get_mut(place)).map(|(_, entry)| entry)
    }

    /// Whether there is an entry with a key.
    pub fn contains_key(&self, key: &str) -> bool {
        self.place(key).is_some()
    }

    /// The entry at a position, with its key.
    pub fn get_index(&self, place: usize) -> Option<(&Arc<str>, &Entry)> {
        self.list.get(place).map(|(key, entry)| (key, entry))
    }

    /// Sets the entry of a key, and returns the one that it had. A new key comes last.
    pub fn insert(&mut self, key: Arc<str>, entry: Entry) -> Option<Entry> {
        if let Some((_, known)) = self.place(&key).and_then(|place| self.list.get_mut(place)) {
            return Some(std::mem::replace(known, entry));
        }
        self.list.push((key, entry));
        self.add_places();
        None
    }

    /// The entry of a key, which is added if there is none.
    pub fn get_or_insert(&mut self, key: &Arc<str>, entry: impl FnOnce() -> Entry) -> &mut Entry {
        let place = self.place(key).unwrap_or_else(|| {
            self.list.push((Arc::clone(key), entry()));
            self.add_places();
            self.list.len() - 1
        });
        #[expect(clippy::indexing_slicing, reason = "the place of an entry")]
        &mut self.list[place].1
    }

    /// Removes the entry of a key. The others keep their order.
    pub fn remove(&mut self, key: &str) -> Option<Entry> {
        let (_, entry) = self.list.remove(self.place(key)?);
        self.places.clear();
        self.add_places();
        Some(entry)
    }

    /// Removes the entries for which `keep` is false. The others keep their order.
    pub fn retain(&mut self, mut keep: impl FnMut(&Arc<str>, &mut Entry) -> bool) {
        let before = self.list.len();
        self.list.retain_mut(|(key, entry)| keep(key, entry));
        if self.list.len() < before {
            self.places.clear();
            self.add_places();
        }
    }

    /// Adds the positions of new entries to the index.
    fn add_places(&mut self) {
        if self.list.len() >= MANY {
            let new = self.list.iter().enumerate().skip(self.places.len());
            let new =
                new.map(|(place, (key, _))| (Arc::clone(key), u32::try_from(place).unwrap_or(u32::MAX)));
            self.places.extend(new);
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

    /// The entries with their keys.
    pub fn iter(&self) -> Map<slice::Iter<'_, Item>, Pair<'_>> {
        self.list.iter().map(|(key, entry)| (key, entry))
    }

    /// The entries with their keys, to be changed.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&Arc<str>, &mut Entry)> {
        self.list.iter_mut().map(|(key, entry)| (&*key, entry))
    }

    /// The keys.
    pub fn keys(&self) -> impl Iterator<Item = &Arc<str>> + Clone {
        self.list.iter().map(|(key, _)| key)
    }

    /// The entries.
    pub fn values(&self) -> impl Iterator<Item = &Entry> {
        self.list.iter().map(|(_, entry)| entry)
    }

    /// The entries, to be changed.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut Entry> {
        self.list.iter_mut().map(|(_, entry)| entry)
    }
}

impl Extend<(Arc<str>, Entry)> for Entries {
    fn extend<I: IntoIterator<Item = (Arc<str>, Entry)>>(&mut self, entries: I) {
        for (key, entry) in entries {
            self.insert(key, entry);
        }
    }
}

impl FromIterator<(Arc<str>, Entry)> for Entries {
    fn from_iter<I: IntoIterator<Item = (Arc<str>, Entry)>>(entries: I) -> Self {
        let mut all = Self::default();
        all.extend(entries);
        all
    }
}

impl<'e> IntoIterator for &'e Entries {
    type Item = (&'e Arc<str>, &'e Entry);
    type IntoIter = Map<slice::Iter<'e, Item>, Pair<'e>>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}
