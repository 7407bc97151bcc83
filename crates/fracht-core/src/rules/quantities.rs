//! Amounts.

use super::{Check, Rule};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Container, Model, Replicas};

pub(super) static SIZE_INVERTED: Rule = Rule {
    name: "size-inverted",
    severity: Severity::Error,
    summary: "More is set aside than is allowed.",
    why: "The cluster refuses a request that is above its limit.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"1Gi..512Mi\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"512Mi..1Gi\"\n",
    fixed: false,
    check: Check::Model(size_inverted),
};

fn size_inverted(model: &Model, sink: &mut Sink) {
    let containers =
        model.workloads.iter().flat_map(|workload| workload.containers().map(move |c| (workload, c)));
    for (workload, container) in containers {
        for (key, bounds) in [("cpu", &container.cpu), ("memory", &container.memory)] {
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

pub(super) static LOAD_UNMEASURED: Rule = Rule {
    name: "load-unmeasured",
    severity: Severity::Error,
    summary: "A service grows with its load, and no processor is set aside for it.",
    why: "The load is measured as a share of what is set aside; of nothing there is no share.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplicas = { min = 2, max = 8 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplicas = { min = 2, max = 8 }\ncpu = \"100m..1\"\n",
    fixed: false,
    check: Check::Model(load_unmeasured),
};

fn load_unmeasured(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.tainted) {
        let Some(service) = workload.service() else { continue };
        let Replicas::Growing { .. } = service.replicas.value else { continue };
        let measured = |container: &Container| {
            container.cpu.as_ref().is_some_and(|cpu| cpu.value.request.is_some() || cpu.value.limit.is_some())
        };
        if !workload.containers().all(measured) {
            let message = format!("{} grows with its load, which can't be measured.", workload.reference());
            sink.push(
                Diagnostic::new("load-unmeasured", message)
                    .at(service.replicas.span(), "a share of what is set aside")
                    .also(workload.span, "a container of it has no `cpu`")
                    .help("Set processor aside for it, such as cpu = \"100m..1\"; for its helpers as well."),
            );
        }
    }
}
