//! `[service.NAME]`, its ports, health and mounts.

use super::shape::{
    BYTE_BOUNDS, BYTES, CPU_BOUNDS, DURATION, IMAGE, Key, OUTSIDE, PATH, Shape, TableShape, USER,
};
use crate::grammar::name::NameKind;

// The keys that services and tasks share, one constant each: a table is a list of them.

pub(super) const LIKE: Key = Key {
    name: "like",
    shape: Shape::OneOrList(&Shape::Reference(&["pattern"])),
    default: "none",
    says: "The patterns whose settings it starts from, later ones over earlier ones.",
    example: "[\"pattern.rust\", \"pattern.small\"]",
};
pub(super) const DROP: Key = Key {
    name: "drop",
    shape: Shape::List(&Shape::Small(&PATH)),
    default: "none",
    says: "Paths to take away from what earlier layers set, before this one is laid over them.",
    example: "[\"env.DEBUG\", \"mount.\\\"/tmp\\\"\"]",
};
pub(super) const IMAGE_KEY: Key = Key {
    name: "image",
    shape: Shape::TextOf(&IMAGE),
    default: "this or build is required",
    says: "The image to run.",
    example: "\"registry.example/tidedesk/gateway:2.1\"",
};
pub(super) const BUILD_KEY: Key = Key {
    name: "build",
    shape: Shape::Name(NameKind::Label),
    default: "this or image is required",
    says: "The build whose image to run, by name.",
    example: "\"forecast\"",
};
pub(super) const PROGRAM: Key = Key {
    name: "program",
    shape: Shape::List(&Shape::Text),
    default: "the image's own",
    says: "What is run in place of the image's program.",
    example: "[\"/usr/bin/forecast\"]",
};
pub(super) const ARGS: Key = Key {
    name: "args",
    shape: Shape::List(&Shape::Text),
    default: "the image's own",
    says: "What the program is started with.",
    example: "[\"serve\", \"--region={config.model/REGION}\"]",
};
pub(super) const WORKDIR: Key = Key {
    name: "workdir",
    shape: Shape::Name(NameKind::Path),
    default: "the image's own",
    says: "The folder to start in.",
    example: "\"/srv\"",
};
pub(super) const RUN_AS: Key = Key {
    name: "user",
    shape: Shape::Small(&USER),
    default: "the image's own",
    says: "The user, and maybe group, to run as.",
    example: "\"10001:10001\"",
};
pub(super) const ENV: Key = Key {
    name: "env",
    shape: Shape::Map(NameKind::Variable, &Shape::Setting),
    default: "none",
    says: "Environment variables.",
    example: "{ LOG_LEVEL = \"info\" }",
};
pub(super) const MOUNT_KEY: Key = Key {
    name: "mount",
    shape: Shape::Map(
        NameKind::Path,
        &Shape::ShortOr(&Shape::Reference(&["volume", "config", "secret"]), &MOUNT),
    ),
    default: "none",
    says: "What is mounted at which path.",
    example: "{ \"/var/lib/data\" = \"volume.tides\" }",
};
pub(super) const NETWORK: Key = Key {
    name: "network",
    shape: Shape::List(&Shape::Name(NameKind::Label)),
    default: "the stack's common one",
    says: "The networks it is in.",
    example: "[\"front\", \"back\"]",
};
pub(super) const AFTER: Key = Key {
    name: "after",
    shape: Shape::Map(NameKind::Label, &Shape::Word(&["started", "ready", "done"])),
    default: "none",
    says: "What must be started, ready (services) or done (tasks) before it starts.",
    example: "{ db = \"ready\", schema = \"done\" }",
};
pub(super) const CPU: Key = Key {
    name: "cpu",
    shape: Shape::Small(&CPU_BOUNDS),
    default: "what the cluster gives",
    says: "Processor set aside and allowed.",
    example: "\"100m..1\"",
};
pub(super) const MEMORY: Key = Key {
    name: "memory",
    shape: Shape::Small(&BYTE_BOUNDS),
    default: "what the cluster gives",
    says: "Memory set aside and allowed.",
    example: "\"128Mi..256Mi\"",
};

pub(super) const PORT_KEY: Key = Key {
    name: "port",
    shape: Shape::Map(NameKind::Port, &Shape::ShortOr(&Shape::Number(1, 65535), &PORT)),
    default: "none",
    says: "The ports that it listens on, by name.",
    example: "{ http = 8080 }",
};

pub(super) const HEALTH_KEY: Key = Key {
    name: "health",
    shape: Shape::Table(&HEALTH),
    default: "none",
    says: "How to see that it works.",
    example: "{ http = \"/healthz\", boot = \"45s\" }",
};

pub(super) const REPLICAS: Key = Key {
    name: "replicas",
    shape: Shape::Number(0, 100_000),
    default: "1",
    says: "How many of it run.",
    example: "2",
};

/// `[service.NAME]`.
pub(super) static SERVICE: TableShape = TableShape {
    what: "a service",
    short_for: &[],
    one_of: &["image", "build"],
    keys: &[
        LIKE, DROP, IMAGE_KEY, BUILD_KEY, PROGRAM, ARGS, WORKDIR, RUN_AS, ENV, PORT_KEY, MOUNT_KEY, NETWORK,
        AFTER, HEALTH_KEY, REPLICAS, CPU, MEMORY,
    ],
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
            says: "The number that the container listens on.",
            example: "8080",
        },
        Key {
            name: "protocol",
            shape: Shape::Word(&["tcp", "udp", "sctp"]),
            default: "tcp",
            says: "The transport protocol.",
            example: "\"udp\"",
        },
        Key {
            name: "reach",
            shape: Shape::Word(&["stack", "node", "balancer"]),
            default: "stack",
            says: "Who can get to it.",
            example: "\"balancer\"",
        },
        Key {
            name: "at",
            shape: Shape::Small(&OUTSIDE),
            default: "auto; for a balancer the port's inner number",
            says: "The number that those outside use.",
            example: "\"8000..\"",
        },
        Key {
            name: "as",
            shape: Shape::Number(1, 65535),
            default: "number",
            says: "The number that others in the stack use.",
            example: "80",
        },
    ],
};

/// `health`.
pub(super) static HEALTH: TableShape = TableShape {
    what: "a table of a health check",
    short_for: &[],
    one_of: &["http", "tcp", "run"],
    keys: &[
        Key {
            name: "http",
            shape: Shape::Plain,
            default: "one of http, tcp and run is required",
            says: "The path to ask for; 200 to 399 is well.",
            example: "\"/healthz\"",
        },
        Key {
            name: "tcp",
            shape: Shape::Name(NameKind::Port),
            default: "one of http, tcp and run is required",
            says: "The port to connect to, by name.",
            example: "\"sql\"",
        },
        Key {
            name: "run",
            shape: Shape::List(&Shape::Plain),
            default: "one of http, tcp and run is required",
            says: "The program to run in the container; it ends with 0 when all is well.",
            example: "[\"pg_isready\", \"-q\"]",
        },
        Key {
            name: "port",
            shape: Shape::Name(NameKind::Port),
            default: "the only TCP port",
            says: "The port that `http` asks at, by name.",
            example: "\"http\"",
        },
        Key {
            name: "every",
            shape: Shape::Small(&DURATION),
            default: "5s",
            says: "The time between two checks.",
            example: "\"3s\"",
        },
        Key {
            name: "timeout",
            shape: Shape::Small(&DURATION),
            default: "2s",
            says: "The time that an answer may take.",
            example: "\"1s\"",
        },
        Key {
            name: "boot",
            shape: Shape::Small(&DURATION),
            default: "30s",
            says: "The time that it may take to start.",
            example: "\"60s\"",
        },
        Key {
            name: "fails",
            shape: Shape::Number(1, 1000),
            default: "3",
            says: "Checks failed in a row until it gets no more traffic.",
            example: "2",
        },
        Key {
            name: "restart-after",
            shape: Shape::Number(0, 1000),
            default: "6",
            says: "Checks failed in a row until it is restarted; 0 is never.",
            example: "10",
        },
    ],
};

/// The long form of a mount.
pub(super) static MOUNT: TableShape = TableShape {
    what: "a table of a mount",
    short_for: &[],
    one_of: &[],
    keys: &[Key {
        name: "scratch",
        shape: Shape::Small(&BYTES),
        default: "required",
        says: "An empty folder of at most this size, gone with the pod.",
        example: "\"64Mi\"",
    }],
};
