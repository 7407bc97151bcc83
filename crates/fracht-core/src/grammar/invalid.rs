//! The error of all grammars: why a value is invalid.

use std::borrow::Cow;
use std::error::Error;
use std::fmt;
use std::ops::Deref;

/// Why a value is invalid, in a few words: `unit missing: ms, s, m, h or d`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invalid(Cow<'static, str>);

impl fmt::Display for Invalid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl Error for Invalid {}

impl Deref for Invalid {
    type Target = str;

    fn deref(&self) -> &str {
        &self.0
    }
}

impl From<&'static str> for Invalid {
    fn from(reason: &'static str) -> Self {
        Self(reason.into())
    }
}

impl From<String> for Invalid {
    fn from(reason: String) -> Self {
        Self(reason.into())
    }
}

impl From<Invalid> for String {
    fn from(invalid: Invalid) -> Self {
        invalid.0.into_owned()
    }
}
