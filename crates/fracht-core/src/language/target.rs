//! `[target.NAME]`: the target's own keys, and the tables that it lays over the stack.

use std::sync::Arc;
use std::time::Duration;

use super::field::{
    BOOLEAN, Field, Table, Template, formatted, list, name, one_or_list, reference, table, template, words,
};
use super::format;
use super::shape::{Key, TableShape};
use super::stack::OVERRIDABLE;
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, Reference};
use crate::model::{EntryKind, TargetKind};

pub(crate) static ON: Field<TargetKind> = Field {
    key: Key {
        name: "on",
        default: "cluster",
        becomes: "objects for a cluster, none for a machine",
        says: "One machine with ports on localhost, or a Kubernetes cluster.",
        example: "\"cluster\"",
    },
    takes: words(),
};
pub(crate) static LIKE: Field<Reference> = Field {
    key: Key {
        name: "like",
        default: "none",
        becomes: "nothing: that target's tables are laid first",
        says: "The targets that are laid over the stack before this one.",
        example: "\"target.staging\"",
    },
    takes: one_or_list(reference(&[RefKind::Target])),
};
pub(crate) static DROP: Field<Vec<String>> = Field {
    key: Key {
        name: "drop",
        default: "none",
        becomes: "nothing: what is dropped is not there",
        says: "Paths to take away from the stack before this target is laid over it.",
        example: "[\"service.debug\", \"service.api.env.TRACE\"]",
    },
    takes: list(formatted(&format::PATH)),
};
pub(crate) static NAMESPACE: Field<Arc<str>> = Field {
    key: Key {
        name: "namespace",
        default: "the stack's name",
        becomes: "the Namespace, and the namespace of all objects",
        says: "The namespace that keeps the stack's objects apart.",
        example: "\"tidedesk-staging\"",
    },
    takes: name(NameKind::Namespace),
};
pub(crate) static NAMESPACE_PRESENT: Field<bool> = Field {
    key: Key {
        name: "namespace-present",
        default: "false",
        becomes: "no Namespace",
        says: "Set to true if the namespace already exists; no object is generated for it.",
        example: "true",
    },
    takes: BOOLEAN,
};
pub(crate) static REGISTRY: Field<Arc<str>> = Field {
    key: Key {
        name: "registry",
        default: "none",
        becomes: "the registry of built images",
        says: "The registry of this target, for `{target.registry}`.",
        example: "\"registry.example/tidedesk\"",
    },
    takes: formatted(&format::REGISTRY),
};
pub(crate) static DOMAIN: Field<Arc<str>> = Field {
    key: Key {
        name: "domain",
        default: "none",
        becomes: "the host of web entries",
        says: "The domain of this target, for `{target.domain}`.",
        example: "\"tides.example\"",
    },
    takes: formatted(&format::HOST),
};
pub(crate) static WEB: Field<Table> = Field {
    key: Key {
        name: "web",
        default: "an Ingress of the cluster's default class, without TLS",
        becomes: "Ingress or HTTPRoute",
        says: "The shared web entry.",
        example: "{ class = \"public\", tls = \"secret.tls\" }",
    },
    takes: table(&WEB_TABLE),
};
pub(crate) static GATE: Field<Table> = Field {
    key: Key {
        name: "gate",
        default: "see `target.NAME.gate`",
        becomes: "the init containers that wait",
        says: "What start gates are made of.",
        example: "{ within = \"5m\" }",
    },
    takes: table(&GATE_TABLE),
};
pub(crate) static API: Field<Arc<str>> = Field {
    key: Key {
        name: "api",
        default: "any address, ports 443 and 6443",
        becomes: "the way out that NetworkPolicies leave to those who ask the cluster's API",
        says: "Where the cluster's API is: the only way out of closed networks for those that ask it.",
        example: "[\"192.0.2.10/32\"]",
    },
    takes: list(formatted(&format::BLOCK)),
};

/// `[target.NAME]`.
pub(crate) static TARGET_TABLE: TableShape = TableShape {
    what: "a target",
    short: None,
    one_of: &[],
    groups: &[
        &[&ON, &LIKE, &DROP, &NAMESPACE, &NAMESPACE_PRESENT, &REGISTRY, &DOMAIN, &WEB, &GATE, &API],
        OVERRIDABLE,
    ],
};

pub(crate) static BY: Field<EntryKind> = Field {
    key: Key {
        name: "by",
        default: "ingress; gateway where one is named",
        becomes: "Ingress, or HTTPRoute (Gateway API)",
        says: "Kind of web entry: Ingress or Gateway API.",
        example: "\"gateway\"",
    },
    takes: words(),
};
pub(crate) static CLASS: Field<Arc<str>> = Field {
    key: Key {
        name: "class",
        default: "the cluster's default",
        becomes: "ingressClassName",
        says: "The class of the entry, by the cluster's name for it.",
        example: "\"public\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static TLS: Field<Reference> = Field {
    key: Key {
        name: "tls",
        default: "none: plain HTTP",
        becomes: "tls of the Ingress",
        says: "The secret with the certificate; it has the keys `tls.crt` and `tls.key`.",
        example: "\"secret.tls\"",
    },
    takes: reference(&[RefKind::Secret]),
};
pub(crate) static GATEWAY: Field<Arc<str>> = Field {
    key: Key {
        name: "gateway",
        default: "required by gateway",
        becomes: "parentRefs of the HTTPRoute",
        says: "The gateway, by its name, or by its namespace and its name.",
        example: "\"entry/public\"",
    },
    takes: name(NameKind::Gateway),
};

/// `web` of a target.
pub(crate) static WEB_TABLE: TableShape =
    TableShape { what: "a web entry", short: None, one_of: &[], groups: &[&[&BY, &CLASS, &TLS, &GATEWAY]] };

pub(crate) static READY: Field<Template> = Field {
    key: Key {
        name: "ready",
        default: "busybox:1.37.0",
        becomes: "the image of gates that wait for a service",
        says: "An image with `sh` and `nc`.",
        example: "\"registry.example/base/shell:1.0\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static DONE: Field<Template> = Field {
    key: Key {
        name: "done",
        default: "curlimages/curl:8.11.1",
        becomes: "the image of gates that wait for a task",
        says: "An image with `sh` and `curl`.",
        example: "\"registry.example/base/curl:8.11.1\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static WITHIN: Field<Duration> = Field {
    key: Key {
        name: "within",
        default: "10m",
        becomes: "the time in the gate's script",
        says: "Time before a gate gives up and is restarted.",
        example: "\"5m\"",
    },
    takes: formatted(&format::TIME),
};

/// `gate` of a target.
pub(crate) static GATE_TABLE: TableShape =
    TableShape { what: "a gate table", short: None, one_of: &[], groups: &[&[&READY, &DONE, &WITHIN]] };
