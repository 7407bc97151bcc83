//! Tables of what exists in the cluster already, or is generated. Of the two, a later layer has its way.

use super::config::{self, CONFIG_TABLE};
use super::secret::{self, SECRET_TABLE};
use super::shape::{AnyField, Group, TableShape};

/// The keys of such a table.
pub(crate) struct Sides {
    table: &'static TableShape,
    /// Says that it exists.
    pub(crate) present: &'static dyn AnyField,
    /// The keys from which it is generated.
    pub(crate) generated: Group,
    /// The one of these that has a table for each of its keys.
    pub(crate) named: &'static dyn AnyField,
    /// The list of its keys.
    pub(crate) listed: &'static dyn AnyField,
}

static SIDES: [Sides; 2] = [
    Sides {
        table: &CONFIG_TABLE,
        present: &config::PRESENT,
        generated: &[&config::KEY, &config::LINES, &config::REFERENCES, &config::FILES],
        named: &config::KEY,
        listed: &config::KEYS,
    },
    Sides {
        table: &SECRET_TABLE,
        present: &secret::PRESENT,
        generated: &[&secret::KEY, &secret::LINES, &config::REFERENCES],
        named: &secret::KEY,
        listed: &secret::KEYS,
    },
];

impl Sides {
    /// Those of a table, if it is one of these.
    pub(crate) fn of(table: &TableShape) -> Option<&'static Self> {
        SIDES.iter().find(|sides| std::ptr::eq(sides.table, table))
    }
}
