//! `[network.NAME]`.

use super::allow::ALLOW;
use super::field::{BOOLEAN, Field};
use super::shape::{Key, TableShape};

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

/// `[network.NAME]`.
pub(crate) static NETWORK_TABLE: TableShape =
    TableShape { what: "a network", short: None, one_of: &[], groups: &[&[&CLOSED, &ALLOW]] };
