//! The keys that services and tasks share, apart from those of their containers.

use std::sync::Arc;
use std::time::Duration;

use super::field::{
    BOOLEAN, Field, STRING, Table, Template, formatted, list, name, named, one_or_list, reference, scalar,
    table, word_of, words,
};
use super::format;
use super::shape::{Group, Key, Short, TableShape, Words};
use crate::grammar::name::NameKind;
use crate::grammar::platform::Platform;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::grammar::resource;
use crate::model::{Condition, Over};

pub(crate) static LIKE: Field<Reference> = Field {
    key: Key {
        name: "like",
        default: "none",
        becomes: "as if written here",
        description: "Patterns to start from; later ones override earlier ones.",
        example: "[\"pattern.rust\", \"pattern.small\"]",
    },
    takes: one_or_list(reference(&[RefKind::Pattern])),
};
pub(crate) static DROP: Field<Vec<String>> = Field {
    key: Key {
        name: "drop",
        default: "none",
        becomes: "–",
        description: "Paths to remove from what earlier layers set, before this layer is merged.",
        example: "[\"env.DEBUG\", \"mount.\\\"/tmp\\\"\"]",
    },
    takes: list(formatted(&format::PATH)),
};
pub(crate) static NETWORK: Field<Arc<str>> = Field {
    key: Key {
        name: "network",
        default: "default network",
        becomes: "labels of the pod that the NetworkPolicies select",
        description: "Networks that it is in.",
        example: "[\"front\", \"back\"]",
    },
    takes: one_or_list(name(NameKind::Label)),
};
pub(crate) static AFTER: Field<Condition> = Field {
    key: Key {
        name: "after",
        default: "none",
        becomes: "start gates: init containers that wait",
        description: "Services and tasks to wait for: until `started`, `ready` or `current` (services), or `done` (tasks).",
        example: "{ db = \"ready\", schema = \"done\" }",
    },
    takes: named(NameKind::Label, words()),
};
pub(crate) static RENEW: Field<Template> = Field {
    key: Key {
        name: "renew",
        default: "none",
        becomes: "an annotation of the pods",
        description: "Text whose change restarts a service, or runs a task again, although nothing else changed.",
        example: "\"{input.build}\"",
    },
    takes: scalar(References::Known),
};
pub(crate) static SPREAD: Field<Table> = Field {
    key: Key {
        name: "spread",
        default: "cluster default",
        becomes: "topology constraint; `strict` over nodes: pod anti-affinity",
        description: "Spread the pods over nodes or zones.",
        example: "\"node\"",
    },
    takes: table(&SPREAD_TABLE),
};
pub(crate) static PLACE: Field<Template> = Field {
    key: Key {
        name: "place",
        default: "any node",
        becomes: "nodeSelector",
        description: "Labels that a node must have.",
        example: "{ disk = \"fast\" }",
    },
    takes: named(NameKind::Qualified, scalar(References::Known)),
};
pub(crate) static PLATFORM: Field<Platform> = Field {
    key: Key {
        name: "platform",
        default: "any",
        becomes: "nodeSelector by kubernetes.io/os and kubernetes.io/arch",
        description: "Operating system and CPU architecture of the image.",
        example: "\"linux/amd64\"",
    },
    takes: formatted(&format::PLATFORM),
};
pub(crate) static RIGHTS: Field<Table> = Field {
    key: Key {
        name: "rights",
        default: "none: no permissions, no API token",
        becomes: "ServiceAccount, Role, RoleBinding, and a token in the container",
        description: "Permissions for the cluster's API, within the namespace.",
        example: "[{ on = \"pods\", may = [\"get\", \"list\"] }]",
    },
    takes: list(table(&RIGHT_TABLE)),
};
pub(crate) static ROLE: Field<Arc<str>> = Field {
    key: Key {
        name: "role",
        default: "none",
        becomes: "the label app.kubernetes.io/component",
        description: "Role in the stack, such as \"database\".",
        example: "\"database\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static LABEL: Field<Template> = Field {
    key: Key {
        name: "label",
        default: "none",
        becomes: "labels of its objects and pods",
        description: "Additional labels.",
        example: "{ team = \"harbour\" }",
    },
    takes: named(NameKind::Qualified, scalar(References::Known)),
};
pub(crate) static NOTE: Field<Template> = Field {
    key: Key {
        name: "note",
        default: "none",
        becomes: "annotations of its main object and pods",
        description: "Additional annotations.",
        example: "{ \"harbour.example/pager\" = \"tides\" }",
    },
    takes: named(NameKind::Qualified, scalar(References::Known)),
};
pub(crate) static PULL: Field<Reference> = Field {
    key: Key {
        name: "pull",
        default: "none",
        becomes: "imagePullSecrets",
        description: "Secrets with registry logins; each has the key `.dockerconfigjson`.",
        example: "\"secret.registry\"",
    },
    takes: one_or_list(reference(&[RefKind::Secret])),
};
pub(crate) static STOP_WITHIN: Field<Duration> = Field {
    key: Key {
        name: "stop-within",
        default: "30s",
        becomes: "terminationGracePeriodSeconds",
        description: "Time to shut down before it is killed.",
        example: "\"2m\"",
    },
    takes: formatted(&format::DURATION),
};

pub(crate) static OVER: Field<Over> = Field {
    key: Key {
        name: "over",
        default: "required",
        becomes: "the topology key",
        description: "Spread over nodes, or over zones.",
        example: "\"zone\"",
    },
    takes: words(),
};
pub(crate) static STRICT: Field<bool> = Field {
    key: Key {
        name: "strict",
        default: "false",
        becomes: "DoNotSchedule; over nodes an anti-affinity",
        description: "Set to true to keep a pod pending if the spread is not possible; with `node`, no two pods share a node.",
        example: "true",
    },
    takes: BOOLEAN,
};

/// The long form of `spread`.
pub(crate) static SPREAD_TABLE: TableShape = TableShape {
    what: "a spread table",
    short: Some(Short::Key(&OVER)),
    one_of: &[],
    groups: &[&[&OVER, &STRICT]],
};

pub(crate) static ON: Field<Arc<str>> = Field {
    key: Key {
        name: "on",
        default: "required",
        becomes: "resources of the Role",
        description: "Resource in the API, lowercase and plural; or several.",
        example: "[\"pods\", \"services\"]",
    },
    takes: one_or_list(STRING),
};
pub(crate) static GROUP: Field<Arc<str>> = Field {
    key: Key {
        name: "group",
        default: "the core group, or that of a built-in resource",
        becomes: "an API group of the Role",
        description: "API group of the resource.",
        example: "\"coordination.k8s.io\"",
    },
    takes: STRING,
};
pub(crate) static MAY: Field<Arc<str>> = Field {
    key: Key {
        name: "may",
        default: "required",
        becomes: "the verbs of the Role",
        description: "Allowed verbs.",
        example: "[\"get\", \"list\"]",
    },
    takes: list(word_of(Words(|index| resource::VERBS.get(index).copied()))),
};
pub(crate) static ONLY: Field<Arc<str>> = Field {
    key: Key {
        name: "only",
        default: "all",
        becomes: "resourceNames of the Role",
        description: "Limit the permission to objects with these names.",
        example: "[\"leader\"]",
    },
    takes: list(STRING),
};

/// An entry of `rights`.
pub(crate) static RIGHT_TABLE: TableShape = TableShape {
    what: "a permission table",
    short: None,
    one_of: &[],
    groups: &[&[&ON, &GROUP, &MAY, &ONLY]],
};

/// The keys that services, tasks and patterns share, apart from those of their containers.
pub(super) static WORKLOAD: Group = &[
    &LIKE,
    &DROP,
    &NETWORK,
    &AFTER,
    &RENEW,
    &PLACE,
    &PLATFORM,
    &STOP_WITHIN,
    &RIGHTS,
    &ROLE,
    &LABEL,
    &NOTE,
    &PULL,
];
