//! What a key takes.

use crate::grammar::name::NameKind;
use crate::grammar::{at, duration, image, path, quantity, user};

/// A table and its keys.
#[derive(Debug)]
pub struct TableShape {
    /// What the table is, in a line: `a port`.
    pub what: &'static str,
    /// The keys that a short form of the table stands for.
    pub short_for: &'static [&'static str],
    /// Keys of which it has one.
    pub one_of: &'static [&'static str],
    /// The keys that it may have.
    pub keys: &'static [Key],
}

/// A key of a table.
#[derive(Debug)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// What it takes.
    pub shape: Shape,
    /// What stands in its place when it is left out; `required` if nothing can.
    pub default: &'static str,
    /// What it means, in a sentence.
    pub says: &'static str,
    /// A value, as in a stack file.
    pub example: &'static str,
}

/// The shapes of values.
#[derive(Debug)]
pub enum Shape {
    /// Text, with references in braces.
    Text,
    /// Text without references.
    Plain,
    /// Text with references in braces, a number, `true` or `false`: what a variable can be set to.
    Setting,
    /// `true` or `false`.
    Boolean,
    /// A whole number from the first to the second.
    Number(i64, i64),
    /// Text or a number in a small grammar.
    Small(&'static Grammar),
    /// Text with references in braces, which comes to text in a small grammar.
    TextOf(&'static Grammar),
    /// One of some words.
    Word(&'static [&'static str]),
    /// A name.
    Name(NameKind),
    /// A reference to one of some kinds, such as `volume.data`.
    Reference(&'static [&'static str]),
    /// A value, or a list of such values.
    OneOrList(&'static Shape),
    /// A list of values of one shape.
    List(&'static Shape),
    /// A table with names of people's own.
    Map(NameKind, &'static Shape),
    /// A table with fixed keys.
    Table(&'static TableShape),
    /// A table that says where a secret is kept. Text in its place is the secret itself, in clear:
    /// reading reports that, and hides it.
    Kept(&'static TableShape),
    /// A short form, or a table that says more.
    ShortOr(&'static Shape, &'static TableShape),
}

/// A small grammar: a check of text, and the words to speak of it.
#[derive(Debug)]
pub struct Grammar {
    /// What it is: `a duration`.
    pub what: &'static str,
    /// Whether a TOML number will do as well.
    pub number: bool,
    /// Says what is wrong with a text.
    pub check: fn(&str) -> Result<(), String>,
    /// A right one.
    pub example: &'static str,
}

/// The tag of an image.
pub(super) static TAG: Grammar = Grammar {
    what: "an image's tag",
    number: false,
    check: |text| image::parse(&format!("a:{text}")).map(drop),
    example: "\"1.4.0\"",
};

/// A regular expression.
pub(super) static PATTERN_TEXT: Grammar = Grammar {
    what: "a regular expression",
    number: false,
    check: |text| regex::Regex::new(text).map(drop).map_err(|_| "it can't be read as one".into()),
    example: "'\\d+\\.\\d+'",
};

/// A path to a value.
pub(super) static PATH: Grammar = Grammar {
    what: "a path to a value",
    number: false,
    check: |text| path::parse(text).map(drop),
    example: "\"env.DEBUG\"",
};

/// A duration.
pub(super) static DURATION: Grammar = Grammar {
    what: "a duration",
    number: false,
    check: |text| duration::parse(text).map(drop),
    example: "\"30s\"",
};

/// An amount of bytes.
pub(super) static BYTES: Grammar = Grammar {
    what: "an amount of bytes",
    number: false,
    check: |text| quantity::bytes(text).map(drop),
    example: "\"512Mi\"",
};

/// A range of bytes.
pub(super) static BYTE_BOUNDS: Grammar = Grammar {
    what: "an amount of memory, or a range request..limit",
    number: false,
    check: |text| quantity::byte_bounds(text).map(drop),
    example: "\"128Mi..256Mi\"",
};

/// A range of processor.
pub(super) static CPU_BOUNDS: Grammar = Grammar {
    what: "an amount of processor, or a range request..limit",
    number: true,
    check: |text| quantity::cpu_bounds(text).map(drop),
    example: "\"100m..1\"",
};

/// An image reference.
pub(super) static IMAGE: Grammar = Grammar {
    what: "an image reference",
    number: false,
    check: |text| image::parse(text).map(drop),
    example: "\"registry.example/tidedesk/gateway:2.1\"",
};

/// A user.
pub(super) static USER: Grammar = Grammar {
    what: "a user number, or \"user:group\"",
    number: true,
    check: |text| user::parse(text).map(drop),
    example: "10001",
};

/// Where a port is to be found from outside.
pub(super) static OUTSIDE: Grammar = Grammar {
    what: "a port number, \"auto\" or a range",
    number: true,
    check: |text| at::parse(text).map(drop),
    example: "8000",
};

impl Shape {
    /// What it takes, in few words, as messages say it.
    pub(super) fn noun(&self) -> String {
        match self {
            Self::Text | Self::Plain | Self::Word(_) | Self::Name(_) => "text".into(),
            Self::Setting => "text, a number, true or false".into(),
            Self::Number(..) => "a whole number".into(),
            Self::OneOrList(of) => format!("{}, or a list", of.noun()),
            Self::List(_) => "a list".into(),
            Self::Map(..) | Self::Table(_) | Self::Kept(_) => "a table".into(),
            Self::ShortOr(short, table) => format!("{}, or {}", short.noun(), table.what),
            Self::Boolean | Self::Small(_) | Self::Reference(_) => self.words(),
            Self::TextOf(grammar) => grammar.what.into(),
        }
    }

    /// What it takes, in words, as the reference says it.
    pub fn words(&self) -> String {
        match self {
            Self::Text => "text, references in braces".into(),
            Self::Plain => "text".into(),
            Self::Setting => "text with references in braces, a number, true or false".into(),
            Self::Boolean => "true or false".into(),
            Self::Number(least, most) => format!("a whole number from {least} to {most}"),
            Self::Small(grammar) => grammar.what.into(),
            Self::TextOf(grammar) => format!("{}, references in braces", grammar.what),
            Self::Word(words) => words.join(" · "),
            Self::Name(_) => "a name".into(),
            Self::Reference(kinds) => {
                let kinds: Vec<String> = kinds.iter().map(|kind| format!("{kind}.NAME")).collect();
                format!("a reference: {}", kinds.join(", "))
            }
            Self::OneOrList(of) => format!("{}, or a list of such", of.words()),
            Self::List(of) => format!("a list; each is {}", of.words()),
            Self::Map(_, of) => format!("a table of names; each is {}", of.words()),
            Self::Table(table) | Self::Kept(table) => table.what.into(),
            Self::ShortOr(short, table) => format!("{}, or {}", short.words(), table.what),
        }
    }
}
