//! A key of the language, declared once, with the type of its value.

use std::fmt::{self, Debug, Formatter};
use std::sync::Arc;

use super::format::Format;
use super::shape::{AnyField, IntegerBounds, Key, Shape, TableShape, Words};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::grammar::word::Word;
use crate::tree::{Entry, Node, Value};

/// A key and what it takes. The check of shapes, the readers, layers, traces, the schema and the reference all read
/// this one value.
pub struct Field<T: 'static> {
    /// Its documentation.
    pub key: Key,
    /// The values that it takes.
    pub takes: Takes<T>,
}

/// The values that a key takes: their shape, how many, and how one is read.
pub struct Takes<T: 'static> {
    one: Shape,
    count: Count,
    read: Read<T>,
}

/// How many values a key takes.
#[derive(Clone, Copy, Debug)]
enum Count {
    One,
    List,
    OneOrList,
    /// A table with names of the author's own.
    Named(NameKind),
}

/// How a value of the right shape is read.
enum Read<T: 'static> {
    /// By the parser of a format.
    Format(&'static Format<T>),
    /// By its word.
    Word(fn(&str) -> Option<T>),
    /// By a function on the value.
    Value(fn(&Shape, &Value) -> Option<T>),
}

/// The type of a value that is a table with fixed keys.
#[derive(Clone, Copy, Debug)]
pub struct Table;

/// The type of a text with references, which a reader resolves.
#[derive(Clone, Copy, Debug)]
pub struct Template;

/// The type of a value of any shape.
#[derive(Clone, Copy, Debug)]
pub struct AnyValue;

impl<T> AnyField for Field<T> {
    fn key(&self) -> &Key {
        &self.key
    }

    fn shape(&'static self) -> Shape {
        let Takes { one, count, .. } = &self.takes;
        match *count {
            Count::One => *one,
            Count::List => Shape::List(one),
            Count::OneOrList => Shape::OneOrList(one),
            Count::Named(kind) => Shape::Named(kind, one),
        }
    }
}

impl<T> Field<T> {
    /// The name of the key.
    pub const fn name(&self) -> &'static str {
        self.key.name
    }

    /// The entry of the key in a table.
    pub(crate) fn entry<'n>(&self, table: &'n Node) -> Option<&'n Entry> {
        table.table()?.get(self.name())
    }

    /// The value of the key in a table.
    pub(crate) fn node<'n>(&self, table: &'n Node) -> Option<&'n Node> {
        self.entry(table).map(|entry| &entry.node)
    }

    /// The default, if its documentation is a value.
    pub(crate) fn default(&self) -> Option<T> {
        let text = self.key.default;
        match (&self.takes.read, self.takes.one) {
            (Read::Format(format), _) => (format.parse)(text).ok(),
            (Read::Word(read), _) => read(text),
            (_, Shape::Boolean) => self.takes.read(&Value::Boolean(text == "true"), text),
            (_, Shape::Integer(_)) => self.takes.read(&Value::Integer(text.parse().ok()?), text),
            _ => self.takes.read(&Value::Text(text.into()), text),
        }
    }
}

impl<T> Takes<T> {
    const fn value(one: Shape, read: fn(&Shape, &Value) -> Option<T>) -> Self {
        Self { one, count: Count::One, read: Read::Value(read) }
    }

    /// The shape of one value.
    pub const fn shape(&self) -> &Shape {
        &self.one
    }

    /// Reads one value, whose text in the source is `written`; `None` if it does not have the shape.
    pub(crate) fn read(&self, value: &Value, written: &str) -> Option<T> {
        if let Value::Text(text) = value
            && self.one.forbids_nul()
            && text.contains('\0')
        {
            return None;
        }
        match &self.read {
            Read::Value(read) => read(&self.one, value),
            Read::Word(read) => read(value.text()?),
            Read::Format(format) => match value {
                Value::Text(text) => (format.parse)(text).ok(),
                Value::Integer(_) | Value::Float if format.about.number => (format.parse)(written).ok(),
                _ => None,
            },
        }
    }
}

// Not derived: a derived implementation would require the same trait of `T`.
impl<T> Clone for Takes<T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T> Copy for Takes<T> {}
impl<T> Clone for Read<T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T> Copy for Read<T> {}
impl<T> Debug for Field<T> {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(self.key.name)
    }
}

/// A list of values that `takes` takes.
pub(super) const fn list<T>(takes: Takes<T>) -> Takes<T> {
    Takes { count: Count::List, ..takes }
}

/// A value that `takes` takes, or a list of them.
pub(super) const fn one_or_list<T>(takes: Takes<T>) -> Takes<T> {
    Takes { count: Count::OneOrList, ..takes }
}

/// A table with names of the author's own, each with a value that `takes` takes.
pub(super) const fn named<T>(kind: NameKind, takes: Takes<T>) -> Takes<T> {
    Takes { count: Count::Named(kind), ..takes }
}

/// `true` or `false`.
pub(super) const BOOLEAN: Takes<bool> = Takes::value(Shape::Boolean, |_, value| match value {
    Value::Boolean(value) => Some(*value),
    _ => None,
});

/// A string without references.
pub(super) const STRING: Takes<Arc<str>> = Takes::value(Shape::String, |_, value| string(value));

/// A string without references that a program is started with.
pub(super) const ARGUMENT: Takes<Arc<str>> = Takes::value(Shape::Argument, |_, value| string(value));

/// A string with references.
pub(super) const TEXT: Takes<Template> = Takes::value(Shape::Text, |_, _| Some(Template));

/// A string with references, a number, `true` or `false`.
pub(super) const fn scalar(references: References) -> Takes<Template> {
    Takes::value(Shape::Scalar(references), |_, _| Some(Template))
}

/// A value of any shape.
pub(super) const ANY: Takes<AnyValue> = Takes::value(Shape::Any, |_, _| Some(AnyValue));

/// An integer between bounds.
pub(super) const fn integer<T: TryFrom<i64>>(bounds: &'static IntegerBounds) -> Takes<T> {
    Takes::value(Shape::Integer(bounds), |shape, value| match (shape, value) {
        (Shape::Integer(bounds), Value::Integer(number)) if bounds.contain(*number) => {
            T::try_from(*number).ok()
        }
        _ => None,
    })
}

/// One of the words of a type.
pub(super) const fn words<T: Word>() -> Takes<T> {
    Takes { one: Shape::Word(Words::of::<T>()), count: Count::One, read: Read::Word(T::of) }
}

/// One of some words that stand for themselves.
pub(super) const fn word_of(words: Words) -> Takes<Arc<str>> {
    Takes::value(Shape::Word(words), |shape, value| match shape {
        Shape::Word(words) => string(value).filter(|text| words.iter().any(|word| word == &**text)),
        _ => None,
    })
}

/// A name.
pub(super) const fn name(kind: NameKind) -> Takes<Arc<str>> {
    Takes::value(Shape::Name(kind), |shape, value| match shape {
        Shape::Name(kind) => string(value).filter(|text| kind.check(text).is_ok()),
        _ => None,
    })
}

/// A reference to one of some kinds.
pub(super) const fn reference(kinds: &'static [RefKind]) -> Takes<Reference> {
    Takes::value(Shape::Reference(kinds), |shape, value| match shape {
        Shape::Reference(kinds) => Reference::to(value.text()?, kinds),
        _ => None,
    })
}

/// A string, or a number, in a format.
pub(super) const fn formatted<T>(format: &'static Format<T>) -> Takes<T> {
    Takes { one: Shape::Formatted(format), count: Count::One, read: Read::Format(format) }
}

/// A string with references, which must have a format once they are resolved.
pub(super) const fn template<T>(format: &'static Format<T>) -> Takes<Template> {
    Takes::value(Shape::Template(format), |_, _| Some(Template))
}

/// A table with fixed keys, or its short form.
pub(super) const fn table(table: &'static TableShape) -> Takes<Table> {
    Takes::value(Shape::Table(table), |_, _| Some(Table))
}

/// A table that says where the value of a secret is. A string in its place is the secret itself, in plain text: the
/// reader reports and hides it.
pub(super) const fn secret_source(table: &'static TableShape) -> Takes<Table> {
    Takes::value(Shape::SecretSource(table), |_, _| Some(Table))
}

fn string(value: &Value) -> Option<Arc<str>> {
    value.text().map(Arc::clone)
}

impl Takes<Template> {
    /// The kinds of references that the text may contain.
    pub(crate) fn references(&self) -> References {
        match self.one {
            Shape::Text | Shape::Scalar(References::All) => References::All,
            _ => References::Known,
        }
    }
}
