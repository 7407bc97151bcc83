//! Rules on the start order and on stopping.

use super::Rule;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::duration::{show, whole_seconds};
use crate::grammar::word::Word;
use crate::model::{BeforeStop, Condition, Model, Protocol, Replicas};
use crate::plan::facts::Facts;
use crate::plan::order::Wait;

pub(super) static START_CYCLE: Rule = Rule {
    name: "start-cycle",
    summary: "The start order has a cycle",
    why: "None of them can start.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { b = \"started\" }\n\
            [service.b]\nimage = \"b:1\"\nafter = { a = \"started\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { b = \"started\" }\n\
             [service.b]\nimage = \"b:1\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn start_cycle(facts: &Facts, sink: &mut Sink) {
    let model = &facts.model;
    for cycle in &facts.order.cycles {
        let name = |id| &*model.workloads[id].name;
        let Some((first, others)) = cycle.split_first() else { continue };
        let mut names: Vec<&str> = cycle.iter().map(|wait| name(wait.from)).collect();
        names.push(name(first.from));
        let shown = if names.len() > 12 {
            format!("{} … {}", names.get(..6).unwrap_or_default().join(" → "), name(first.from))
        } else {
            names.join(" → ")
        };
        let message = if others.is_empty() {
            format!("`{}` waits for itself", name(first.from))
        } else {
            format!("the start order has a cycle: {shown}")
        };
        let words = |wait: &Wait| {
            format!("`{}` waits for `{}` to be {}", name(wait.from), name(wait.on), wait.condition.word())
        };
        let mut problem = Diagnostic::new(&START_CYCLE, message).at(first.span, words(first));
        for wait in others.iter().take(12) {
            problem = problem.also(wait.span, words(wait));
        }
        sink.push(problem.help("remove one of these waits"));
    }
}

pub(super) static WAITS_WITHOUT_HEALTH: Rule = Rule {
    name: "waits-without-health",
    summary: "A wait for a service without a health check or a TCP port",
    why: "Started is not ready. Without a health check and a TCP port, what waits for it would start too early.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
            [service.db]\nimage = \"db:1\"\nport.sql = 5432\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
             [service.db]\nimage = \"db:1\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\n",
    ..Rule::BASE
};

pub(super) fn waits_without_health(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        for after in workload.after.iter().filter(|after| after.condition == Condition::Ready) {
            let on = &model.workloads[after.on];
            let Some(service) = on.service().filter(|_| !on.incomplete) else { continue };
            let (waiter, name) = (&workload.name, &on.name);
            let problem = |what: String, missing: &str| {
                Diagnostic::new(&WAITS_WITHOUT_HEALTH, what)
                    .at(after.span, format!("`{waiter}` waits for it here"))
                    .also(on.span, missing)
            };
            if on.main.health.is_none() {
                let message =
                    format!("`{waiter}` waits for `{name}` to be ready, but `{name}` has no health check");
                let example = service.ports.first().map_or_else(
                    || "health = { run = [\"check\"] }".to_owned(),
                    |port| format!("health = {{ tcp = \"{}\" }}", port.name),
                );
                sink.push(
                    problem(message, "`health` is missing")
                        .help(format!("add one to `service.{name}`, for example `{example}`"))
                        .help(format!(
                            "or wait only until it has started: `after = {{ {name} = \"started\" }}`"
                        )),
                );
            } else if !service.ports.iter().any(|port| port.protocol == Protocol::Tcp) {
                let message =
                    format!("`{waiter}` waits for `{name}` to be ready, but `{name}` has no TCP port");
                sink.push(
                    problem(message, "no TCP port")
                        .help(format!("add a TCP port to `service.{name}`: the start gate connects to it"))
                        .help(format!(
                            "or wait only until it has started: `after = {{ {name} = \"started\" }}`"
                        )),
                );
            }
        }
    }
}

pub(super) static AWAIT_ENDLESS: Rule = Rule {
    name: "await-endless",
    summary: "A wait for something that never comes",
    why: "A service with no replicas is never ready: what waits for it never starts.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
            [service.db]\nimage = \"db:1\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\nreplicas = 0\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
             [service.db]\nimage = \"db:1\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\nreplicas = 1\n",
    ..Rule::BASE
};

pub(super) fn await_endless(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        if workload.service().is_some_and(|service| service.replicas.value == Replicas::Fixed(0)) {
            continue; // nothing of it waits
        }
        for after in workload.after.iter().filter(|after| after.condition == Condition::Ready) {
            let on = &model.workloads[after.on];
            let Some(service) = on.service() else { continue };
            if service.replicas.value != Replicas::Fixed(0) {
                continue;
            }
            let message =
                format!("`{}` waits for `{}`, of which none run", workload.reference(), on.reference());
            sink.push(
                Diagnostic::new(&AWAIT_ENDLESS, message)
                    .at(after.span, "never ready")
                    .also(service.replicas.span(), "no replicas")
                    .help(format!(
                        "drop the wait where `{}` has no replicas: `drop = [\"after.{}\"]`",
                        on.name, on.name
                    ))
                    .help(format!("or let one run: `replicas = 1` in `[service.{}]`", on.name)),
            );
        }
    }
}

pub(super) static STOP_TOO_SHORT: Rule = Rule {
    name: "stop-too-short",
    summary: "The wait before the stop is longer than the time to stop",
    why: "The time to stop counts from the beginning of the wait: the cluster refuses a longer one.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nbefore-stop = { wait = \"45s\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
             before-stop = { wait = \"45s\" }\nstop-within = \"60s\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn stop_too_short(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.tainted) {
        let stop = workload.stop_time();
        for container in workload.containers() {
            let Some(before) = &container.before_stop else { continue };
            let BeforeStop::Wait(wait) = before.value else { continue };
            if whole_seconds(wait) <= whole_seconds(stop) {
                continue;
            }
            let owner = workload.reference();
            let message =
                format!("`{owner}` waits {} before it stops, and has {} to stop", show(wait), show(stop));
            let help = format!("give it more time: `stop-within = \"{}\"`", show(wait + stop));
            let problem = Diagnostic::new(&STOP_TOO_SHORT, message)
                .at(before.span(), format!("longer than {}", show(stop)))
                .also(workload.stop_within.and_then(|time| time.span()), "the time to stop");
            sink.push(problem.help(help));
        }
    }
}
