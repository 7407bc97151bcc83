//! The error of all grammars: why a value is invalid.

use std::borrow::Cow;
use std::error::Error;
use std::fmt;
use std::ops::Deref;

/// Why a value is invalid, in a few words: `unit missing: ms, s, m, h or d`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invalid {
    reason: Cow<'static, str>,
    /// The valid value that is probably meant.
    meant: Option<&'static str>,
}

impl Invalid {
    /// A reason, with the valid value that is probably meant.
    pub(crate) fn meant(reason: &'static str, meant: Option<&'static str>) -> Self {
        Self { reason: reason.into(), meant }
    }

    /// The valid value that is probably meant.
    pub(crate) fn near(&self) -> Option<&'static str> {
        self.meant
    }
}

impl fmt::Display for Invalid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.reason)
    }
}

impl Error for Invalid {}

impl Deref for Invalid {
    type Target = str;

    fn deref(&self) -> &str {
        &self.reason
    }
}

impl From<&'static str> for Invalid {
    fn from(reason: &'static str) -> Self {
        Self { reason: reason.into(), meant: None }
    }
}

impl From<String> for Invalid {
    fn from(reason: String) -> Self {
        Self { reason: reason.into(), meant: None }
    }
}

impl From<Invalid> for String {
    fn from(invalid: Invalid) -> Self {
        invalid.reason.into_owned()
    }
}
