//! `allow`: what a table allows on purpose, with the reason.

use std::sync::Arc;

use super::field::{Field, STRING, named};
use super::shape::Key;
use crate::grammar::name::NameKind;

pub(crate) static ALLOW: Field<Arc<str>> = Field {
    key: Key {
        name: "allow",
        default: "none",
        becomes: "–",
        description: "Rules that it breaks on purpose, each with the reason.",
        example: "{ store-exposed = \"read-only replica for the harbour office\" }",
    },
    takes: named(NameKind::Rule, STRING),
};
