//! `port.NAME` of a service or a helper.

use super::shape::{ENTRY_HOST, Key, OUTSIDE, Shape, TableShape};
use crate::grammar::name::NameKind;

pub(super) const PORT_KEY: Key = Key {
    name: "port",
    shape: Shape::Map(NameKind::Port, &Shape::ShortOr(&Shape::Number(1, 65535), &PORT)),
    default: "none",
    becomes: "the container's ports, and Services",
    says: "The ports that it listens on, by name.",
    example: "{ http = 8080 }",
};

/// `port.NAME`.
pub(super) static PORT: TableShape = TableShape {
    what: "a table of a port's settings",
    short_for: &["number"],
    one_of: &[],
    keys: &[
        Key {
            name: "number",
            shape: Shape::Number(1, 65535),
            default: "required",
            becomes: "containerPort",
            says: "The number that the container listens on.",
            example: "8080",
        },
        Key {
            name: "protocol",
            shape: Shape::Word(&["tcp", "udp", "sctp"]),
            default: "tcp",
            becomes: "protocol",
            says: "The transport protocol.",
            example: "\"udp\"",
        },
        Key {
            name: "reach",
            shape: Shape::Word(&["stack", "node", "balancer", "web"]),
            default: "stack",
            becomes: "Services of type NodePort and LoadBalancer, Ingress or HTTPRoute",
            says: "Who can get to it.",
            example: "\"balancer\"",
        },
        Key {
            name: "at",
            shape: Shape::Small(&OUTSIDE),
            default: "auto; for a balancer the port's inner number",
            becomes: "nodePort, or the port of the LoadBalancer",
            says: "The number that those outside use.",
            example: "\"8000..\"",
        },
        Key {
            name: "as",
            shape: Shape::Number(1, 65535),
            default: "number",
            becomes: "port of the Service",
            says: "The number that others in the stack use.",
            example: "80",
        },
        Key {
            name: "host",
            shape: Shape::TextOf(&ENTRY_HOST),
            default: "the target's domain",
            becomes: "the host of the web entry",
            says: "The host name that the web reaches it by.",
            example: "\"api.{target.domain}\"",
        },
        Key {
            name: "path",
            shape: Shape::Plain,
            default: "/",
            becomes: "the path of the web entry, as a prefix",
            says: "What the paths begin with that the web reaches it by.",
            example: "\"/api\"",
        },
    ],
};
