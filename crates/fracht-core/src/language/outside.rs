//! `[outside.NAME]`.

use std::net::IpAddr;

use super::allow::ALLOW;
use super::field::{Field, Template, formatted, named, template};
use super::format;
use super::port::PORT_NUMBER;
use super::shape::{Key, TableShape};
use crate::grammar::name::NameKind;

pub(crate) static HOST: Field<Template> = Field {
    key: Key {
        name: "host",
        default: "required: `host` or `address`",
        becomes: "a Service with that external name; `{outside.NAME}` is the host itself",
        description: "Host name.",
        example: "\"feed.buoys.example\"",
    },
    takes: template(&format::HOST),
};
pub(crate) static ADDRESS: Field<IpAddr> = Field {
    key: Key {
        name: "address",
        default: "required: `host` or `address`",
        becomes: "a Service with an EndpointSlice",
        description: "IP address.",
        example: "\"192.0.2.10\"",
    },
    takes: formatted(&format::ADDRESS),
};
pub(crate) static PORT: Field<u16> = Field {
    key: Key {
        name: "port",
        default: "none",
        becomes: "the ports of the Service",
        description: "Ports that are used, by name.",
        example: "{ feed = 443 }",
    },
    takes: named(NameKind::Port, PORT_NUMBER),
};

/// `[outside.NAME]`.
pub(crate) static OUTSIDE_TABLE: TableShape = TableShape {
    what: "an external service",
    short: None,
    one_of: &[&HOST, &ADDRESS],
    groups: &[&[&HOST, &ADDRESS, &PORT, &ALLOW]],
};
