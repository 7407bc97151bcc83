//! Rules on health checks: whether there is one, and whether it gives enough time.

use std::collections::BTreeMap;
use std::time::Duration;

use super::Rule;
use super::written::Owner;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::duration::{show, whole_seconds};
use crate::model::{After, Condition, Kind, Model, Protocol, ServicePart, TargetKind, Workload, WorkloadId};
use crate::source::Span;

pub(super) static HEALTH_MISSING: Rule = Rule {
    name: "health-missing",
    severity: Severity::Hint,
    summary: "A service that is open or has several replicas has no health check",
    why: "Started is not ready: without a check it gets requests before it can answer, and keeps getting them when it hangs.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 2\n\
            port.http = { number = 8080, reach = \"balancer\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 2\n\
             port.http = { number = 8080, reach = \"balancer\" }\nhealth = { http = \"/healthz\" }\n",
    ..Rule::BASE
};

pub(super) fn health_missing(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    let has_health = |workload: &Workload| workload.main.health.is_some();
    let some_have = model.workloads.iter().any(has_health);
    for workload in &model.workloads {
        let Some(service) = workload.service() else { continue };
        if has_health(workload) || workload.unread.has(&["health", "replicas"]) {
            continue;
        }
        let several = service.replicas.value.most() >= 2;
        let is_open = workload.open_ports().next().is_some();
        // A stack that checks some of its services means to check those that are open.
        let expected = several && is_open || some_have && (several && !service.ports.is_empty() || is_open);
        if !expected || service.replicas.value.most() == 0 {
            continue;
        }
        let why = if several {
            format!("{} replicas share requests", service.replicas.value.most())
        } else {
            "open to the outside".into()
        };
        let example = example(service);
        sink.push(
            Diagnostic::new(&HEALTH_MISSING, format!("`{}` has no health check", workload.reference()))
                .at(workload.span, why)
                .help(format!("add one to `[{}]`, for example `{example}`", workload.reference()))
                .of(workload.span),
        );
    }
}

/// A health check for a service that has none: at its first TCP port, or by a program.
pub(super) fn example(service: &ServicePart) -> String {
    let port = service.ports.iter().find(|port| port.protocol == Protocol::Tcp);
    port.map_or_else(
        || "health = { run = [\"check\"] }".to_owned(),
        |port| format!("health = {{ tcp = \"{}\" }}", port.name),
    )
}

pub(super) static BOOT_TOO_SHORT: Rule = Rule {
    name: "boot-too-short",
    severity: Severity::Warning,
    summary: "A health check gives a program too little time",
    why: "The cluster restarts a healthy program that is only slow, again and again.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.http = 80\n\
            health = { http = \"/\", boot = \"4s\", every = \"5s\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.http = 80\n\
             health = { http = \"/\", boot = \"30s\", every = \"5s\" }\n",
    ..Rule::BASE
};

/// The least time that a data store should have to create its data.
const STORE_STARTS: Duration = Duration::from_secs(15);
/// The least time without an answer after which a restart is better than waiting.
const HANGS: Duration = Duration::from_secs(5);

pub(super) fn boot_too_short(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model) {
        let Some(health) = &container.health else { continue };
        if owner.workload().is_some_and(|workload| workload.unread.has(&["health"])) {
            continue;
        }
        let (boot, every) = (health.boot.value, health.every.value);
        let tries = whole_seconds(boot).div_ceil(whole_seconds(every));
        let place = health.boot.span().or(health.every.span()).unwrap_or(health.span);
        let problem = |label: String| {
            let message = format!("`{}` has {} to start, which is too short", owner.reference(), show(boot));
            Diagnostic::new(&BOOT_TOO_SHORT, message).at(place, label)
        };
        if tries < 2 {
            let least = every.saturating_mul(6);
            let label = format!("one check: {} / {} = {tries}", show(boot), show(every));
            let help =
                format!("give it the time that it takes at most, for example `boot = \"{}\"`", show(least));
            sink.push(
                owner
                    .owns(problem(label).also(health.every.span(), "the time between two checks").help(help)),
            );
        } else if boot < STORE_STARTS && model.store(container).is_some_and(|store| !store.data.is_empty()) {
            let label = format!("{tries} checks; a data store first creates its data");
            sink.push(owner.owns(problem(label).help("give it a minute: `boot = \"60s\"`")));
        }
        let after = health.restart_after.value;
        let hangs = every.saturating_mul(after);
        if after > 0 && (hangs < HANGS || hangs < health.timeout.value) {
            let label = format!("{after} × {} = {}", show(every), show(hangs));
            let message =
                format!("`{}` is restarted after {} without an answer", owner.reference(), show(hangs));
            let least = u64::from(whole_seconds(Duration::from_secs(30)).div_ceil(whole_seconds(every)));
            sink.push(
                owner.owns(
                    Diagnostic::new(&BOOT_TOO_SHORT, message)
                        .at(health.restart_after.span().or(health.every.span()).unwrap_or(health.span), label)
                        .help(format!("let it be slow for a while: `restart-after = {least}`")),
                ),
            );
        }
    }
}

pub(super) static GATE_TOO_SHORT: Rule = Rule {
    name: "gate-too-short",
    severity: Severity::Warning,
    summary: "A start gate gives up before what it waits for can be there",
    why: "The gate fails and is restarted, with longer and longer pauses: the stack starts late, or looks broken.",
    fails: "[stack]\nname = \"s\"\n[target.prod]\ngate = { within = \"30s\" }\n\
            [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\", boot = \"2m\" }\n\
            [service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n",
    passes: "[stack]\nname = \"s\"\n[target.prod]\ngate = { within = \"5m\" }\n\
             [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\", boot = \"2m\" }\n\
             [service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n",
    ..Rule::BASE
};

/// How long a service or task may take, where that is written, and what waits for it.
type Awaited<'m> = (Duration, Option<Span>, Vec<(&'m Workload, &'m After)>);

pub(super) fn gate_too_short(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    let within = &model.target.gate.within;
    let mut found: BTreeMap<WorkloadId, Awaited<'_>> = BTreeMap::new();
    for workload in &model.workloads {
        for after in &workload.after {
            let on = &model.workloads[after.on];
            let (time, what) = match (after.condition, &on.kind) {
                (Condition::Ready | Condition::Current, Kind::Service(_)) => {
                    let Some(health) = &on.main.health else { continue };
                    (health.boot.value, health.boot.span())
                }
                (Condition::Done, Kind::Task(task)) => {
                    let Some(timeout) = &task.timeout else { continue };
                    (timeout.value, timeout.span())
                }
                _ => continue,
            };
            if within.value < time && !on.unread.has(&["health"]) {
                let (_, _, waits) = found.entry(after.on).or_insert((time, what, Vec::new()));
                waits.push((workload, after));
            }
        }
    }
    // One time for all gates is one mistake, however many have it.
    if within.span().is_some() {
        let longest = found.into_iter().max_by_key(|(_, (time, ..))| *time);
        found = longest.into_iter().collect();
    }
    for (on, (time, what, waits)) in found {
        let (own, name) = (show(within.value), &model.target.name);
        let on = &model.workloads[on];
        let message = format!("`{}` may take {}, and gates wait {own} for it", on.reference(), show(time));
        let mut problem = Diagnostic::new(&GATE_TOO_SHORT, message)
            .at(within.span().or(what).unwrap_or(on.span), format!("{own} is less than {}", show(time)))
            .also(within.span().and(what), "the time that it may take")
            .help(format!(
                "let gates wait longer: `gate.within = \"{}\"` in `[target.{name}]`",
                show(time.saturating_mul(2))
            ))
            .of(on.span);
        for (workload, after) in waits.into_iter().take(MOST_SHOWN) {
            problem = problem.also(after.span, format!("`{}` waits", workload.name)).of(workload.span);
        }
        sink.push(problem);
    }
}

/// The most waits that one message shows.
const MOST_SHOWN: usize = 5;
