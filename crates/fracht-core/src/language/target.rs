//! `[target.NAME]`: the target's own keys, and the tables that it lays over the stack.

use super::shape::{Key, PATH, Shape, TableShape};
use super::{build, config, input, network, pattern, secret, service, stack, task, volume};
use crate::grammar::name::NameKind;

/// `[target.NAME]`.
pub(crate) static TARGET: TableShape = TableShape {
    what: "a target",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "on",
            shape: Shape::Word(&["machine", "cluster"]),
            default: "cluster",
            says: "One machine with ports on localhost, or a Kubernetes cluster.",
            example: "\"cluster\"",
        },
        Key {
            name: "like",
            shape: Shape::OneOrList(&Shape::Reference(&["target"])),
            default: "none",
            says: "The targets that are laid over the stack before this one.",
            example: "\"target.staging\"",
        },
        Key {
            name: "drop",
            shape: Shape::List(&Shape::Small(&PATH)),
            default: "none",
            says: "Paths to take away from the stack before this target is laid over it.",
            example: "[\"service.debug\", \"service.api.env.TRACE\"]",
        },
        Key {
            name: "namespace",
            shape: Shape::Name(NameKind::Label),
            default: "the stack's name",
            says: "The namespace that keeps the stack's objects apart.",
            example: "\"tidedesk-staging\"",
        },
        Key {
            name: "namespace-present",
            shape: Shape::Boolean,
            default: "false",
            says: "Whether the namespace is there already, so that no object is made for it.",
            example: "true",
        },
        Key {
            name: "registry",
            shape: Shape::Plain,
            default: "none",
            says: "The registry of this target, for `{target.registry}`.",
            example: "\"registry.example/tidedesk\"",
        },
        Key {
            name: "domain",
            shape: Shape::Plain,
            default: "none",
            says: "The domain of this target, for `{target.domain}`.",
            example: "\"tides.example\"",
        },
        Key {
            name: "stack",
            shape: Shape::Table(&stack::STACK),
            default: "none",
            says: "Laid over `[stack]`.",
            example: "{ title = \"Tide forecasts, staging\" }",
        },
        Key {
            name: "input",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&input::INPUT)),
            default: "none",
            says: "Laid over the inputs.",
            example: "{ version.default = \"1.4.1\" }",
        },
        Key {
            name: "build",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&build::BUILD)),
            default: "none",
            says: "Laid over the builds.",
            example: "{ forecast.tag = \"edge\" }",
        },
        Key {
            name: "pattern",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&pattern::PATTERN)),
            default: "none",
            says: "Laid over the patterns.",
            example: "{ small.memory = \"128Mi..256Mi\" }",
        },
        Key {
            name: "service",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&service::SERVICE)),
            default: "none",
            says: "Laid over the services.",
            example: "{ api.replicas = 4 }",
        },
        Key {
            name: "task",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&task::TASK)),
            default: "none",
            says: "Laid over the tasks.",
            example: "{ schema.timeout = \"30m\" }",
        },
        Key {
            name: "volume",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&volume::VOLUME)),
            default: "none",
            says: "Laid over the volumes.",
            example: "{ tides.class = \"fast\" }",
        },
        Key {
            name: "config",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&config::CONFIG)),
            default: "none",
            says: "Laid over the configs.",
            example: "{ model.key.HORIZON_HOURS = \"96\" }",
        },
        Key {
            name: "secret",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&secret::SECRET)),
            default: "none",
            says: "Laid over the secrets.",
            example: "{ db.present = \"db-login\" }",
        },
        Key {
            name: "network",
            shape: Shape::Map(NameKind::Label, &Shape::Table(&network::NETWORK)),
            default: "none",
            says: "Laid over the networks.",
            example: "{ back.closed = false }",
        },
    ],
};
