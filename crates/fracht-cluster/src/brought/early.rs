//! The problems of patches and passed objects that show without the objects of the stack: in a stack with errors.

use std::collections::BTreeSet;

use fracht_core::diag::{Diagnostic, nearest};
use fracht_core::model::{Model, Patch};
use fracht_core::rules::PATCH_MISSES;

use super::{passed, patch};
use crate::schema;

/// Kinds of objects of a stack that are not part of Kubernetes itself.
const OTHER_KINDS: &[&str] = &["HTTPRoute"];

/// What is wrong with what a stack brings, whatever its own objects are.
pub(crate) fn problems(model: &Model) -> Vec<Diagnostic> {
    let (passed, mut problems) = passed::objects(model);
    let passed: BTreeSet<&str> = passed.iter().map(|object| &*object.kind).collect();
    let is_other = |kind: &str| OTHER_KINDS.contains(&kind) || passed.contains(kind);
    for one in model.patches.iter().filter(|one| !is_other(&one.kind)) {
        problems.extend(match schema::version_of(&one.kind) {
            Some(version) => misfit(one, version),
            None => Some(unknown(one, &model.target.name)),
        });
    }
    problems
}

fn unknown(patch: &Patch, target: &str) -> Diagnostic {
    let message = format!("patch target `{}/{}` not found", patch.kind, patch.name);
    let problem =
        Diagnostic::new(&PATCH_MISSES, message).at(patch.span, format!("not an object of target `{target}`"));
    problem.help(match nearest(&patch.kind, schema::kinds()) {
        Some(kind) => format!("did you mean `{kind}/{}`?", patch.name),
        None => "`fracht render` lists all objects; kinds start with a capital letter".to_owned(),
    })
}

/// A field of a merge that objects of its kind do not have.
fn misfit(patch: &Patch, version: &str) -> Option<Diagnostic> {
    patch::invalid(&patch::alone(patch, version)?, patch, None)
}
