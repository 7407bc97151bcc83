//! The rule on targets that claim the same objects.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, TargetKind};

pub(super) static TARGETS_CLASH: Rule = Rule {
    name: "targets-clash",
    severity: Severity::Warning,
    summary: "Two cluster targets have one namespace",
    why: "Their objects have the same names: the target that is applied last overwrites the other.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
            [target.staging]\nnamespace = \"tides\"\n[target.prod]\nnamespace = \"tides\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             [target.staging]\nnamespace = \"tides-staging\"\n[target.prod]\nnamespace = \"tides\"\n",
    ..Rule::BASE
};

pub(super) fn targets_clash(model: &Model, sink: &mut Sink) {
    let target = &model.target;
    if target.on.value != TargetKind::Cluster {
        return;
    }
    let Some(other) = target.earlier.iter().find(|other| {
        // Targets for different clusters mostly say nothing of either.
        let written = target.namespace.span().is_some();
        let same_host = target.domain.is_some()
            && target.domain.as_ref().map(|domain| &domain.value) == other.domain.as_ref();
        other.namespace == target.namespace.value && (written || same_host)
    }) else {
        return;
    };
    let namespace = &target.namespace.value;
    let message =
        format!("`target.{}` and `target.{}` both use the namespace `{namespace}`", other.name, target.name);
    // A target that is like another one has its namespace.
    let own = target.namespace.span().filter(|_| target.has_own_namespace);
    let problem = Diagnostic::new(&TARGETS_CLASH, message)
        .at(own.or(target.name_span), if own.is_some() { "used again here" } else { "has none of its own" })
        .also(other.span, "uses it already")
        .help(format!(
            "give it one of its own: `namespace = \"{namespace}-{}\"` in `[target.{}]`",
            target.name, target.name
        ))
        .help("or if these are two clusters, say so: `allow.targets-clash = \"REASON\"` in the target");
    sink.push(target.name_span.into_iter().fold(problem, Diagnostic::of));
}
