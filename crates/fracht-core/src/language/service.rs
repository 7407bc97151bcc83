//! `[service.NAME]`, and the sidecars beside it.

use std::sync::Arc;

use super::container::{CONTAINER, IMAGE_OR_BUILD};
use super::field::{BOOLEAN, Field, Table, Takes, formatted, integer, name, named, one_or_list, table};
use super::format;
use super::port::LISTENING;
use super::shape::{Group, IntegerBounds, Key, Short, TableShape};
use super::workload::{SPREAD, WORKLOAD};
use crate::diag::reading::BAD_VALUE;
use crate::grammar::name::NameKind;
use crate::grammar::share::Share;

pub(crate) static REPLICAS: Field<Table> = Field {
    key: Key {
        name: "replicas",
        default: "1",
        becomes: "replicas or HorizontalPodAutoscaler; with two or more a PodDisruptionBudget",
        description: "Number of replicas, or a range that follows the load.",
        example: "2",
    },
    takes: table(&REPLICAS_TABLE),
};
pub(crate) static ROLLOUT: Field<Table> = Field {
    key: Key {
        name: "rollout",
        default: "25% more, 25% fewer",
        becomes: "the strategy of the Deployment",
        description: "How a new version replaces the old one.",
        example: "{ surge = 1, down = 0 }",
    },
    takes: table(&ROLLOUT_TABLE),
};
pub(crate) static STABLE_NAMES: Field<bool> = Field {
    key: Key {
        name: "stable-names",
        default: "false; true if it mounts a per-replica volume",
        becomes: "StatefulSet instead of Deployment, and a headless Service",
        description: "Set to true to give each replica a stable name.",
        example: "true",
    },
    takes: BOOLEAN,
};
pub(crate) static BEHIND: Field<Arc<str>> = Field {
    key: Key {
        name: "behind",
        default: "none",
        becomes: "a label that the Services of the other one select",
        description: "Services at whose address it answers as well, such as the stable version of a test version.",
        example: "\"forecast\"",
    },
    takes: one_or_list(name(NameKind::Label)),
};
pub(crate) static BESIDE: Field<Table> = Field {
    key: Key {
        name: "beside",
        default: "none",
        becomes: "init containers that keep running, or end with `once`, in this order",
        description: "Sidecar containers in the same pod, started in their order before the main one.",
        example: "{ exporter = { image = \"registry.example/base/exporter:1.2\" } }",
    },
    takes: named(NameKind::Label, table(&SIDECAR_TABLE)),
};

/// A key of a sidecar.
pub(crate) static ONCE: Field<bool> = Field {
    key: Key {
        name: "once",
        default: "false",
        becomes: "an init container that ends",
        description: "Set to true if it prepares the pod and ends before what follows starts.",
        example: "true",
    },
    takes: BOOLEAN,
};

/// The keys of services alone.
pub(super) static SERVICE: Group = &[&REPLICAS, &ROLLOUT, &STABLE_NAMES, &SPREAD, &BEHIND, &BESIDE];

/// `[service.NAME]`.
pub(crate) static SERVICE_TABLE: TableShape = TableShape {
    what: "a service",
    short: None,
    one_of: IMAGE_OR_BUILD,
    groups: &[CONTAINER, LISTENING, WORKLOAD, SERVICE],
};

/// `beside.NAME`.
pub(crate) static SIDECAR_TABLE: TableShape = TableShape {
    what: "a sidecar",
    short: None,
    one_of: IMAGE_OR_BUILD,
    groups: &[CONTAINER, LISTENING, &[&ONCE]],
};

pub(crate) static MIN: Field<u32> = Field {
    key: Key {
        name: "min",
        default: "1",
        becomes: "minReplicas",
        description: "Minimum number of replicas.",
        example: "2",
    },
    takes: integer(&IntegerBounds { least: 1, most: 100_000, rule: &BAD_VALUE }),
};
pub(crate) static MAX: Field<u32> = Field {
    key: Key {
        name: "max",
        default: "required",
        becomes: "maxReplicas",
        description: "Maximum number of replicas.",
        example: "8",
    },
    takes: integer(&IntegerBounds { least: 1, most: 100_000, rule: &BAD_VALUE }),
};
pub(crate) static LOAD: Field<u32> = Field {
    key: Key {
        name: "cpu",
        default: "80%",
        becomes: "the target utilisation of cpu",
        description: "CPU use to aim for, as a percentage of the request.",
        example: "\"70%\"",
    },
    takes: formatted(&format::PERCENT),
};

/// A fixed number of replicas: the short form of `replicas`.
pub(crate) static COUNT: Takes<u32> = integer(&IntegerBounds { least: 0, most: 100_000, rule: &BAD_VALUE });

/// The long form of `replicas`.
pub(crate) static REPLICAS_TABLE: TableShape = TableShape {
    what: "a replicas table",
    short: Some(Short::Value(COUNT.shape())),
    one_of: &[],
    groups: &[&[&MIN, &MAX, &LOAD]],
};

pub(crate) static SURGE: Field<Share> = Field {
    key: Key {
        name: "surge",
        default: "25%",
        becomes: "maxSurge",
        description: "Extra pods allowed during a rollout.",
        example: "1",
    },
    takes: formatted(&format::SHARE),
};
pub(crate) static DOWN: Field<Share> = Field {
    key: Key {
        name: "down",
        default: "25%",
        becomes: "maxUnavailable",
        description: "Pods that may be unavailable during a rollout.",
        example: "\"10%\"",
    },
    takes: formatted(&format::SHARE),
};

/// `rollout`.
pub(crate) static ROLLOUT_TABLE: TableShape =
    TableShape { what: "a rollout table", short: None, one_of: &[], groups: &[&[&SURGE, &DOWN]] };
