//! `[target.NAME]`: the target's own keys, and the tables that it overrides.

use std::sync::Arc;
use std::time::Duration;

use super::allow::ALLOW;
use super::field::{
    BOOLEAN, Field, Table, Template, formatted, list, name, named, one_or_list, reference, scalar, table,
    template, words,
};
use super::format;
use super::shape::{Key, NOTHING, TableShape};
use super::stack::OVERRIDABLE;
use crate::grammar::name::NameKind;
use crate::grammar::platform::Platform;
use crate::grammar::reference::{RefKind, Reference, References};
use crate::model::{EntryKind, TargetKind};

pub(crate) static ON: Field<TargetKind> = Field {
    key: Key {
        name: "on",
        default: "cluster",
        becomes: "objects for a cluster, none for a machine",
        description: "One machine with ports on localhost, or a Kubernetes cluster.",
        example: "\"cluster\"",
    },
    takes: words(),
};
pub(crate) static LIKE: Field<Reference> = Field {
    key: Key {
        name: "like",
        default: "none",
        becomes: "–",
        description: "Targets to merge into the stack before this one.",
        example: "\"target.staging\"",
    },
    takes: one_or_list(reference(&[RefKind::Target])),
};
pub(crate) static DROP: Field<Vec<String>> = Field {
    key: Key {
        name: "drop",
        default: "none",
        becomes: "–",
        description: "Paths to remove from the stack before this target is merged.",
        example: "[\"service.debug\", \"service.api.env.TRACE\"]",
    },
    takes: list(formatted(&format::PATH)),
};
pub(crate) static NAMESPACE: Field<Arc<str>> = Field {
    key: Key {
        name: "namespace",
        default: "the stack's name",
        becomes: "the Namespace, and the namespace of all objects",
        description: "Namespace of the objects.",
        example: "\"tidedesk-staging\"",
    },
    takes: name(NameKind::Namespace),
};
pub(crate) static NAMESPACE_PRESENT: Field<bool> = Field {
    key: Key {
        name: "namespace-present",
        default: "false",
        becomes: "no Namespace",
        description: "Set to true if the namespace already exists; no object is generated for it.",
        example: "true",
    },
    takes: BOOLEAN,
};
pub(crate) static REGISTRY: Field<Arc<str>> = Field {
    key: Key {
        name: "registry",
        default: "none",
        becomes: "the registry of built images",
        description: "Registry for built images, also `{target.registry}`; takes no references.",
        example: "\"registry.example/tidedesk\"",
    },
    takes: formatted(&format::REGISTRY),
};
pub(crate) static WITHOUT_TLS: Field<Arc<str>> = Field {
    key: Key {
        name: "without-tls",
        default: "none",
        becomes: NOTHING,
        description: "Registries that Fracht asks without TLS, for example one on this machine.",
        example: "[\"127.0.0.1:5055\"]",
    },
    takes: one_or_list(formatted(&format::REGISTRY)),
};
pub(crate) static DOMAIN: Field<Arc<str>> = Field {
    key: Key {
        name: "domain",
        default: "none",
        becomes: "the host of web entries",
        description: "Domain of web entries, also `{target.domain}`; takes no references.",
        example: "\"tides.example\"",
    },
    takes: formatted(&format::HOST),
};
pub(crate) static WEB: Field<Table> = Field {
    key: Key {
        name: "web",
        default: "an Ingress of the default class, without TLS",
        becomes: "Ingress or HTTPRoute",
        description: "Web entry that all services share.",
        example: "{ class = \"public\", tls = \"secret.tls\" }",
    },
    takes: table(&WEB_TABLE),
};
pub(crate) static GATE: Field<Table> = Field {
    key: Key {
        name: "gate",
        default: "see `target.NAME.gate`",
        becomes: "the init containers that wait",
        description: "Images and time limit of start gates.",
        example: "{ within = \"5m\" }",
    },
    takes: table(&GATE_TABLE),
};
pub(crate) static API: Field<Arc<str>> = Field {
    key: Key {
        name: "api",
        default: "any address, ports 443 and 6443",
        becomes: "egress to the API in the NetworkPolicies",
        description: "Address ranges of the cluster's API, which closed networks keep open.",
        example: "[\"192.0.2.10/32\"]",
    },
    takes: list(formatted(&format::BLOCK)),
};

pub(crate) static NODES: Field<Platform> = Field {
    key: Key {
        name: "nodes",
        default: "not known",
        becomes: NOTHING,
        description: "Platforms of its nodes, against which those of services are checked.",
        example: "[\"linux/arm64\"]",
    },
    takes: one_or_list(formatted(&format::PLATFORM)),
};

/// `[target.NAME]`.
pub(crate) static TARGET_TABLE: TableShape = TableShape {
    what: "a target",
    short: None,
    one_of: &[],
    groups: &[
        &[
            &ON,
            &LIKE,
            &DROP,
            &NAMESPACE,
            &NAMESPACE_PRESENT,
            &REGISTRY,
            &WITHOUT_TLS,
            &DOMAIN,
            &WEB,
            &GATE,
            &API,
            &NODES,
            &ALLOW,
        ],
        OVERRIDABLE,
    ],
};

pub(crate) static BY: Field<EntryKind> = Field {
    key: Key {
        name: "by",
        default: "ingress; gateway if `gateway` is set",
        becomes: "Ingress, or HTTPRoute (Gateway API)",
        description: "Kind of web entry: Ingress or Gateway API.",
        example: "\"gateway\"",
    },
    takes: words(),
};
pub(crate) static CLASS: Field<Arc<str>> = Field {
    key: Key {
        name: "class",
        default: "cluster default",
        becomes: "ingressClassName",
        description: "Class of the web entry in the cluster.",
        example: "\"public\"",
    },
    takes: name(NameKind::Object),
};
pub(crate) static TLS: Field<Reference> = Field {
    key: Key {
        name: "tls",
        default: "none: plain HTTP",
        becomes: "tls of the Ingress",
        description: "Secret with the certificate; it has the keys `tls.crt` and `tls.key`.",
        example: "\"secret.tls\"",
    },
    takes: reference(&[RefKind::Secret]),
};
pub(crate) static GATEWAY: Field<Arc<str>> = Field {
    key: Key {
        name: "gateway",
        default: "required with `by = \"gateway\"`",
        becomes: "parentRefs of the HTTPRoute",
        description: "Name of the gateway, or its namespace and name.",
        example: "\"entry/public\"",
    },
    takes: name(NameKind::Gateway),
};

pub(crate) static NOTE: Field<Template> = Field {
    key: Key {
        name: "note",
        default: "none",
        becomes: "annotations of each Ingress or HTTPRoute",
        description: "Annotations of all web entries; those of a port override them.",
        example: "{ \"harbour.example/largest-request\" = \"8Mi\" }",
    },
    takes: named(NameKind::Qualified, scalar(References::Known)),
};

/// `web` of a target.
pub(crate) static WEB_TABLE: TableShape = TableShape {
    what: "a web entry",
    short: None,
    one_of: &[],
    groups: &[&[&BY, &CLASS, &TLS, &GATEWAY, &NOTE]],
};

pub(crate) static READY: Field<Template> = Field {
    key: Key {
        name: "ready",
        default: "busybox:1.37.0",
        becomes: "the image of gates that wait for a service",
        description: "Image with `sh` and `nc`.",
        example: "\"registry.example/base/shell:1.0\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static DONE: Field<Template> = Field {
    key: Key {
        name: "done",
        default: "curlimages/curl:8.11.1",
        becomes: "the image of gates that wait for a task or a new version",
        description: "Image with `sh` and `curl`.",
        example: "\"registry.example/base/curl:8.11.1\"",
    },
    takes: template(&format::IMAGE),
};
pub(crate) static WITHIN: Field<Duration> = Field {
    key: Key {
        name: "within",
        default: "10m",
        becomes: "the time in the gate's script",
        description: "Time before a gate gives up and is restarted.",
        example: "\"5m\"",
    },
    takes: formatted(&format::TIME),
};

/// `gate` of a target.
pub(crate) static GATE_TABLE: TableShape =
    TableShape { what: "a gate table", short: None, one_of: &[], groups: &[&[&READY, &DONE, &WITHIN]] };
