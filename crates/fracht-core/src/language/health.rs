//! `health` of a service or a helper.

use super::shape::{DURATION, Key, Shape, TableShape};
use crate::grammar::name::NameKind;

pub(super) const HEALTH_KEY: Key = Key {
    name: "health",
    shape: Shape::Table(&HEALTH),
    default: "none",
    becomes: "startup, readiness and liveness probes",
    says: "How to see that it works.",
    example: "{ http = \"/healthz\", boot = \"45s\" }",
};

/// `health`.
pub(super) static HEALTH: TableShape = TableShape {
    what: "a table of a health check",
    short_for: &[],
    one_of: &["http", "tcp", "grpc", "run"],
    keys: &[
        Key {
            name: "http",
            shape: Shape::Plain,
            default: "one of http, tcp, grpc and run is required",
            becomes: "an HTTP GET",
            says: "The path to ask for; 200 to 399 is well.",
            example: "\"/healthz\"",
        },
        Key {
            name: "tcp",
            shape: Shape::Name(NameKind::Port),
            default: "one of http, tcp, grpc and run is required",
            becomes: "a TCP connection",
            says: "The port to connect to, by name.",
            example: "\"sql\"",
        },
        Key {
            name: "grpc",
            shape: Shape::Name(NameKind::Port),
            default: "one of http, tcp, grpc and run is required",
            becomes: "a gRPC health check",
            says: "The port that answers the gRPC health checking protocol, by name.",
            example: "\"rpc\"",
        },
        Key {
            name: "run",
            shape: Shape::List(&Shape::Plain),
            default: "one of http, tcp, grpc and run is required",
            becomes: "a command in the container",
            says: "The program to run in the container; it ends with 0 when all is well.",
            example: "[\"pg_isready\", \"-q\"]",
        },
        Key {
            name: "port",
            shape: Shape::Name(NameKind::Port),
            default: "the only TCP port",
            becomes: "the port of the HTTP GET",
            says: "The port that `http` asks at, by name.",
            example: "\"http\"",
        },
        Key {
            name: "every",
            shape: Shape::Small(&DURATION),
            default: "5s",
            becomes: "periodSeconds",
            says: "The time between two checks.",
            example: "\"3s\"",
        },
        Key {
            name: "timeout",
            shape: Shape::Small(&DURATION),
            default: "2s",
            becomes: "timeoutSeconds",
            says: "The time that an answer may take.",
            example: "\"1s\"",
        },
        Key {
            name: "boot",
            shape: Shape::Small(&DURATION),
            default: "30s",
            becomes: "the startup probe's failureThreshold: boot divided by every",
            says: "The time that it may take to start.",
            example: "\"60s\"",
        },
        Key {
            name: "fails",
            shape: Shape::Number(1, 1000),
            default: "3",
            becomes: "the readiness probe's failureThreshold",
            says: "Checks failed in a row until it gets no more traffic.",
            example: "2",
        },
        Key {
            name: "restart-after",
            shape: Shape::Number(0, 1000),
            default: "6",
            becomes: "the liveness probe's failureThreshold",
            says: "Checks failed in a row until it is restarted; 0 is never.",
            example: "10",
        },
    ],
};
