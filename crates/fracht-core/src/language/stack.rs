//! The stack file as a whole, and its `[stack]` table.

use super::shape::{Key, Shape, TableShape};
use super::{build, config, input, network, pattern, secret, service, target, task, volume};
use crate::grammar::name::NameKind;

/// The stack file.
pub static ROOT: TableShape = TableShape {
    what: "a stack file",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "stack",
            shape: Shape::Table(&STACK),
            default: "required",
            says: "The stack itself.",
            example: "{ name = \"tidedesk\" }",
        },
        Key {
            name: "include",
            shape: Shape::List(&Shape::Plain),
            default: "none",
            says: "More files of this stack, by path or by pattern: `*` is any name, `**` any folders.",
            example: "[\"services/*.toml\"]",
        },
        Key {
            name: "input",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&input::INPUT)),
            default: "none",
            says: "What a person or a pipeline gives.",
            example: "{ version = { default = \"1.4.0\" } }",
        },
        Key {
            name: "build",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&build::BUILD)),
            default: "none",
            says: "Images made from a folder here.",
            example: "{ forecast = { source = \"./forecast\" } }",
        },
        Key {
            name: "pattern",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&pattern::PATTERN)),
            default: "none",
            says: "Settings that services and tasks share; nothing by itself.",
            example: "{ small = { memory = \"64Mi..128Mi\" } }",
        },
        Key {
            name: "service",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&service::SERVICE)),
            default: "none",
            says: "What runs for ever.",
            example: "{ api = { image = \"registry.example/api:1\" } }",
        },
        Key {
            name: "task",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&task::TASK)),
            default: "none",
            says: "What runs to its end.",
            example: "{ schema = { image = \"registry.example/api:1\" } }",
        },
        Key {
            name: "volume",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&volume::VOLUME)),
            default: "none",
            says: "Data that outlives a container.",
            example: "{ tides = { size = \"20Gi\" } }",
        },
        Key {
            name: "config",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&config::CONFIG)),
            default: "none",
            says: "Plain settings and files.",
            example: "{ model = { key.HORIZON_HOURS = \"72\" } }",
        },
        Key {
            name: "secret",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&secret::SECRET)),
            default: "none",
            says: "Passwords, keys and certificates.",
            example: "{ db = { key.password = { env = \"DB_PASSWORD\" } } }",
        },
        Key {
            name: "network",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&network::NETWORK)),
            default: "one that all services share",
            says: "Groups of services that may talk to each other.",
            example: "{ back = { closed = true } }",
        },
        Key {
            name: "target",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&target::TARGET)),
            default: "one named cluster",
            says: "Where the stack is to run, and what is different there.",
            example: "{ prod = { on = \"cluster\" } }",
        },
    ],
};

/// The `[stack]` table.
pub(super) static STACK: TableShape = TableShape {
    what: "the stack itself",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "name",
            shape: Shape::Name(NameKind::Label),
            default: "required",
            says: "The stack's name: the default namespace, and a label of every object.",
            example: "\"tidedesk\"",
        },
        Key {
            name: "title",
            shape: Shape::Plain,
            default: "none",
            says: "What the stack is, in a line.",
            example: "\"Tide forecasts for small harbours\"",
        },
    ],
};
