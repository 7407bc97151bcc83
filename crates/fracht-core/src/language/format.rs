//! The formats of strings and numbers: the parser of a grammar, with its documentation.

use std::fmt::{self, Debug, Formatter};
use std::net::IpAddr;
use std::sync::Arc;
use std::time::Duration;

use crate::diag::Rule;
use crate::diag::reading::{BAD_VALUE, ENV_NAME, SCHEDULE_INVALID};
use crate::grammar::at::{self, At};
use crate::grammar::image::{self, Image};
use crate::grammar::invalid::Invalid;
use crate::grammar::make::{self, Make};
use crate::grammar::pattern::{self, Pattern};
use crate::grammar::platform::{self, Platform};
use crate::grammar::quantity::{self, Bounds, Quantity};
use crate::grammar::schedule::{self, Schedule};
use crate::grammar::share::{self, Share};
use crate::grammar::user::{self, User};
use crate::grammar::{duration, host, mode, name, path};

/// A format whose values are read as `T`.
pub struct Format<T> {
    /// Its documentation.
    pub about: About,
    /// Reads a value.
    ///
    /// # Errors
    /// Why the value is invalid.
    pub parse: fn(&str) -> Result<T, Invalid>,
}

/// The documentation of a format.
#[derive(Debug)]
pub struct About {
    /// Its name with an article: `a duration`.
    pub what: &'static str,
    /// A valid value, as in a stack file.
    pub example: &'static str,
    /// Set if the value may be a TOML number as well as a string.
    pub number: bool,
    /// The rule that an invalid value fails.
    pub rule: &'static Rule,
}

/// A format whatever its type.
pub trait AnyFormat: Debug + Sync {
    /// Its documentation.
    fn about(&self) -> &About;
    /// Checks a value.
    ///
    /// # Errors
    /// Why the value is invalid.
    fn check(&self, text: &str) -> Result<(), Invalid>;
}

impl<T> Debug for Format<T> {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(self.about.what)
    }
}

impl<T> AnyFormat for Format<T> {
    fn about(&self) -> &About {
        &self.about
    }

    fn check(&self, text: &str) -> Result<(), Invalid> {
        (self.parse)(text).map(drop)
    }
}

/// A format whose values are strings.
const fn text<T>(
    what: &'static str,
    example: &'static str,
    parse: fn(&str) -> Result<T, Invalid>,
) -> Format<T> {
    Format { about: About { what, example, number: false, rule: &BAD_VALUE }, parse }
}

/// A format whose values are strings or numbers.
const fn number<T>(
    what: &'static str,
    example: &'static str,
    parse: fn(&str) -> Result<T, Invalid>,
) -> Format<T> {
    Format { about: About { what, example, number: true, rule: &BAD_VALUE }, parse }
}

/// The tag of an image.
pub(super) static TAG: Format<Image> =
    text("an image tag", "\"1.4.0\"", |text| image::parse(&format!("a:{text}")));

/// The prefix of variables.
pub(super) static PREFIX: Format<Arc<str>> = Format {
    about: About { what: "a prefix of variable names", example: "\"APP_\"", number: false, rule: &ENV_NAME },
    parse: |text| name::prefix(text).map(|()| text.into()),
};
/// A regular expression.
pub(super) static PATTERN: Format<Pattern> = text("a regular expression", "'\\d+\\.\\d+'", pattern::parse);

/// A path to a value.
pub(super) static PATH: Format<Vec<String>> = text("a path to a value", "\"env.DEBUG\"", path::parse);

/// A duration.
pub(super) static DURATION: Format<Duration> = text("a duration", "\"30s\"", duration::parse);

/// A duration longer than 0.
pub(super) static TIME: Format<Duration> = text("a duration", "\"30s\"", duration::some);

/// A size in bytes.
pub(super) static SIZE: Format<Quantity> = text("a size", "\"512Mi\"", quantity::bytes);

/// A request and a limit in bytes.
pub(super) static MEMORY: Format<Bounds> =
    text("a size or a range request..limit", "\"128Mi..256Mi\"", quantity::byte_bounds);

/// A request and a limit of CPU.
pub(super) static CPU: Format<Bounds> =
    number("a CPU quantity or a range request..limit", "\"100m..1\"", quantity::cpu_bounds);

/// An image reference.
pub(super) static IMAGE: Format<Image> =
    text("an image reference", "\"registry.example/tidedesk/gateway:2.1\"", image::parse);

/// A user, optionally with a group.
pub(super) static USER: Format<User> = number("a user ID or \"uid:gid\"", "10001", user::parse);

/// The number of a port for clients outside the stack.
pub(super) static AT: Format<At> = number("a port number, \"auto\" or a range", "8000", at::parse);

/// A platform.
pub(super) static PLATFORM: Format<Platform> = text("a platform", "\"linux/amd64\"", platform::parse);

/// Times at which a task runs.
pub(super) static SCHEDULE: Format<Schedule> = Format {
    about: About { what: "a schedule", example: "\"15 3 * * *\"", number: false, rule: &SCHEDULE_INVALID },
    parse: schedule::parse,
};

/// A time zone.
pub(super) static ZONE: Format<Arc<str>> =
    text("a time zone", "\"Europe/Berlin\"", |text| schedule::zone(text).map(|()| text.into()));

/// A number or a percentage.
pub(super) static SHARE: Format<Share> = number("a number or a percentage", "\"25%\"", share::parse);

/// A percentage.
pub(super) static PERCENT: Format<u32> = text("a percentage", "\"70%\"", share::percent);

/// A host name.
pub(super) static HOST: Format<Arc<str>> =
    text("a host name", "\"tides.example\"", |text| host::name(text).map(|()| text.into()));

/// The host name of a web entry.
pub(super) static ENTRY_HOST: Format<Arc<str>> =
    text("a host name, maybe with * as its first label", "\"*.tides.example\"", |text| {
        host::entry(text).map(|()| text.into())
    });

/// A registry, optionally with the start of a repository.
pub(super) static REGISTRY: Format<Arc<str>> =
    text("a registry", "\"registry.example/tidedesk\"", |text| image::registry(text).map(|()| text.into()));

/// An IP address.
pub(super) static ADDRESS: Format<IpAddr> = text("an IP address", "\"192.0.2.10\"", host::address);

/// A CIDR block.
pub(super) static BLOCK: Format<Arc<str>> =
    text("a CIDR block", "\"192.0.2.10/32\"", |text| host::block(text).map(|()| text.into()));

/// How to make a secret.
pub(super) static MAKE: Format<Make> = text("how to make a secret", "\"24 letters\"", make::parse);

/// Permission bits.
pub(super) static MODE: Format<u16> = text("a mode in octal", "\"0440\"", mode::parse);
