//! Rules on sizes, requests and limits.

use super::Rule;
use crate::diag::{Diagnostic, Sink};
use crate::model::{Container, Model, Replicas};

pub(super) static SIZE_INVERTED: Rule = Rule {
    name: "size-inverted",
    summary: "A request is higher than its limit",
    why: "The cluster refuses a request that is above its limit.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"1Gi..512Mi\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"512Mi..1Gi\"\n",
    ..Rule::BASE
};

pub(super) fn size_inverted(model: &Model, sink: &mut Sink) {
    let containers =
        model.workloads.iter().flat_map(|workload| workload.containers().map(move |c| (workload, c)));
    for (workload, container) in containers {
        for (key, bounds) in [("cpu", &container.cpu), ("memory", &container.memory)] {
            let Some(bounds) = bounds.as_ref().filter(|bounds| bounds.value.is_inverted()) else { continue };
            let (Some(request), Some(limit)) = (&bounds.value.request, &bounds.value.limit) else { continue };
            let message = format!("the {key} request of `{}` is higher than its limit", workload.reference());
            let problem = Diagnostic::new(&SIZE_INVERTED, message)
                .at(bounds.span(), format!("{request} is more than {limit}"));
            sink.push(match bounds.span() {
                Some(span) => problem.fix(span, format!("\"{limit}..{request}\""), "swap request and limit"),
                None => problem.help("write request..limit, the smaller one first"),
            });
        }
    }
}

pub(super) static LOAD_UNMEASURED: Rule = Rule {
    name: "load-unmeasured",
    summary: "A service scales with load but has no CPU request",
    why: "Load is measured as a percentage of the CPU request; without a request there is nothing to measure against.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplicas = { min = 2, max = 8 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplicas = { min = 2, max = 8 }\ncpu = \"100m..1\"\n",
    ..Rule::BASE
};

pub(super) fn load_unmeasured(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.tainted) {
        let Some(service) = workload.service() else { continue };
        let Replicas::Growing { .. } = service.replicas.value else { continue };
        let measured = |container: &Container| {
            container.cpu.as_ref().is_some_and(|cpu| cpu.value.request.is_some() || cpu.value.limit.is_some())
        };
        if !workload.containers().all(measured) {
            let message = format!("`{}` scales with load but has no CPU request", workload.reference());
            sink.push(
                Diagnostic::new(&LOAD_UNMEASURED, message)
                    .at(service.replicas.span(), "scales on the CPU request")
                    .also(workload.span, "has a container without `cpu`")
                    .help("set `cpu`, for example `cpu = \"100m..1\"`, for the service and each sidecar"),
            );
        }
    }
}
