//! The tables of a stack that targets may override, and the `[stack]` table.

use std::sync::Arc;

use super::build::BUILD_TABLE;
use super::config::CONFIG_TABLE;
use super::field::{Field, STRING, Table, list, name, named, table, words};
use super::input::INPUT_TABLE;
use super::network::NETWORK_TABLE;
use super::outside::OUTSIDE_TABLE;
use super::patch::PATCH_TABLE;
use super::pattern::PATTERN_TABLE;
use super::secret::SECRET_TABLE;
use super::service::SERVICE_TABLE;
use super::shape::{Group, Key, NOTHING, TableShape};
use super::store::STORE_TABLE;
use super::task::TASK_TABLE;
use super::volume::VOLUME_TABLE;
use crate::diag::Level;
use crate::grammar::name::NameKind;

pub(crate) static RULES: Field<Level> = Field {
    key: Key {
        name: "rules",
        default: "each rule's own severity",
        becomes: "–",
        description: "Severity of rules: off, hint, warning or error. `fracht rules` lists them.",
        example: "{ image-unpinned = \"off\" }",
    },
    takes: named(NameKind::Rule, words()),
};
pub(crate) static PATCH: Field<Table> = Field {
    key: Key {
        name: "patch",
        default: "none",
        becomes: "changed objects; those of a target after those of the stack",
        description: "Changes to generated objects, for fields that the language does not cover.",
        example: "[{ on = \"Deployment/api\", merge = { spec.revisionHistoryLimit = 3 } }]",
    },
    takes: list(table(&PATCH_TABLE)),
};
pub(crate) static PASS: Field<Arc<str>> = Field {
    key: Key {
        name: "pass",
        default: "none",
        becomes: "the objects, unchanged",
        description: "Files of Kubernetes objects that are added unchanged, by path or by pattern.",
        example: "[\"extra/*.yaml\"]",
    },
    takes: list(STRING),
};

pub(crate) static STACK: Field<Table> = Field {
    key: Key {
        name: "stack",
        default: "required",
        becomes: "–",
        description: "Name and title of the stack.",
        example: "{ name = \"tidedesk\" }",
    },
    takes: table(&STACK_TABLE),
};
pub(crate) static INPUT: Field<Table> = Field {
    key: Key {
        name: "input",
        default: "none",
        becomes: "–",
        description: "Values that are set from outside: command line, file or environment.",
        example: "{ version = { default = \"1.4.0\" } }",
    },
    takes: named(NameKind::Label, table(&INPUT_TABLE)),
};
pub(crate) static BUILD: Field<Table> = Field {
    key: Key {
        name: "build",
        default: "none",
        becomes: "images",
        description: "Images that are built from a folder.",
        example: "{ forecast = { source = \"./forecast\" } }",
    },
    takes: named(NameKind::Label, table(&BUILD_TABLE)),
};
pub(crate) static PATTERN: Field<Table> = Field {
    key: Key {
        name: "pattern",
        default: "none",
        becomes: "–",
        description: "Settings that services and tasks share.",
        example: "{ small = { memory = \"64Mi..128Mi\" } }",
    },
    takes: named(NameKind::Label, table(&PATTERN_TABLE)),
};
pub(crate) static SERVICE: Field<Table> = Field {
    key: Key {
        name: "service",
        default: "none",
        becomes: "Deployment or StatefulSet, Services",
        description: "Programs that keep running.",
        example: "{ api = { image = \"registry.example/api:1.0\" } }",
    },
    takes: named(NameKind::Label, table(&SERVICE_TABLE)),
};
pub(crate) static TASK: Field<Table> = Field {
    key: Key {
        name: "task",
        default: "none",
        becomes: "Job or CronJob",
        description: "Programs that run once and finish, now or on a schedule.",
        example: "{ schema = { image = \"registry.example/api:1.0\" } }",
    },
    takes: named(NameKind::Label, table(&TASK_TABLE)),
};
pub(crate) static VOLUME: Field<Table> = Field {
    key: Key {
        name: "volume",
        default: "none",
        becomes: "PersistentVolumeClaim",
        description: "Data that is kept when containers stop.",
        example: "{ tides = { size = \"20Gi\" } }",
    },
    takes: named(NameKind::Label, table(&VOLUME_TABLE)),
};
pub(crate) static CONFIG: Field<Table> = Field {
    key: Key {
        name: "config",
        default: "none",
        becomes: "ConfigMap",
        description: "Settings and files in plain text.",
        example: "{ model = { key.HORIZON_HOURS = \"72\" } }",
    },
    takes: named(NameKind::Label, table(&CONFIG_TABLE)),
};
pub(crate) static SECRET: Field<Table> = Field {
    key: Key {
        name: "secret",
        default: "none",
        becomes: "Secret",
        description: "Passwords, keys and certificates.",
        example: "{ db = { key.password = { env = \"DB_PASSWORD\" } } }",
    },
    takes: named(NameKind::Label, table(&SECRET_TABLE)),
};
pub(crate) static NETWORK: Field<Table> = Field {
    key: Key {
        name: "network",
        default: "one network of all services",
        becomes: "NetworkPolicy",
        description: "Groups of services that can reach each other.",
        example: "{ back = { closed = true } }",
    },
    takes: named(NameKind::Label, table(&NETWORK_TABLE)),
};
pub(crate) static OUTSIDE: Field<Table> = Field {
    key: Key {
        name: "outside",
        default: "none",
        becomes: "Services, and EndpointSlices",
        description: "External services that the stack uses but does not run.",
        example: "{ buoys = { host = \"feed.buoys.example\", port.feed = 443 } }",
    },
    takes: named(NameKind::Label, table(&OUTSIDE_TABLE)),
};

pub(crate) static STORE: Field<Table> = Field {
    key: Key {
        name: "store",
        default: "widely used ones are known",
        becomes: NOTHING,
        description: "Kinds of data stores that rules should know, by their images.",
        example: "{ tides = { images = [\"tidestore\"], data = [\"/var/lib/tidestore\"] } }",
    },
    takes: named(NameKind::Label, table(&STORE_TABLE)),
};

/// The keys that a target may override: tables are merged, and the lists `patch` and `pass` are joined.
pub(super) static OVERRIDABLE: Group = &[
    &STACK, &INPUT, &BUILD, &PATTERN, &SERVICE, &TASK, &VOLUME, &CONFIG, &SECRET, &NETWORK, &OUTSIDE, &STORE,
    &RULES, &PATCH, &PASS,
];

pub(crate) static NAME: Field<Arc<str>> = Field {
    key: Key {
        name: "name",
        default: "required",
        becomes: "the label app.kubernetes.io/part-of",
        description: "Name of the stack: default namespace, and a label of every object.",
        example: "\"tidedesk\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static TITLE: Field<Arc<str>> = Field {
    key: Key {
        name: "title",
        default: "none",
        becomes: "–",
        description: "One line about the stack.",
        example: "\"Tide forecasts for small harbours\"",
    },
    takes: STRING,
};

/// The `[stack]` table.
pub(crate) static STACK_TABLE: TableShape =
    TableShape { what: "the stack itself", short: None, one_of: &[], groups: &[&[&NAME, &TITLE]] };
