//! `[outside.NAME]`.

use std::net::IpAddr;
use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{Field, Template, formatted, name, named, template};
use super::format;
use super::port::PORT_NUMBER;
use super::shape::{Key, TableShape};
use crate::grammar::name::NameKind;

pub(crate) static HOST: Field<Template> = Field {
    key: Key {
        name: "host",
        default: "required: `host`, `address` or `service`",
        becomes: "a Service with that external name; `{outside.NAME}` is the host itself",
        description: "Host name.",
        example: "\"feed.buoys.example\"",
    },
    takes: template(&format::HOST),
};
pub(crate) static ADDRESS: Field<IpAddr> = Field {
    key: Key {
        name: "address",
        default: "required: `host`, `address` or `service`",
        becomes: "a Service with an EndpointSlice",
        description: "IP address.",
        example: "\"192.0.2.10\"",
    },
    takes: formatted(&format::ADDRESS),
};
pub(crate) static SERVICE: Field<Arc<str>> = Field {
    key: Key {
        name: "service",
        default: "required: `host`, `address` or `service`",
        becomes: "nothing: `{outside.NAME}` is that Service",
        description: "Name of a Service that is already in the cluster, such as a service of another stack.",
        example: "\"readings\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static NAMESPACE: Field<Arc<str>> = Field {
    key: Key {
        name: "namespace",
        default: "the target's namespace",
        becomes: "part of the name: `SERVICE.NAMESPACE.svc`",
        description: "Namespace of that Service.",
        example: "\"harbour-office\"",
    },
    takes: name(NameKind::Namespace),
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
    one_of: &[&HOST, &ADDRESS, &SERVICE],
    groups: &[&[&HOST, &ADDRESS, &SERVICE, &NAMESPACE, &PORT, &ALLOW]],
};
