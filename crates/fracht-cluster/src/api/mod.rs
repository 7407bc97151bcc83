//! The Kubernetes objects that Fracht writes, with just the fields that it writes.
//!
//! Fields are declared in the order in which people write them, and are written in that order. A field without a value
//! is left out. Tests read every written object back into the types of the whole API.

mod apps;
mod autoscaling;
mod batch;
mod core;
mod discovery;
mod gateway;
mod meta;
mod networking;
mod pod;
mod policy;
mod rbac;
mod scalar;
mod storage;

pub(crate) use apps::*;
pub(crate) use autoscaling::*;
pub(crate) use batch::*;
pub(crate) use core::*;
pub(crate) use discovery::*;
pub(crate) use gateway::*;
pub(crate) use meta::*;
pub(crate) use networking::*;
pub(crate) use pod::*;
pub(crate) use policy::*;
pub(crate) use rbac::*;
pub(crate) use scalar::{Bytes, IntOrName, Map, Str};
use serde::Serialize;
use serde_json::Value;
pub(crate) use storage::*;

/// A part of an object, or a whole one, as JSON.
#[expect(
    clippy::expect_used,
    reason = "plain data with texts as keys is JSON; only hand-written code could fail"
)]
pub(crate) fn json(part: &impl Serialize) -> Value {
    serde_json::to_value(part).expect("plain data")
}

/// A value as the text of JSON.
#[expect(clippy::expect_used, reason = "a value is JSON")]
pub(crate) fn json_bytes(value: &Value) -> Vec<u8> {
    serde_json::to_vec(value).expect("a value")
}

/// A field of an object.
pub(crate) trait Field {
    /// Whether it has no value, so that it is left out.
    fn is_absent(&self) -> bool {
        false
    }
}

impl<T> Field for Option<T> {
    fn is_absent(&self) -> bool {
        self.is_none()
    }
}

impl<T> Field for Vec<T> {
    fn is_absent(&self) -> bool {
        self.is_empty()
    }
}

/// Parts of objects: structs whose fields are written in their order, without those that have no value.
macro_rules! parts {
    ($($(#[$note:meta])* $name:ident { $($(#[$spelt:meta])* $field:ident: $kind:ty,)* })*) => { $(
        $(#[$note])*
        #[derive(Clone, Debug, Default, PartialEq, serde::Serialize)]
        #[serde(rename_all = "camelCase")]
        #[allow(clippy::struct_field_names, reason = "the names are those of the API")]
        pub(crate) struct $name {
            $(
                $(#[$spelt])*
                #[serde(skip_serializing_if = "crate::api::Field::is_absent")]
                pub(crate) $field: $kind,
            )*
        }

        impl crate::api::Field for $name {}
    )* };
}

/// Objects: parts that start with the version of their API and their kind.
macro_rules! kinds {
    ($($(#[$note:meta])* $version:literal $name:ident { $($field:ident: $kind:ty,)* })*) => { $(
        $(#[$note])*
        #[derive(Clone, Debug, PartialEq, serde::Serialize)]
        #[serde(rename_all = "camelCase")]
        pub(crate) struct $name {
            api_version: &'static str,
            kind: &'static str,
            $(
                #[serde(skip_serializing_if = "crate::api::Field::is_absent")]
                pub(crate) $field: $kind,
            )*
        }

        impl $name {
            /// The object, with its parts.
            pub(crate) fn new($($field: $kind),*) -> Self {
                Self { api_version: $version, kind: stringify!($name), $($field),* }
            }
        }
    )* };
}

pub(crate) use {kinds, parts};
