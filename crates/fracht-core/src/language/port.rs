//! `port.NAME` of a service or a sidecar.

use std::sync::Arc;

use super::field::{
    Field, STRING, Table, Takes, Template, formatted, integer, named, reference, scalar, table, template,
    words,
};
use super::format;
use super::health;
use super::shape::{Group, IntegerBounds, Key, Short, TableShape};
use crate::diag::reading::PORT_RANGE;
use crate::grammar::at::At;
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::model::{Protocol, Reach};

pub(crate) static PORT: Field<Table> = Field {
    key: Key {
        name: "port",
        default: "none",
        becomes: "the container's ports, and Services",
        description: "Ports that it listens on, by name.",
        example: "{ http = 8080 }",
    },
    takes: named(NameKind::Port, table(&PORT_TABLE)),
};

/// The number of a port (RFC 6335, section 6).
pub(super) const PORT_NUMBER: Takes<u16> = integer(&NUMBERS);
static NUMBERS: IntegerBounds = IntegerBounds { least: 1, most: 65535, rule: &PORT_RANGE };

pub(crate) static NUMBER: Field<u16> = Field {
    key: Key {
        name: "number",
        default: "required",
        becomes: "containerPort",
        description: "Port number that the container listens on.",
        example: "8080",
    },
    takes: PORT_NUMBER,
};
pub(crate) static PROTOCOL: Field<Protocol> = Field {
    key: Key {
        name: "protocol",
        default: "tcp",
        becomes: "protocol",
        description: "Transport protocol.",
        example: "\"udp\"",
    },
    takes: words(),
};
pub(crate) static REACH: Field<Reach> = Field {
    key: Key {
        name: "reach",
        default: "stack",
        becomes: "Services of type NodePort and LoadBalancer, Ingress or HTTPRoute",
        description: "Who can reach the port.",
        example: "\"balancer\"",
    },
    takes: words(),
};
pub(crate) static AT: Field<At> = Field {
    key: Key {
        name: "at",
        default: "auto; on a load balancer the internal number",
        becomes: "nodePort, or the port of the LoadBalancer",
        description: "Port number for clients outside the stack.",
        example: "\"8000..\"",
    },
    takes: formatted(&format::AT),
};
pub(crate) static AS: Field<u16> = Field {
    key: Key {
        name: "as",
        default: "number",
        becomes: "port of the Service",
        description: "Port number inside the stack; on a machine it is always `number`.",
        example: "80",
    },
    takes: PORT_NUMBER,
};
pub(crate) static HOST: Field<Template> = Field {
    key: Key {
        name: "host",
        default: "the target's domain",
        becomes: "the host of the web entry",
        description: "Host name on the web.",
        example: "\"api.{target.domain}\"",
    },
    takes: template(&format::ENTRY_HOST),
};
pub(crate) static PATH: Field<Arc<str>> = Field {
    key: Key {
        name: "path",
        default: "/",
        becomes: "the path of the web entry, as a prefix",
        description: "Prefix of the request path.",
        example: "\"/api\"",
    },
    takes: STRING,
};

pub(crate) static LOGIN: Field<Table> = Field {
    key: Key {
        name: "login",
        default: "from the variables of the service",
        becomes: "–",
        description: "Who may log in there: `fracht reach` tells how to read it.",
        example: "{ user = \"harbour\", password = \"secret.site/admin\" }",
    },
    takes: table(&LOGIN_TABLE),
};

pub(crate) static USER: Field<Template> = Field {
    key: Key {
        name: "user",
        default: "none",
        becomes: "–",
        description: "User name.",
        example: "\"harbour\"",
    },
    takes: scalar(References::All),
};
pub(crate) static PASSWORD: Field<Reference> = Field {
    key: Key {
        name: "password",
        default: "none",
        becomes: "–",
        description: "Key of a secret with the password.",
        example: "\"secret.site/admin\"",
    },
    takes: reference(&[RefKind::Secret]),
};

pub(crate) static NOTE: Field<Template> = Field {
    key: Key {
        name: "note",
        default: "none",
        becomes: "annotations of the Ingress or HTTPRoute, or of the Service for its `reach`",
        description: "Annotations of the object that leads to the port.",
        example: "{ \"harbour.example/internal\" = \"true\" }",
    },
    takes: named(NameKind::Qualified, scalar(References::Known)),
};

/// `port.NAME.login`.
pub(crate) static LOGIN_TABLE: TableShape =
    TableShape { what: "a login table", short: None, one_of: &[], groups: &[&[&USER, &PASSWORD]] };

/// `port.NAME`.
pub(crate) static PORT_TABLE: TableShape = TableShape {
    what: "a port table",
    short: Some(Short::Key(&NUMBER)),
    one_of: &[],
    groups: &[&[&NUMBER, &PROTOCOL, &REACH, &AT, &AS, &HOST, &PATH, &LOGIN, &NOTE]],
};

/// The keys of containers with ports: those of services and sidecars.
pub(super) static LISTENING: Group = &[&PORT, &health::HEALTH];
