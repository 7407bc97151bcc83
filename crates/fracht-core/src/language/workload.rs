//! The keys that services and tasks share, apart from those of their containers.

use super::shape::{DURATION, Key, PATH, PLATFORM, Shape, TableShape};
use crate::grammar::name::NameKind;

pub(super) const LIKE: Key = Key {
    name: "like",
    shape: Shape::OneOrList(&Shape::Reference(&["pattern"])),
    default: "none",
    becomes: "nothing: the settings stand as if they were written here",
    says: "The patterns whose settings it starts from, later ones over earlier ones.",
    example: "[\"pattern.rust\", \"pattern.small\"]",
};
pub(super) const DROP: Key = Key {
    name: "drop",
    shape: Shape::List(&Shape::Small(&PATH)),
    default: "none",
    becomes: "nothing: what is dropped is not there",
    says: "Paths to take away from what earlier layers set, before this one is laid over them.",
    example: "[\"env.DEBUG\", \"mount.\\\"/tmp\\\"\"]",
};
pub(super) const NETWORK: Key = Key {
    name: "network",
    shape: Shape::List(&Shape::Name(NameKind::Label)),
    default: "the stack's common one",
    becomes: "labels of the pod that the NetworkPolicies select",
    says: "The networks it is in.",
    example: "[\"front\", \"back\"]",
};
pub(super) const AFTER: Key = Key {
    name: "after",
    shape: Shape::Map(NameKind::Label, &Shape::Word(&["started", "ready", "done"])),
    default: "none",
    becomes: "start gates: init containers that wait",
    says: "What must be started, ready (services) or done (tasks) before it starts.",
    example: "{ db = \"ready\", schema = \"done\" }",
};
pub(super) const SPREAD_KEY: Key = Key {
    name: "spread",
    shape: Shape::ShortOr(&Shape::Word(&["node", "zone"]), &SPREAD),
    default: "as the cluster sees fit",
    becomes: "a topology constraint; strict over nodes a rule that no two share one",
    says: "Over what its pods are spread.",
    example: "\"node\"",
};
pub(super) const PLACE: Key = Key {
    name: "place",
    shape: Shape::Map(NameKind::Qualified, &Shape::Setting),
    default: "any node",
    becomes: "nodeSelector",
    says: "Labels that a node must have to run it.",
    example: "{ disk = \"fast\" }",
};
pub(super) const PLATFORM_KEY: Key = Key {
    name: "platform",
    shape: Shape::Small(&PLATFORM),
    default: "any",
    becomes: "nodeSelector by kubernetes.io/os and kubernetes.io/arch",
    says: "The system and the processor that its image is made for.",
    example: "\"linux/amd64\"",
};
pub(super) const RIGHTS: Key = Key {
    name: "rights",
    shape: Shape::List(&Shape::Table(&RIGHT)),
    default: "none, and no token of the cluster",
    becomes: "ServiceAccount, Role and RoleBinding, and a token in the pod",
    says: "What it may ask of the cluster, in its namespace.",
    example: "[{ on = \"pods\", may = [\"get\", \"list\"] }]",
};
pub(super) const ROLE: Key = Key {
    name: "role",
    shape: Shape::Name(NameKind::Label),
    default: "none",
    becomes: "the label app.kubernetes.io/component",
    says: "Its part in the stack, for those who look.",
    example: "\"database\"",
};
pub(super) const LABEL: Key = Key {
    name: "label",
    shape: Shape::Map(NameKind::Qualified, &Shape::Setting),
    default: "none",
    becomes: "labels of its objects and pods",
    says: "More labels, for people and programs to find it by.",
    example: "{ team = \"harbour\" }",
};
pub(super) const NOTE: Key = Key {
    name: "note",
    shape: Shape::Map(NameKind::Qualified, &Shape::Setting),
    default: "none",
    becomes: "annotations of its main object and pods",
    says: "More annotations, for programs to read.",
    example: "{ \"harbour.example/pager\" = \"tides\" }",
};
pub(super) const PULL: Key = Key {
    name: "pull",
    shape: Shape::OneOrList(&Shape::Reference(&["secret"])),
    default: "none",
    becomes: "imagePullSecrets",
    says: "The secrets with the logins of the images' registries; each has the key `.dockerconfigjson`.",
    example: "\"secret.registry\"",
};
pub(super) const STOP_WITHIN: Key = Key {
    name: "stop-within",
    shape: Shape::Small(&DURATION),
    default: "30s",
    becomes: "terminationGracePeriodSeconds",
    says: "How long it has to stop by itself.",
    example: "\"2m\"",
};

/// The long form of `spread`.
pub(super) static SPREAD: TableShape = TableShape {
    what: "a table of a spread",
    short_for: &["over"],
    one_of: &[],
    keys: &[
        Key {
            name: "over",
            shape: Shape::Word(&["node", "zone"]),
            default: "required",
            becomes: "the topology key",
            says: "Over nodes, or over zones of nodes.",
            example: "\"zone\"",
        },
        Key {
            name: "strict",
            shape: Shape::Boolean,
            default: "false",
            becomes: "DoNotSchedule; over nodes an anti-affinity",
            says: "Whether a pod that can't be spread does not start; over nodes no two share one.",
            example: "true",
        },
    ],
};

/// An entry of `rights`.
pub(super) static RIGHT: TableShape = TableShape {
    what: "a table of a right",
    short_for: &[],
    one_of: &[],
    keys: &[
        Key {
            name: "on",
            shape: Shape::Plain,
            default: "required",
            becomes: "a resource of the Role",
            says: "The kind of objects, as the cluster's API names it: in small letters, more than one.",
            example: "\"pods\"",
        },
        Key {
            name: "group",
            shape: Shape::Plain,
            default: "that of the cluster's own kinds",
            becomes: "an API group of the Role",
            says: "The API group of the kind.",
            example: "\"coordination.k8s.io\"",
        },
        Key {
            name: "may",
            shape: Shape::List(&Shape::Word(&[
                "get",
                "list",
                "watch",
                "create",
                "update",
                "patch",
                "delete",
                "deletecollection",
            ])),
            default: "required",
            becomes: "the verbs of the Role",
            says: "What it may do with them.",
            example: "[\"get\", \"list\"]",
        },
        Key {
            name: "only",
            shape: Shape::List(&Shape::Plain),
            default: "all of them",
            becomes: "resourceNames of the Role",
            says: "The names of the objects that it is about.",
            example: "[\"leader\"]",
        },
    ],
};
