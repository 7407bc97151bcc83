//! Amounts.

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::Model;

pub(super) static SIZE_INVERTED: Rule = Rule {
    name: "size-inverted",
    severity: Severity::Error,
    summary: "More is set aside than is allowed.",
    why: "The cluster refuses a request that is above its limit.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"1Gi..512Mi\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"512Mi..1Gi\"\n",
    check: Some(size_inverted),
};

fn size_inverted(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        for (key, bounds) in [("cpu", &workload.cpu), ("memory", &workload.memory)] {
            let Some(bounds) = bounds.as_ref().filter(|bounds| bounds.value.is_inverted()) else { continue };
            let (Some(request), Some(limit)) = (&bounds.value.request, &bounds.value.limit) else { continue };
            let message = format!("{} asks for more {key} than it may have.", workload.reference());
            let mut problem = Diagnostic::new("size-inverted", message)
                .at(bounds.span(), format!("{request} is more than {limit}"))
                .help("A range is request..limit, the smaller one first.");
            if let Some(span) = bounds.span() {
                problem = problem.fix(span, format!("\"{limit}..{request}\""), "swap the two");
            }
            sink.push(problem);
        }
    }
}
