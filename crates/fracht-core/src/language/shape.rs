//! The language as data, without types: the shapes of values, keys and tables.

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
    Integer(&'static Bounds),
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

/// What people read about a key.
#[derive(Debug)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// The value if it is left out, in words; `required` if there is none.
    pub default: &'static str,
    /// What it becomes in Kubernetes objects.
    pub becomes: &'static str,
    /// What the value is or does, in a sentence.
    pub says: &'static str,
    /// A value, as in a stack file.
    pub example: &'static str,
}

/// A field whatever its type: what the check of shapes, layers, traces and the reference need.
pub trait AnyField: Debug + Sync {
    /// What people read about it.
    fn key(&self) -> &Key;
    /// The shape of the whole value.
    fn shape(&'static self) -> Shape;
}

/// Fields that tables share.
pub type Group = &'static [&'static dyn AnyField];

/// A table and its keys.
#[derive(Debug)]
pub struct TableShape {
    /// What the table is, in a few words: `a port`.
    pub what: &'static str,
    /// The value that may stand for the table.
    pub short: Option<Short>,
    /// Keys of which it has one: the one of the later layer wins.
    pub one_of: Group,
    /// The keys that it may have.
    pub groups: &'static [Group],
}

/// The short form of a table.
#[derive(Clone, Copy, Debug)]
pub enum Short {
    /// The value of this key.
    Key(&'static dyn AnyField),
    /// A value that is none of the keys.
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
        self.fields().find(|field| field.key().name == name)
    }
}

/// The bounds of an integer.
#[derive(Debug)]
pub struct Bounds {
    /// The smallest.
    pub least: i64,
    /// The largest.
    pub most: i64,
    /// The rule that one outside fails.
    pub rule: &'static Rule,
}

impl Bounds {
    /// Whether a number is inside.
    pub fn contain(&self, number: i64) -> bool {
        (self.least..=self.most).contains(&number)
    }
}

/// A list of words: gives each by its position.
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
    /// The shape of what stands at `key` below such a value: a key of a table, a name, or an item of a list by its
    /// number.
    pub fn below(&self, key: &str) -> Option<Shape> {
        match self {
            Self::Named(_, of) => Some(**of),
            Self::List(of) | Self::OneOrList(of) => key.parse::<usize>().ok().map(|_| **of),
            _ => self.table()?.field(key).map(AnyField::shape),
        }
    }

    /// The table that such a value is, or that it is short for.
    pub fn table(&self) -> Option<&'static TableShape> {
        match self {
            Self::Table(table) | Self::SecretSource(table) => Some(table),
            _ => None,
        }
    }

    /// Whether it is a table with names of the author's own.
    pub fn is_named(&self) -> bool {
        matches!(self, Self::Named(..))
    }

    /// What it takes, as messages say it: `expected a list`.
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

    /// What it takes, as the reference says it.
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
            Self::Name(_) => "name".into(),
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

/// What a key becomes in Kubernetes objects that has no part in them.
pub const NOTHING: &str = "–";
