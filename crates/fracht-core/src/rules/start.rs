//! Order and readiness.

use super::{Check, Rule};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Condition, Model, Protocol};
use crate::plan::order::Order;

pub(super) static START_CYCLE: Rule = Rule {
    name: "start-cycle",
    severity: Severity::Error,
    summary: "Services or tasks wait for each other in a circle.",
    why: "None of them can start.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { b = \"started\" }\n\
            [service.b]\nimage = \"b:1\"\nafter = { a = \"started\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { b = \"started\" }\n\
             [service.b]\nimage = \"b:1\"\n",
    fixed: true,
    check: Check::Model(start_cycle),
};

fn start_cycle(model: &Model, sink: &mut Sink) {
    for circle in Order::of(model).circles {
        let name = |id| &*model.workloads[id].name;
        let Some((first, others)) = circle.split_first() else { continue };
        let mut names: Vec<&str> = circle.iter().map(|wait| name(wait.from)).collect();
        names.push(name(first.from));
        let shown = if names.len() > 12 {
            format!("{} … {}", names.get(..6).unwrap_or_default().join(" → "), name(first.from))
        } else {
            names.join(" → ")
        };
        let message = if others.is_empty() {
            format!("{} waits for itself.", name(first.from))
        } else {
            format!("Nothing in this circle can start: {shown}.")
        };
        let words = |wait: &crate::plan::order::Wait| {
            format!("{} waits for {} to be {}", name(wait.from), name(wait.on), wait.condition.word())
        };
        let mut problem = Diagnostic::new("start-cycle", message).at(first.span, words(first));
        for wait in others.iter().take(12) {
            problem = problem.also(wait.span, words(wait));
        }
        sink.push(problem.help("Take one of these waits away: which of them can start without the other?"));
    }
}

pub(super) static WAITS_WITHOUT_HEALTH: Rule = Rule {
    name: "waits-without-health",
    severity: Severity::Error,
    summary: "A service is awaited until ready, and nothing tells when it is.",
    why: "Started is not ready: without a check of health, and a TCP port to ask at, it would start too early.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
            [service.db]\nimage = \"db:1\"\nport.sql = 5432\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n\
             [service.db]\nimage = \"db:1\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\n",
    fixed: false,
    check: Check::Model(waits_without_health),
};

fn waits_without_health(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        for after in workload.after.iter().filter(|after| after.condition == Condition::Ready) {
            let on = &model.workloads[after.on];
            let Some(service) = on.service() else { continue };
            let (waiter, name) = (&workload.name, &on.name);
            let problem = |what: String, missing: &str| {
                Diagnostic::new("waits-without-health", what)
                    .at(after.span, format!("{waiter} waits for it here"))
                    .also(on.span, missing)
            };
            if on.main.health.is_none() {
                let message =
                    format!("{waiter} waits for {name} to be ready, but {name} has no check of health.");
                let example = service.ports.first().map_or_else(
                    || "health = { run = [\"check\"] }".to_owned(),
                    |port| format!("health = {{ tcp = \"{}\" }}", port.name),
                );
                sink.push(
                    problem(message, "`health` is missing")
                        .help(format!("Add one to service.{name}, for example: {example}"))
                        .help(format!(
                            "Or wait for it to be started only: after = {{ {name} = \"started\" }}"
                        )),
                );
            } else if !service.ports.iter().any(|port| port.protocol == Protocol::Tcp) {
                let message =
                    format!("{waiter} waits for {name} to be ready, but {name} has no TCP port to ask at.");
                sink.push(
                    problem(message, "no TCP port")
                        .help("Readiness shows at a port: the inner address answers only while the service is ready.")
                        .help(format!("Give service.{name} a TCP port, or wait for it to be started only.")),
                );
            }
        }
    }
}
