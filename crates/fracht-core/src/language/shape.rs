//! The language as data, without Rust types: the shapes of values, keys and tables.

use std::fmt::Debug;

use super::format::AnyFormat;
use crate::diag::Rule;
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, References};
use crate::grammar::word::Word;

/// The shape of a value.
#[derive(Clone, Copy, Debug)]
pub enum Shape {
    /// A string without references.
    String,
    /// A string without references that a program is started with.
    Argument,
    /// A string with references.
    Text,
    /// A string with references, a number, `true` or `false`.
    Scalar(References),
    /// `true` or `false`.
    Boolean,
    /// An integer.
    Integer(&'static IntegerBounds),
    /// A string or a number in a format.
    Formatted(&'static dyn AnyFormat),
    /// A string with references, in a format once they are resolved.
    Template(&'static dyn AnyFormat),
    /// One of some words.
    Word(Words),
    /// A name.
    Name(NameKind),
    /// A reference to one of some kinds, such as `volume.data`.
    Reference(&'static [RefKind]),
    /// A value, or a list of such values.
    OneOrList(&'static Shape),
    /// A list of values of one shape.
    List(&'static Shape),
    /// A table with names of the author's own.
    Named(NameKind, &'static Shape),
    /// A table with fixed keys, or its short form.
    Table(&'static TableShape),
    /// A table that says where the value of a secret is.
    SecretSource(&'static TableShape),
    /// A value of any shape.
    Any,
}

/// The documentation of a key.
#[derive(Debug)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// The value if the key is not set, in words; `required` if it must be set.
    pub default: &'static str,
    /// The Kubernetes object or field that it becomes.
    pub becomes: &'static str,
    /// What the value is or does, in a sentence.
    pub description: &'static str,
    /// A value, as in a stack file.
    pub example: &'static str,
}

/// A field of any type, for the check of shapes, layers, traces and the reference.
pub trait AnyField: Debug + Sync {
    /// Its documentation.
    fn key(&self) -> &Key;
    /// The shape of the whole value.
    fn shape(&'static self) -> Shape;
}

/// Fields that tables share.
pub type Group = &'static [&'static dyn AnyField];

/// A table and its keys.
#[derive(Debug)]
pub struct TableShape {
    /// Its name with an article: `a port`.
    pub what: &'static str,
    /// The short form: a value that may replace the table.
    pub short: Option<Short>,
    /// Keys that exclude each other. In later layers, one of them replaces the others.
    pub one_of: Group,
    /// The keys that it may have.
    pub groups: &'static [Group],
}

/// The short form of a table.
#[derive(Clone, Copy, Debug)]
pub enum Short {
    /// The value of this key.
    Key(&'static dyn AnyField),
    /// A value that is not the value of a key.
    Value(&'static Shape),
}

impl Short {
    /// The shape of the short form.
    pub fn shape(self) -> Shape {
        match self {
            Self::Key(field) => field.shape(),
            Self::Value(shape) => *shape,
        }
    }
}

impl TableShape {
    /// The keys that it may have.
    pub fn fields(&self) -> impl Iterator<Item = &'static dyn AnyField> + Clone + use<> {
        let groups: &'static [Group] = self.groups;
        groups.iter().copied().flatten().copied()
    }

    /// The names of the keys.
    pub fn names(&self) -> impl Iterator<Item = &'static str> + Clone + use<> {
        self.fields().map(|field| field.key().name)
    }

    /// The field of a key.
    pub fn field(&self, name: &str) -> Option<&'static dyn AnyField> {
        let is_field = |field: &&&'static dyn AnyField| field.key().name == name;
        self.groups.iter().find_map(|group| group.iter().find(is_field)).copied()
    }
}

/// The bounds of an integer.
#[derive(Debug)]
pub struct IntegerBounds {
    /// The smallest.
    pub least: i64,
    /// The largest.
    pub most: i64,
    /// The rule that a number out of bounds fails.
    pub rule: &'static Rule,
}

impl IntegerBounds {
    /// Whether a number is within the bounds.
    pub fn contain(&self, number: i64) -> bool {
        (self.least..=self.most).contains(&number)
    }
}

/// A list of words, by position.
#[derive(Clone, Copy, Debug)]
pub struct Words(pub fn(usize) -> Option<&'static str>);

impl Words {
    /// The words of a type.
    pub(super) const fn of<T: Word>() -> Self {
        Self(|index| T::WORDS.get(index).map(|(word, _)| *word))
    }

    /// Every word.
    pub fn iter(self) -> impl Iterator<Item = &'static str> + Clone {
        (0..).map_while(self.0)
    }
}

impl Shape {
    /// The shape of the value at `key` below such a value: a key of a table, a name, or the index of an item in a list.
    pub fn below(&self, key: &str) -> Option<Shape> {
        match self {
            Self::Named(_, of) => Some(**of),
            Self::List(of) | Self::OneOrList(of) => key.parse::<usize>().ok().map(|_| **of),
            _ => self.table()?.field(key).map(AnyField::shape),
        }
    }

    /// The table that such a value is, or is the short form of.
    pub fn table(&self) -> Option<&'static TableShape> {
        match self {
            Self::Table(table) | Self::SecretSource(table) => Some(table),
            _ => None,
        }
    }

    /// Whether a text of this shape must not contain a NUL character. Texts and arguments are checked as a whole, by a
    /// rule.
    pub(super) fn forbids_nul(&self) -> bool {
        !matches!(self, Self::Text | Self::Argument | Self::Scalar(_))
    }

    /// Whether it is a table with names of the author's own.
    pub fn is_named(&self) -> bool {
        matches!(self, Self::Named(..))
    }

    /// The values in a message: `expected` with this.
    pub(super) fn noun(&self) -> String {
        match self {
            Self::String | Self::Argument | Self::Text | Self::Word(_) | Self::Name(_) => "a string".into(),
            Self::Scalar(_) => "a string, a number, true or false".into(),
            Self::Boolean => "true or false".into(),
            Self::Integer(_) => "an integer".into(),
            Self::Formatted(format) | Self::Template(format) => format.about().what.into(),
            Self::Reference(kinds) => format!("a reference such as `{}`", example(kinds)),
            Self::OneOrList(of) => format!("{} or a list", of.noun()),
            Self::List(_) => "a list".into(),
            Self::Named(..) => "a table".into(),
            Self::Table(table) | Self::SecretSource(table) => match table.short {
                Some(short) => format!("{} or a table", short.shape().noun()),
                None => "a table".into(),
            },
            Self::Any => "a value".into(),
        }
    }

    /// The values in the reference.
    pub fn words(&self) -> String {
        match self {
            Self::String | Self::Argument => "string".into(),
            Self::Text => "string with references".into(),
            Self::Any => "any value except a date".into(),
            Self::Scalar(_) => "string with references, number, true or false".into(),
            Self::Boolean => "true or false".into(),
            Self::Integer(bounds) => format!("integer, {}–{}", bounds.least, bounds.most),
            Self::Formatted(format) => bare(format.about().what),
            Self::Template(format) => format!("{} with references", bare(format.about().what)),
            Self::Word(words) => words.iter().collect::<Vec<_>>().join(" · "),
            Self::Name(kind) => kind.words().into(),
            Self::Reference(kinds) => {
                let kinds: Vec<&str> = kinds.iter().map(|kind| kind.word()).collect();
                format!("reference to {}", bare_or(&kinds))
            }
            Self::OneOrList(of) => format!("{} or list of it", of.words()),
            Self::List(of) => format!("list of {}", of.words()),
            Self::Named(_, of) => format!("named {}", of.words()),
            Self::Table(table) | Self::SecretSource(table) => match table.short {
                Some(short) => format!("{} or {}", short.shape().words(), bare(table.what)),
                None => bare(table.what),
            },
        }
    }
}

/// A reference to the first of some kinds.
pub(super) fn example(kinds: &[RefKind]) -> String {
    format!("{}.NAME", kinds.first().map_or("service", |kind| kind.word()))
}

/// A noun without its article.
fn bare(noun: &str) -> String {
    noun.strip_prefix("a ").or(noun.strip_prefix("an ")).unwrap_or(noun).into()
}

/// `a`, `a or b`, `a, b or c`.
fn bare_or(words: &[&str]) -> String {
    match words.split_last() {
        Some((last, others)) if !others.is_empty() => format!("{} or {last}", others.join(", ")),
        Some((last, _)) => (*last).into(),
        None => String::new(),
    }
}

/// The [`Key::becomes`] of a key that no object shows.
pub const NOTHING: &str = "–";
