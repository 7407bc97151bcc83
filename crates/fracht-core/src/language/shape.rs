//! What a key takes.

use crate::grammar::name::NameKind;
use crate::grammar::{at, duration, host, image, mode, path, platform, quantity, schedule, share, user};
use crate::input;

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
    /// What it becomes in a cluster's objects.
    pub becomes: &'static str,
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
    /// A value of any shape.
    Any,
    /// A short form, or a table that says more.
    ShortOr(&'static Shape, &'static TableShape),
}

/// A small grammar: a check of text, and the words to speak of it.
#[derive(Debug)]
pub struct Grammar {
    /// The rule that a wrong one fails.
    pub rule: &'static str,
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
    rule: "bad-value",
    what: "an image's tag",
    number: false,
    check: |text| image::parse(&format!("a:{text}")).map(drop),
    example: "\"1.4.0\"",
};

/// A regular expression.
pub(super) static PATTERN_TEXT: Grammar = Grammar {
    rule: "bad-value",
    what: "a regular expression",
    number: false,
    check: |text| input::pattern(text).map(drop),
    example: "'\\d+\\.\\d+'",
};

/// A path to a value.
pub(super) static PATH: Grammar = Grammar {
    rule: "bad-value",
    what: "a path to a value",
    number: false,
    check: |text| path::parse(text).map(drop),
    example: "\"env.DEBUG\"",
};

/// A duration.
pub(super) static DURATION: Grammar = Grammar {
    rule: "bad-value",
    what: "a duration",
    number: false,
    check: |text| duration::parse(text).map(drop),
    example: "\"30s\"",
};

/// A duration that is more than nothing.
pub(super) static TIME: Grammar = Grammar {
    rule: "bad-value",
    what: "a duration",
    number: false,
    check: |text| duration::some(text).map(drop),
    example: "\"30s\"",
};

/// An amount of bytes.
pub(super) static BYTES: Grammar = Grammar {
    rule: "bad-value",
    what: "an amount of bytes",
    number: false,
    check: |text| quantity::bytes(text).map(drop),
    example: "\"512Mi\"",
};

/// A range of bytes.
pub(super) static BYTE_BOUNDS: Grammar = Grammar {
    rule: "bad-value",
    what: "an amount of memory, or a range request..limit",
    number: false,
    check: |text| quantity::byte_bounds(text).map(drop),
    example: "\"128Mi..256Mi\"",
};

/// A range of processor.
pub(super) static CPU_BOUNDS: Grammar = Grammar {
    rule: "bad-value",
    what: "an amount of processor, or a range request..limit",
    number: true,
    check: |text| quantity::cpu_bounds(text).map(drop),
    example: "\"100m..1\"",
};

/// An image reference.
pub(super) static IMAGE: Grammar = Grammar {
    rule: "bad-value",
    what: "an image reference",
    number: false,
    check: |text| image::parse(text).map(drop),
    example: "\"registry.example/tidedesk/gateway:2.1\"",
};

/// A user.
pub(super) static USER: Grammar = Grammar {
    rule: "bad-value",
    what: "a user number, or \"user:group\"",
    number: true,
    check: |text| user::parse(text).map(drop),
    example: "10001",
};

/// Where a port is to be found from outside.
pub(super) static OUTSIDE: Grammar = Grammar {
    rule: "bad-value",
    what: "a port number, \"auto\" or a range",
    number: true,
    check: |text| at::parse(text).map(drop),
    example: "8000",
};

/// A platform.
pub(super) static PLATFORM: Grammar = Grammar {
    rule: "bad-value",
    what: "a platform",
    number: false,
    check: |text| platform::parse(text).map(drop),
    example: "\"linux/amd64\"",
};

/// Times at which a task runs.
pub(super) static SCHEDULE: Grammar = Grammar {
    rule: "schedule-invalid",
    what: "a schedule",
    number: false,
    check: |text| schedule::parse(text).map(drop),
    example: "\"15 3 * * *\"",
};

/// A time zone.
pub(super) static ZONE: Grammar = Grammar {
    rule: "bad-value",
    what: "a time zone",
    number: false,
    check: schedule::zone,
    example: "\"Europe/Berlin\"",
};

/// A number or a share.
pub(super) static SHARE: Grammar = Grammar {
    rule: "bad-value",
    what: "a number or a share in percent",
    number: true,
    check: |text| share::parse(text).map(drop),
    example: "\"25%\"",
};

/// A share.
pub(super) static PERCENT: Grammar = Grammar {
    rule: "bad-value",
    what: "a share in percent",
    number: false,
    check: |text| share::percent(text).map(drop),
    example: "\"70%\"",
};

/// A host name.
pub(super) static HOST: Grammar = Grammar {
    rule: "bad-value",
    what: "a host name",
    number: false,
    check: host::name,
    example: "\"tides.example\"",
};

/// A host name of a web entry.
pub(super) static ENTRY_HOST: Grammar = Grammar {
    rule: "bad-value",
    what: "a host name, maybe with * for its first label",
    number: false,
    check: host::entry,
    example: "\"*.tides.example\"",
};

/// A registry, maybe with the beginning of a repository.
pub(super) static REGISTRY: Grammar = Grammar {
    rule: "bad-value",
    what: "a registry",
    number: false,
    check: image::registry,
    example: "\"registry.example/tidedesk\"",
};

/// An address.
pub(super) static ADDRESS: Grammar = Grammar {
    rule: "bad-value",
    what: "an address",
    number: false,
    check: |text| host::address(text).map(drop),
    example: "\"192.0.2.10\"",
};

/// A block of addresses.
pub(super) static BLOCK: Grammar = Grammar {
    rule: "bad-value",
    what: "a block of addresses",
    number: false,
    check: host::block,
    example: "\"192.0.2.10/32\"",
};

/// Permission bits.
pub(super) static MODE: Grammar = Grammar {
    rule: "bad-value",
    what: "a mode in octal",
    number: false,
    check: |text| mode::parse(text).map(drop),
    example: "\"0440\"",
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
            Self::Any => "a value".into(),
        }
    }

    /// What it takes, in words, as the reference says it.
    pub fn words(&self) -> String {
        match self {
            Self::Text => "text, references in braces".into(),
            Self::Plain => "text".into(),
            Self::Any => "any value but a date".into(),
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
