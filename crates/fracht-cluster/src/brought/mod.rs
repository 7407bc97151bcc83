//! What people bring: objects that are passed through, and patches.

mod beyond;
pub(crate) mod early;
pub(crate) mod passed;
pub(crate) mod patch;
mod place;
mod strict;

pub(crate) use self::passed::{Home, PassedObject};
