//! Objects with the same name.

use std::collections::{HashMap, HashSet};
use std::hash::{Hash, Hasher};

use fracht_core::diag::Diagnostic;
use fracht_core::model::{Model, Volume, Workload};
use fracht_core::rules::NAME_CLASH;
use fracht_core::source::Span;
use rustc_hash::FxBuildHasher;

use super::object::PlannedObject;
use super::source::Source;
use crate::brought::Home;
use crate::kinds::stateful_set;
use crate::name::{claim_name, template_name, workload_name};

/// Whether an object is one of the stack's own, as patches understand it: in its namespace, and of a kind of
/// Kubernetes.
pub(super) fn is_own(object: &PlannedObject<'_>, namespace: &str) -> bool {
    elsewhere(object, namespace).is_none()
}

/// The scope of the name of a passed object that is not in that of the stack's own objects.
fn elsewhere<'a>(object: &'a PlannedObject<'_>, namespace: &'a str) -> Option<Home<'a>> {
    let Source::Passed(passed) = &object.source else { return None };
    let home = passed.home(namespace);
    let own = home.group.is_empty() && home.namespace.is_none_or(|own| own == namespace);
    (!own).then_some(home)
}

/// Objects with the same kind and name in the same scope.
pub(super) fn names(objects: &[PlannedObject<'_>], model: &Model) -> Vec<Diagnostic> {
    let mut seen: HashSet<Named<'_>, _> = HashSet::with_capacity_and_hasher(objects.len(), FxBuildHasher);
    let mut problems = Vec::new();
    for object in objects {
        let named = Named { object, model };
        match seen.get(&named) {
            Some(first) => problems.push(clash(first.object, object, model)),
            None => _ = seen.insert(named),
        }
    }
    problems
}

/// An object, of which no other may have the kind and the name in the same scope. There are very many, so it refers to
/// them and does not repeat them.
struct Named<'a> {
    object: &'a PlannedObject<'a>,
    model: &'a Model,
}

impl<'a> Named<'a> {
    fn identity(&self) -> (Home<'a>, &'a str, &'a str) {
        let home = elsewhere(self.object, &self.model.target.namespace.value).unwrap_or_default();
        (home, self.object.kind(), &self.object.name)
    }
}

impl PartialEq for Named<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.identity() == other.identity()
    }
}

impl Eq for Named<'_> {}

impl Hash for Named<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        // Few have the same name and another kind or scope.
        self.object.name.hash(state);
    }
}

/// Where an object comes from, in words, and its place.
pub(super) fn described(object: &PlannedObject<'_>, model: &Model) -> (String, Option<Span>) {
    match &object.source {
        Source::Passed(passed) => {
            (format!("passed through from {}:{}", passed.file, passed.line), Some(passed.span))
        }
        source => {
            let origin = source.origin(model);
            (format!("generated from {}", origin.of), origin.span)
        }
    }
}

fn clash(first: &PlannedObject<'_>, second: &PlannedObject<'_>, model: &Model) -> Diagnostic {
    let ((first_words, first_span), (words, span)) = (described(first, model), described(second, model));
    let (kind, name) = (second.kind(), &*second.name);
    Diagnostic::new(&NAME_CLASH, format!("two objects have the same name: `{kind}/{name}`"))
        .at(span, words)
        .also(first_span, first_words)
        .help("rename one of them")
}

/// Clashes between claims: a cluster creates claims for the replicas of a set, whose names end with the number of the
/// replica.
pub(super) fn claims(model: &Model) -> Vec<Diagnostic> {
    let mut made: HashMap<String, (&Volume, &Workload)> = HashMap::new();
    let mut problems = Vec::new();
    let clash = |name: &str, second: (Span, &str), first: (Span, &str)| {
        Diagnostic::new(&NAME_CLASH, format!("two claims have the same name: `{name}`"))
            .at(second.0, format!("generated from {}", second.1))
            .also(first.0, format!("generated from {}", first.1))
            .help("rename one of them")
    };
    for workload in model.workloads.iter().filter(|workload| model.has_stable_names(workload)) {
        for volume in stateful_set::each(model, workload) {
            let name = format!("{}-{}", template_name(volume), workload_name(model, workload));
            let own = (volume.span, workload.reference());
            if let Some((other, of)) = made.get(&name) {
                let of = of.reference();
                problems.push(clash(&format!("{name}-0"), (own.0, &own.1), (other.span, &of)));
            }
            made.insert(name, (volume, workload));
        }
    }
    for volume in model.volumes.iter().filter(|volume| !made.is_empty() && !volume.each.value) {
        let name = claim_name(model, volume);
        let Some((set, _)) = name.rsplit_once('-').filter(|(_, end)| end.parse::<u32>().is_ok()) else {
            continue;
        };
        if let Some((other, of)) = made.get(set) {
            problems.push(clash(&name, (volume.span, "this volume"), (other.span, &of.reference())));
        }
    }
    problems
}
