//! Lists whose ids have a type of their own.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::marker::PhantomData;
use std::ops::{Index, IndexMut};

/// Names an element of a [`List`].
pub struct Id<T> {
    index: u32,
    of: PhantomData<fn() -> T>,
}

impl<T> Id<T> {
    /// The position in the list, from 0.
    pub fn index(self) -> usize {
        self.index as usize
    }

    /// The id of a position. Positions are counted from the tables of a file under 4 GiB.
    pub(crate) fn new(index: usize) -> Self {
        Self { index: u32::try_from(index).unwrap_or(u32::MAX), of: PhantomData }
    }
}

// Not derived: a derived implementation would require the same trait of `T`.
impl<T> Clone for Id<T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T> Copy for Id<T> {}
impl<T> PartialEq for Id<T> {
    fn eq(&self, other: &Self) -> bool {
        self.index == other.index
    }
}
impl<T> Eq for Id<T> {}
impl<T> PartialOrd for Id<T> {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}
impl<T> Ord for Id<T> {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.index.cmp(&other.index)
    }
}
impl<T> Hash for Id<T> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.index.hash(state);
    }
}
impl<T> fmt::Debug for Id<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "#{}", self.index)
    }
}

/// Elements in the order of the stack file.
#[derive(Clone, Debug)]
pub struct List<T>(Vec<T>);

impl<T> List<T> {
    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The elements.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.0.iter()
    }

    /// The elements with their ids.
    pub fn entries(&self) -> impl Iterator<Item = (Id<T>, &T)> {
        self.0.iter().enumerate().map(|(index, element)| (Id::new(index), element))
    }
}

impl<T> FromIterator<T> for List<T> {
    fn from_iter<I: IntoIterator<Item = T>>(elements: I) -> Self {
        Self(elements.into_iter().collect())
    }
}

impl<'a, T> IntoIterator for &'a List<T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

#[expect(clippy::indexing_slicing, reason = "an id is only made for an element of its model")]
impl<T> Index<Id<T>> for List<T> {
    type Output = T;

    fn index(&self, id: Id<T>) -> &T {
        &self.0[id.index()]
    }
}

#[expect(clippy::indexing_slicing, reason = "an id is only made for an element of its model")]
impl<T> IndexMut<Id<T>> for List<T> {
    fn index_mut(&mut self, id: Id<T>) -> &mut T {
        &mut self.0[id.index()]
    }
}
