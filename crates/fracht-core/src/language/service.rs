//! `[service.NAME]`, and the helpers beside it.

use super::container::{
    ARGS, BEFORE_STOP_KEY, BUILD_KEY, CONFINE, CPU, ENV, IMAGE_KEY, MEMORY, MOUNT_KEY, PROGRAM, RUN_AS,
    USE_KEY, WORKDIR,
};
use super::health::HEALTH_KEY;
use super::port::PORT_KEY;
use super::shape::{Key, PERCENT, SHARE, Shape, TableShape};
use super::workload::{
    AFTER, DROP, LABEL, LIKE, NETWORK, NOTE, PLACE, PLATFORM_KEY, PULL, RIGHTS, ROLE, SPREAD_KEY, STOP_WITHIN,
};
use crate::grammar::name::NameKind;

pub(super) const REPLICAS: Key = Key {
    name: "replicas",
    shape: Shape::ShortOr(&Shape::Number(0, 100_000), &GROWING),
    default: "1",
    becomes: "replicas, or a HorizontalPodAutoscaler; from two on a PodDisruptionBudget",
    says: "How many of it run.",
    example: "2",
};
pub(super) const ROLLOUT_KEY: Key = Key {
    name: "rollout",
    shape: Shape::Table(&ROLLOUT),
    default: "a quarter more, a quarter fewer",
    becomes: "the strategy of the Deployment",
    says: "How one version gives way to the next.",
    example: "{ surge = 1, down = 0 }",
};
pub(super) const STABLE_NAMES: Key = Key {
    name: "stable-names",
    shape: Shape::Boolean,
    default: "false; true where it mounts a volume that each replica has one of",
    becomes: "a StatefulSet in place of the Deployment, and a headless Service",
    says: "Whether each replica keeps a name of its own.",
    example: "true",
};
pub(super) const BESIDE: Key = Key {
    name: "beside",
    shape: Shape::Map(NameKind::Label, &Shape::Table(&HELPER)),
    default: "none",
    becomes: "init containers that go on running, in this order",
    says: "Helper containers in the same pods, started before it.",
    example: "{ exporter = { image = \"registry.example/base/exporter:1.2\" } }",
};

/// `[service.NAME]`.
pub(super) static SERVICE: TableShape = TableShape {
    what: "a service",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        LIKE,
        DROP,
        IMAGE_KEY,
        BUILD_KEY,
        PROGRAM,
        ARGS,
        WORKDIR,
        RUN_AS,
        CONFINE,
        USE_KEY,
        ENV,
        PORT_KEY,
        MOUNT_KEY,
        NETWORK,
        AFTER,
        HEALTH_KEY,
        REPLICAS,
        CPU,
        MEMORY,
        SPREAD_KEY,
        PLACE,
        PLATFORM_KEY,
        ROLLOUT_KEY,
        STABLE_NAMES,
        STOP_WITHIN,
        BEFORE_STOP_KEY,
        RIGHTS,
        ROLE,
        LABEL,
        NOTE,
        PULL,
        BESIDE,
    ],
};

/// `beside.NAME`.
pub(super) static HELPER: TableShape = TableShape {
    what: "a helper",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        IMAGE_KEY,
        BUILD_KEY,
        PROGRAM,
        ARGS,
        WORKDIR,
        RUN_AS,
        CONFINE,
        USE_KEY,
        ENV,
        PORT_KEY,
        MOUNT_KEY,
        HEALTH_KEY,
        CPU,
        MEMORY,
        BEFORE_STOP_KEY,
    ],
};

/// The long form of `replicas`.
pub(super) static GROWING: TableShape = TableShape {
    what: "a table of replicas that grow with the load",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "min",
            shape: Shape::Number(1, 100_000),
            default: "1",
            becomes: "minReplicas",
            says: "At least so many run.",
            example: "2",
        },
        Key {
            name: "max",
            shape: Shape::Number(1, 100_000),
            default: "required",
            becomes: "maxReplicas",
            says: "At the most so many run.",
            example: "8",
        },
        Key {
            name: "cpu",
            shape: Shape::Small(&PERCENT),
            default: "80%",
            becomes: "the target utilisation of cpu",
            says: "The share of the processor set aside that is aimed at.",
            example: "\"70%\"",
        },
    ],
};

/// `rollout`.
pub(super) static ROLLOUT: TableShape = TableShape {
    what: "a table of a rollout",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "surge",
            shape: Shape::Small(&SHARE),
            default: "25%",
            becomes: "maxSurge",
            says: "How many more than the replicas there may be meanwhile.",
            example: "1",
        },
        Key {
            name: "down",
            shape: Shape::Small(&SHARE),
            default: "25%",
            becomes: "maxUnavailable",
            says: "How many fewer than the replicas there may be meanwhile.",
            example: "\"10%\"",
        },
    ],
};
