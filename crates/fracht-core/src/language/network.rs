//! `[network.NAME]`.

use std::sync::Arc;

use super::allow::ALLOW;
use super::field::{BOOLEAN, Field, Table, list, name, table};
use super::shape::{Key, Short, TableShape};
use crate::grammar::name::NameKind;

pub(crate) static CLOSED: Field<bool> = Field {
    key: Key {
        name: "closed",
        default: "false",
        becomes: "NetworkPolicy that also blocks outgoing traffic",
        description: "Set to true to block everything except other members and DNS.",
        example: "true",
    },
    takes: BOOLEAN,
};

pub(crate) static ADMITS: Field<Table> = Field {
    key: Key {
        name: "admits",
        default: "none",
        becomes: "more sources in the NetworkPolicy",
        description: "Other stacks whose services and tasks may connect to members.",
        example: "[\"harbour-desk\", { stack = \"pilots\", namespace = \"pilots-prod\" }]",
    },
    takes: list(table(&ADMITS_TABLE)),
};

pub(crate) static STACK: Field<Arc<str>> = Field {
    key: Key {
        name: "stack",
        default: "required",
        becomes: "the label app.kubernetes.io/part-of",
        description: "Name of the other stack.",
        example: "\"harbour-desk\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static SERVICE: Field<Arc<str>> = Field {
    key: Key {
        name: "service",
        default: "all",
        becomes: "the label app.kubernetes.io/name",
        description: "Only this service or task of it.",
        example: "\"console\"",
    },
    takes: name(NameKind::Label),
};
pub(crate) static NAMESPACE: Field<Arc<str>> = Field {
    key: Key {
        name: "namespace",
        default: "the target's namespace",
        becomes: "the label kubernetes.io/metadata.name of a namespace",
        description: "Namespace of the other stack.",
        example: "\"harbour-office\"",
    },
    takes: name(NameKind::Namespace),
};

/// An entry of `admits`.
pub(crate) static ADMITS_TABLE: TableShape = TableShape {
    what: "a table that names a stack",
    short: Some(Short::Key(&STACK)),
    one_of: &[],
    groups: &[&[&STACK, &SERVICE, &NAMESPACE]],
};

/// `[network.NAME]`.
pub(crate) static NETWORK_TABLE: TableShape =
    TableShape { what: "a network", short: None, one_of: &[], groups: &[&[&CLOSED, &ADMITS, &ALLOW]] };
