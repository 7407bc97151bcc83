//! `[outside.NAME]`.

use super::shape::{ADDRESS, HOST, Key, Shape, TableShape};
use crate::grammar::name::NameKind;

/// `[outside.NAME]`.
pub(super) static OUTSIDE: TableShape = TableShape {
    what: "something outside",
    short_for: &[],
    one_of: &["host", "address"],
    keys: &[
        Key {
            name: "host",
            shape: Shape::TextOf(&HOST),
            default: "one of host and address is required",
            becomes: "a Service with that external name; `{outside.NAME}` is the host itself",
            says: "Its host name.",
            example: "\"feed.buoys.example\"",
        },
        Key {
            name: "address",
            shape: Shape::Small(&ADDRESS),
            default: "one of host and address is required",
            becomes: "a Service with an EndpointSlice",
            says: "Its address.",
            example: "\"192.0.2.10\"",
        },
        Key {
            name: "port",
            shape: Shape::Map(NameKind::Port, &Shape::Number(1, 65535)),
            default: "none",
            becomes: "the ports of the Service",
            says: "The ports that it is used at, by name.",
            example: "{ feed = 443 }",
        },
    ],
};
