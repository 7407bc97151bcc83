//! `health` of a service or a sidecar.

use std::sync::Arc;
use std::time::Duration;

use super::field::{ARGUMENT, Field, STRING, Table, formatted, integer, list, name, table};
use super::format;
use super::shape::{IntegerBounds, Key, TableShape};
use crate::diag::reading::BAD_VALUE;
use crate::grammar::name::NameKind;

pub(crate) static HEALTH: Field<Table> = Field {
    key: Key {
        name: "health",
        default: "none",
        becomes: "startup, readiness and liveness probes",
        description: "Health check of the service.",
        example: "{ http = \"/healthz\", boot = \"45s\" }",
    },
    takes: table(&HEALTH_TABLE),
};

pub(crate) static HTTP: Field<Arc<str>> = Field {
    key: Key {
        name: "http",
        default: "required: `http`, `tcp`, `grpc` or `run`",
        becomes: "an HTTP GET",
        description: "Path to request; status 200 to 399 means healthy.",
        example: "\"/healthz\"",
    },
    takes: STRING,
};
pub(crate) static TCP: Field<Arc<str>> = Field {
    key: Key {
        name: "tcp",
        default: "required: `http`, `tcp`, `grpc` or `run`",
        becomes: "a TCP connection",
        description: "Name of the port to connect to.",
        example: "\"sql\"",
    },
    takes: name(NameKind::Port),
};
pub(crate) static GRPC: Field<Arc<str>> = Field {
    key: Key {
        name: "grpc",
        default: "required: `http`, `tcp`, `grpc` or `run`",
        becomes: "a gRPC health check",
        description: "Name of the port that answers the gRPC health checking protocol.",
        example: "\"rpc\"",
    },
    takes: name(NameKind::Port),
};
pub(crate) static RUN: Field<Arc<str>> = Field {
    key: Key {
        name: "run",
        default: "required: `http`, `tcp`, `grpc` or `run`",
        becomes: "a command in the container",
        description: "Program to run in the container; exit code 0 means healthy.",
        example: "[\"pg_isready\", \"-q\"]",
    },
    takes: list(ARGUMENT),
};
pub(crate) static PORT: Field<Arc<str>> = Field {
    key: Key {
        name: "port",
        default: "the only TCP port",
        becomes: "the port of the HTTP GET",
        description: "Name of the port for the `http` check.",
        example: "\"http\"",
    },
    takes: name(NameKind::Port),
};
pub(crate) static EVERY: Field<Duration> = Field {
    key: Key {
        name: "every",
        default: "5s",
        becomes: "periodSeconds",
        description: "Time between two checks.",
        example: "\"3s\"",
    },
    takes: formatted(&format::DURATION),
};
pub(crate) static TIMEOUT: Field<Duration> = Field {
    key: Key {
        name: "timeout",
        default: "2s",
        becomes: "timeoutSeconds",
        description: "Time limit for an answer.",
        example: "\"1s\"",
    },
    takes: formatted(&format::DURATION),
};
pub(crate) static BOOT: Field<Duration> = Field {
    key: Key {
        name: "boot",
        default: "30s",
        becomes: "the startup probe's failureThreshold: boot divided by every",
        description: "Time allowed for starting, before failed checks count.",
        example: "\"60s\"",
    },
    takes: formatted(&format::DURATION),
};
pub(crate) static FAILS: Field<u32> = Field {
    key: Key {
        name: "fails",
        default: "3",
        becomes: "the readiness probe's failureThreshold",
        description: "Failed checks in a row before traffic stops.",
        example: "2",
    },
    takes: integer(&IntegerBounds { least: 1, most: 1000, rule: &BAD_VALUE }),
};
pub(crate) static RESTART_AFTER: Field<u32> = Field {
    key: Key {
        name: "restart-after",
        default: "6",
        becomes: "the liveness probe's failureThreshold",
        description: "Failed checks in a row before a restart; 0 means never.",
        example: "10",
    },
    takes: integer(&IntegerBounds { least: 0, most: 1000, rule: &BAD_VALUE }),
};

/// `health`.
pub(crate) static HEALTH_TABLE: TableShape = TableShape {
    what: "a health check",
    short: None,
    one_of: &[&HTTP, &TCP, &GRPC, &RUN],
    groups: &[&[&HTTP, &TCP, &GRPC, &RUN, &PORT, &EVERY, &TIMEOUT, &BOOT, &FAILS, &RESTART_AFTER]],
};
