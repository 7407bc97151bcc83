//! Names and labels of what is on an engine.
//!
//! Names are `STACK.TARGET.NAME…`: no part has a dot, so no two stacks share one. Labels say what is ours: nothing
//! without them is ever changed.

use std::collections::BTreeMap;

use fracht_core::model::Model;

/// The label with the name of the stack.
pub const STACK: &str = "fracht.stack";
/// The label with the name of the target.
pub const TARGET: &str = "fracht.target";
/// The label with the table that it belongs to: `service.api`, `task.schema`, `network.back`, `volume.tides`.
pub const OF: &str = "fracht.of";
/// The label with the number of the replica, from 0.
pub const REPLICA: &str = "fracht.replica";
/// The label with the name of the sidecar.
pub const SIDECAR: &str = "fracht.beside";
/// The label with the digest of the definition, without the values of secrets.
pub const DIGEST: &str = "fracht.digest";
/// The label with the digest of the values of secrets.
pub const SECRETS: &str = "fracht.secrets";
/// The label of a container for one program, which `start` neither makes nor changes.
pub const ONCE: &str = "fracht.once";

/// A stack and its target.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Owner {
    /// The name of the stack.
    pub stack: String,
    /// The name of the target.
    pub target: String,
}

impl Owner {
    /// The owner of what a model becomes.
    pub fn of(model: &Model) -> Self {
        Self { stack: model.name.value.to_string(), target: model.target.name.to_string() }
    }

    /// The owner of something with labels; `None` if Fracht did not make it.
    pub fn of_labels(labels: &BTreeMap<String, String>) -> Option<Self> {
        let label = |key: &str| labels.get(key).cloned();
        Some(Self { stack: label(STACK)?, target: label(TARGET)? })
    }

    /// `STACK.TARGET.REST`.
    pub fn name(&self, rest: &str) -> String {
        format!("{}.{}.{rest}", self.stack, self.target)
    }

    /// The labels by which all that it owns is listed.
    pub fn labels(&self) -> [(&str, &str); 2] {
        [(STACK, &self.stack), (TARGET, &self.target)]
    }

    /// The labels of something that it owns.
    pub(crate) fn labels_of(&self, of: &str) -> BTreeMap<String, String> {
        let own = [(STACK, &*self.stack), (TARGET, &*self.target), (OF, of)];
        own.into_iter().map(|(key, value)| (key.to_owned(), value.to_owned())).collect()
    }
}
