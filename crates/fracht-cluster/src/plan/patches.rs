//! The patches of a stack, applied to its objects.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use fracht_core::diag::Diagnostic;
use fracht_core::model::Patch;
use fracht_core::rules::PATCH_MISSES;

use super::clash::is_own;
use super::object::{PlannedObject, complete_names};
use super::source::Source;
use crate::api::json;
use crate::brought::patch::{self, Content};
use crate::facts::ClusterFacts;
use crate::kinds::{Object, SecretValues};
use crate::name::in_stack;

/// Applies all patches, and returns the problems of those that cannot be applied.
pub(super) fn apply(
    objects: &mut [PlannedObject<'_>],
    facts: &ClusterFacts<'_>,
    secrets: Option<&SecretValues>,
) -> Vec<Diagnostic> {
    let model = facts.model;
    if model.patches.is_empty() {
        return Vec::new();
    }
    let namespace = &*model.target.namespace.value;
    let kinds: BTreeSet<&str> = model.patches.iter().map(|patch| &*patch.kind).collect();
    let mut known: HashMap<(String, String), usize> = HashMap::new();
    // The stack's own objects come first. Of several, the first one is patched; the others clash with it.
    for own in [true, false] {
        let patched =
            |object: &PlannedObject<'_>| kinds.contains(object.kind()) && is_own(object, namespace) == own;
        for (index, object) in objects.iter().enumerate().filter(|(_, object)| patched(object)) {
            known.entry((object.kind().to_owned(), object.name.to_string())).or_insert(index);
        }
    }
    let mut problems = Vec::new();
    let mut near = None;
    for one in &model.patches {
        // The name may be that of the object, or that of its part of the stack.
        let of = |name: String| known.get(&(one.kind.to_string(), name)).copied();
        let found = of(one.name.to_string()).or_else(|| of(in_stack(model, &one.name)));
        let Some(object) = found.and_then(|index| objects.get_mut(index)) else {
            let near = near.get_or_insert_with(|| {
                complete_names(objects, facts);
                by_kind_and_name(objects)
            });
            problems.push(misses(one, near, &model.target.name));
            continue;
        };
        let content = match &object.source {
            Source::Secret(..) if secrets.is_none() => Content::WithoutData,
            _ => Content::Complete,
        };
        let mut value = match object.patched.take() {
            Some(value) => *value,
            None => match object.source.build(facts, secrets) {
                Object::Value(value) => value,
                typed => json(&typed),
            },
        };
        // What cannot be applied leaves no trace, so that later patches are judged on their own.
        let before = value.clone();
        if let Some(problem) = patch::apply(&mut value, one, content) {
            problems.push(problem);
            value = before;
        }
        object.patched = Some(Box::new(value));
    }
    problems
}

fn misses(patch: &Patch, near: &BTreeMap<String, BTreeSet<String>>, target: &str) -> Diagnostic {
    const MOST: usize = 12;
    let of = |word: &str| near.get(word).into_iter().flatten().take(MOST).map(String::as_str);
    let names: BTreeSet<&str> = of(&patch.kind).chain(of(&patch.name)).collect();
    let names: Vec<&str> = names.into_iter().take(MOST).collect();
    let message = format!("patch target `{}/{}` not found", patch.kind, patch.name);
    let problem =
        Diagnostic::new(&PATCH_MISSES, message).at(patch.span, format!("not an object of target `{target}`"));
    problem.help(if names.is_empty() {
        "`fracht render` lists all objects; kinds start with a capital letter".to_owned()
    } else {
        format!("did you mean: {}?", names.join(", "))
    })
}

/// The objects for the help of a message, by kind (with a capital letter) and by name (without one).
fn by_kind_and_name(objects: &[PlannedObject<'_>]) -> BTreeMap<String, BTreeSet<String>> {
    let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (kind, name) in objects.iter().map(|object| (object.kind(), object.name())) {
        for word in [kind, name] {
            found.entry(word.to_owned()).or_default().insert(format!("{kind}/{name}"));
        }
    }
    found
}
