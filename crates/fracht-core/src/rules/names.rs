//! The rule on names of objects.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, TargetKind};
use crate::source::Span;

pub(super) static NAME_TOO_LONG: Rule = Rule {
    name: "name-too-long",
    severity: Severity::Hint,
    summary: "The names of objects are shortened",
    why: "A cluster takes at most 63 characters: the end of a longer name becomes a digest, which nobody can read.",
    fails: "[stack]\nname = \"tide-forecasts-for-small-harbours\"\n\
            [task.recalculate-all-forecasts]\nimage = \"a:1.0\"\n",
    passes: "[stack]\nname = \"tidedesk\"\n[task.recalculate-all-forecasts]\nimage = \"a:1.0\"\n",
    ..Rule::BASE
};

/// The longest name of an object (RFC 1123, section 2.1).
const MOST: usize = 63;
/// What the cluster adds to the names of the objects of a stateful service and of a scheduled task.
const SUFFIX: usize = 11;
/// What Fracht adds to the name of a task: a digest.
const DIGEST: usize = 11;

pub(super) fn name_too_long(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    let stack = &*model.name.value;
    let joined = |name: &str| stack.len() + if stack.contains('-') { 2 } else { 1 } + name.len();
    let mut report = |owner: String, span: Span, length: usize, most: usize, what: &str| {
        if length <= most {
            return;
        }
        let message = format!("the objects of `{owner}` get shortened names");
        sink.push(
            Diagnostic::new(&NAME_TOO_LONG, message)
                .at(span, format!("{length} characters {what}, at most {most}"))
                .help("shorten its name, or that of the stack")
                .of(span),
        );
    };
    for workload in &model.workloads {
        let owner = workload.reference();
        let name = &*workload.name;
        if model.has_stable_names(workload) {
            report(owner, workload.span, name.len(), MOST - SUFFIX, "in its name");
        } else if workload.is_scheduled() {
            report(owner, workload.span, joined(name), MOST - SUFFIX, "with the stack's name");
        } else if workload.service().is_none() {
            report(owner, workload.span, joined(name) + DIGEST, MOST, "with the stack's name and a digest");
        } else {
            report(owner, workload.span, joined(name), MOST, "with the stack's name");
        }
    }
    let tables =
        model.volumes.iter().filter(|one| one.present.is_none()).map(|one| ("volume", &one.name, one.span));
    let configs =
        model.configs.iter().filter(|one| one.present.is_none()).map(|one| ("config", &one.name, one.span));
    let secrets =
        model.secrets.iter().filter(|one| one.present.is_none()).map(|one| ("secret", &one.name, one.span));
    for (kind, name, span) in tables.chain(configs).chain(secrets) {
        report(format!("{kind}.{name}"), span, joined(name), MOST, "with the stack's name");
    }
}
