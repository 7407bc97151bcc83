//! The stack file as a whole, and its `[stack]` table.

use super::shape::{Key, Shape, TableShape};
use super::{build, config, input, network, outside, patch, pattern, secret, service, target, task, volume};
use crate::grammar::name::NameKind;

// A target has these too: what it says of rules is laid over, the lists are added.

pub(super) const RULES: Key = Key {
    name: "rules",
    shape: Shape::Map(NameKind::Rule, &Shape::Word(&["off", "hint", "warning", "error"])),
    default: "each rule's own severity",
    becomes: "nothing",
    says: "How bad what a rule finds is; `fracht rules` lists them.",
    example: "{ image-unpinned = \"off\" }",
};
pub(super) const PATCH: Key = Key {
    name: "patch",
    shape: Shape::List(&Shape::Table(&patch::PATCH)),
    default: "none",
    becomes: "changes to objects, those of a target behind those of the stack",
    says: "Changes to the objects that are made, where the language has no word for it.",
    example: "[{ on = \"Deployment/api\", merge = { spec.revisionHistoryLimit = 3 } }]",
};
pub(super) const PASS: Key = Key {
    name: "pass",
    shape: Shape::List(&Shape::Plain),
    default: "none",
    becomes: "the objects as they are",
    says: "Files of objects, by path or by pattern, that are taken as they are.",
    example: "[\"extra/*.yaml\"]",
};

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
            becomes: "see `stack`",
            says: "The stack itself.",
            example: "{ name = \"tidedesk\" }",
        },
        Key {
            name: "include",
            shape: Shape::List(&Shape::Plain),
            default: "none",
            becomes: "nothing: they are read as if they stood here",
            says: "More files of this stack, by path or by pattern: `*` is any name, `**` any folders.",
            example: "[\"services/*.toml\"]",
        },
        Key {
            name: "input",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&input::INPUT)),
            default: "none",
            becomes: "what `{input.NAME}` stands for",
            says: "What a person or a pipeline gives.",
            example: "{ version = { default = \"1.4.0\" } }",
        },
        Key {
            name: "build",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&build::BUILD)),
            default: "none",
            becomes: "images",
            says: "Images made from a folder here.",
            example: "{ forecast = { source = \"./forecast\" } }",
        },
        Key {
            name: "pattern",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&pattern::PATTERN)),
            default: "none",
            becomes: "nothing by itself",
            says: "Settings that services and tasks share; nothing by itself.",
            example: "{ small = { memory = \"64Mi..128Mi\" } }",
        },
        Key {
            name: "service",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&service::SERVICE)),
            default: "none",
            becomes: "Deployment or StatefulSet, Services",
            says: "What runs for ever.",
            example: "{ api = { image = \"registry.example/api:1\" } }",
        },
        Key {
            name: "task",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&task::TASK)),
            default: "none",
            becomes: "Job or CronJob",
            says: "What runs to its end.",
            example: "{ schema = { image = \"registry.example/api:1\" } }",
        },
        Key {
            name: "volume",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&volume::VOLUME)),
            default: "none",
            becomes: "PersistentVolumeClaim",
            says: "Data that outlives a container.",
            example: "{ tides = { size = \"20Gi\" } }",
        },
        Key {
            name: "config",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&config::CONFIG)),
            default: "none",
            becomes: "ConfigMap",
            says: "Plain settings and files.",
            example: "{ model = { key.HORIZON_HOURS = \"72\" } }",
        },
        Key {
            name: "secret",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&secret::SECRET)),
            default: "none",
            becomes: "Secret",
            says: "Passwords, keys and certificates.",
            example: "{ db = { key.password = { env = \"DB_PASSWORD\" } } }",
        },
        Key {
            name: "network",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&network::NETWORK)),
            default: "one that all services share",
            becomes: "NetworkPolicy",
            says: "Groups of services that may talk to each other.",
            example: "{ back = { closed = true } }",
        },
        Key {
            name: "outside",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&outside::OUTSIDE)),
            default: "none",
            becomes: "Services, and EndpointSlices",
            says: "What the stack uses and does not run.",
            example: "{ buoys = { host = \"feed.buoys.example\", port.feed = 443 } }",
        },
        Key {
            name: "target",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&target::TARGET)),
            default: "one named cluster",
            becomes: "the namespace of all objects",
            says: "Where the stack is to run, and what is different there.",
            example: "{ prod = { on = \"cluster\" } }",
        },
        RULES,
        PATCH,
        PASS,
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
            becomes: "the label app.kubernetes.io/part-of",
            says: "The stack's name: the default namespace, and a label of every object.",
            example: "\"tidedesk\"",
        },
        Key {
            name: "title",
            shape: Shape::Plain,
            default: "none",
            becomes: "nothing: people read it",
            says: "What the stack is, in a line.",
            example: "\"Tide forecasts for small harbours\"",
        },
    ],
};
