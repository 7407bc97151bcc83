//! `[network.NAME]`.

use super::shape::{Key, Shape, TableShape};

/// `[network.NAME]`.
pub(super) static NETWORK: TableShape = TableShape {
    what: "a network",
    short_for: &[],
    one_of: &[],
    keys: &[Key {
        name: "closed",
        shape: Shape::Boolean,
        default: "false",
        becomes: "a NetworkPolicy that closes the way out as well",
        says: "Whether its members reach nothing but each other and the look-up of names.",
        example: "true",
    }],
};
