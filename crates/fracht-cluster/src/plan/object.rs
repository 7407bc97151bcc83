//! An object of the plan.

use serde_json::Value;

use super::source::Source;
use crate::api::Str;
use crate::facts::ClusterFacts;
use crate::group::Group;
use crate::kinds::{Object, SecretValues};

/// An object to generate.
#[derive(Clone, Debug)]
pub struct PlannedObject<'m> {
    /// Its name; that of a Job may have no digest yet.
    pub(crate) name: Str,
    pub(crate) group: Group,
    /// The start wave of a workload, from 1; 0 for all other objects.
    pub(crate) wave: u32,
    pub(crate) source: Source<'m>,
    /// The object with its patches, if it has any.
    pub(super) patched: Option<Box<Value>>,
}

/// Adds the digests to the names of Jobs.
pub(crate) fn complete_names(objects: &mut [PlannedObject<'_>], facts: &ClusterFacts<'_>) {
    for object in objects {
        if let Source::Job(id, ..) = object.source
            && let Some(name) = facts.job_name(id)
        {
            object.name = name.clone();
        }
    }
}

impl PlannedObject<'_> {
    /// Its kind, such as `Deployment`.
    pub fn kind(&self) -> &str {
        self.source.kind()
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether it contains the value of a secret.
    pub fn holds_secret(&self) -> bool {
        self.kind() == "Secret"
    }

    /// The text of an object that is passed through unchanged.
    pub(crate) fn passed_text(&self) -> Option<&str> {
        match &self.source {
            Source::Passed(object) if self.patched.is_none() => Some(&object.text),
            _ => None,
        }
    }

    /// The object, with its patches.
    pub(crate) fn build(&self, facts: &ClusterFacts<'_>, secrets: Option<&SecretValues>) -> Object {
        match &self.patched {
            Some(patched) => Object::Value(Value::clone(patched)),
            None => self.source.build(facts, secrets),
        }
    }
}
