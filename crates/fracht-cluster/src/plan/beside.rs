//! Objects that two stacks beside each other both have.

use std::collections::HashMap;

use fracht_core::diag::Diagnostic;
use fracht_core::model::Model;
use fracht_core::rules::NAME_CLASH;
use fracht_core::rules::beside::{NAMESPACE_SHARED, Neighbor};

use super::clash::described;
use super::object::PlannedObject;
use super::source::Source;
use crate::brought::Home;

/// The objects that both stacks have, of the stack with `model` and of its neighbor.
pub(crate) fn clashes(
    (own, model): (&[PlannedObject<'_>], &Model),
    (other, neighbor): (&[PlannedObject<'_>], &Neighbor<'_>),
) -> Vec<Diagnostic> {
    let beside = &neighbor.facts.model;
    let theirs: HashMap<_, _> = other.iter().map(|object| (identity(object, beside), object)).collect();
    let mut problems = Vec::new();
    for object in own {
        let Some(second) = theirs.get(&identity(object, model)) else { continue };
        let ((words, span), (their_words, their_span)) =
            (described(object, model), described(second, beside));
        let (kind, name, stack) = (object.kind(), object.name(), neighbor.name());
        let their_span = their_span.map(|span| neighbor.place(span));
        problems.push(match (&object.source, &second.source) {
            (Source::Namespace, Source::Namespace) => {
                let message = format!("stack `{stack}` creates the namespace `{name}` as well");
                let own = model.target.namespace.span().or(model.target.name_span);
                Diagnostic::new(&NAMESPACE_SHARED, message)
                    .at(own.or(model.name.span()), "created here")
                    .also(their_span.or(beside.name.span().map(|span| neighbor.place(span))), "also created here")
                    .help("set `namespace-present = true` in one of the two targets")
            }
            (Source::Service(_), Source::Service(_)) => {
                let namespace = &model.target.namespace.value;
                let message = format!("stack `{stack}` has a service `{name}` in namespace `{namespace}` as well");
                Diagnostic::new(&NAME_CLASH, message)
                    .at(span, "this service")
                    .also(their_span, "a service of the same name")
                    .help("rename one of them, or use another namespace: services are found by their names alone")
            }
            _ => Diagnostic::new(&NAME_CLASH, format!("stack `{stack}` has an object `{kind}/{name}` as well"))
                .at(span, words)
                .also(their_span, their_words)
                .help("rename one of them: the stack that is applied last would overwrite the other's"),
        });
    }
    problems
}

/// What no two objects of a cluster may share: namespace and group, kind, and name.
fn identity<'a>(object: &'a PlannedObject<'_>, model: &'a Model) -> (Home<'a>, &'a str, &'a str) {
    let namespace = &*model.target.namespace.value;
    let home = match &object.source {
        Source::Passed(passed) => passed.home(namespace),
        Source::Namespace | Source::PersistentVolume(..) => Home::default(),
        _ => Home { namespace: Some(namespace), group: "" },
    };
    (home, object.kind(), object.name())
}
