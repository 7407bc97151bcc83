//! Rules on the start order and on stopping.

use std::collections::{BTreeMap, BTreeSet};

use super::{Rule, health};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::duration::{show, whole_seconds};
use crate::grammar::word::Word;
use crate::model::{Address, After, BeforeStop, Condition, Model, Protocol, Replicas, Workload, WorkloadId};
use crate::origin::Origin;
use crate::plan::facts::Facts;
use crate::plan::order::Wait;

pub(super) static START_CYCLE: Rule = Rule {
    name: "start-cycle",
    summary: "The start order has a cycle",
    why: "None of them can start.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { b = \"started\" }\n\
            [service.b]\nimage = \"b:1.0\"\nafter = { a = \"started\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { b = \"started\" }\n\
             [service.b]\nimage = \"b:1.0\"\n",
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
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n\
            [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n\
             [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\n",
    ..Rule::BASE
};

pub(super) fn waits_without_health(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        for after in &workload.after {
            let on = &model.workloads[after.on];
            // What has no port serves nothing: it is of the new version as soon as it runs.
            let needs_health = match after.condition {
                Condition::Ready => true,
                Condition::Current => !on.ports().is_empty(),
                Condition::Started | Condition::Done => false,
            };
            if !needs_health {
                continue;
            }
            let state = after.condition.word();
            let Some(service) = on.service().filter(|_| !on.unread.has(&["health"])) else { continue };
            let (waiter, name) = (&workload.name, &on.name);
            let problem = |what: String, missing: &str| {
                Diagnostic::new(&WAITS_WITHOUT_HEALTH, what)
                    .at(after.span, format!("`{waiter}` waits for it here"))
                    .also(on.span, missing)
            };
            if on.main.health.is_none() {
                let message =
                    format!("`{waiter}` waits for `{name}` to be {state}, but `{name}` has no health check");
                let example = health::example(service);
                sink.push(
                    problem(message, "`health` is missing")
                        .help(format!("add one to `service.{name}`, for example `{example}`"))
                        .help(format!(
                            "or wait only until it has started: `after = {{ {name} = \"started\" }}`"
                        )),
                );
            } else if after.condition == Condition::Ready
                && !on.incomplete
                && !service.ports.iter().any(|port| port.protocol == Protocol::Tcp)
            {
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

/// The most waits that one message shows.
const MOST_SHOWN: usize = 5;

pub(super) static AWAIT_ENDLESS: Rule = Rule {
    name: "await-endless",
    summary: "A wait for something that never comes",
    why: "A service with no replicas is never ready: what waits for it never starts.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n\
            [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\nreplicas = 0\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\n\
             [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\nreplicas = 1\n",
    ..Rule::BASE
};

/// The waits for each service with no replicas. If several wait, it is the number of replicas that has to change.
pub(super) fn await_endless(model: &Model, sink: &mut Sink) {
    let mut waits: BTreeMap<WorkloadId, Vec<(&Workload, &After)>> = BTreeMap::new();
    for workload in &model.workloads {
        if workload.service().is_some_and(|service| service.replicas.value == Replicas::Fixed(0)) {
            continue; // nothing of it waits
        }
        for after in workload.after.iter().filter(|after| after.condition == Condition::Ready) {
            let on = &model.workloads[after.on];
            if on.service().is_some_and(|service| service.replicas.value == Replicas::Fixed(0)) {
                waits.entry(after.on).or_default().push((workload, after));
            }
        }
    }
    for (on, waits) in waits {
        let on = &model.workloads[on];
        let replicas = on.service().and_then(|service| service.replicas.span());
        let let_run = format!("let one run: `replicas = 1` in `[service.{}]`", on.name);
        let drop =
            format!("drop the wait where `{}` has no replicas: `drop = [\"after.{}\"]`", on.name, on.name);
        let by_target = on.service().is_some_and(|service| service.replicas.origin.is_in_target());
        let problem = match waits.as_slice() {
            [(workload, after)] if !by_target => {
                let message =
                    format!("`{}` waits for `{}`, of which none run", workload.reference(), on.reference());
                Diagnostic::new(&AWAIT_ENDLESS, message)
                    .at(after.span, "never ready")
                    .also(replicas, "no replicas")
                    .help(drop)
                    .help(format!("or {let_run}"))
            }
            waits => {
                let who = match waits {
                    [(workload, _)] => format!("`{}` waits", workload.reference()),
                    waits => format!("{} wait", waits.len()),
                };
                let message = format!("{who} for `{}`, of which none run", on.reference());
                let problem = Diagnostic::new(&AWAIT_ENDLESS, message).at(replicas, "no replicas");
                let shown = waits.iter().take(MOST_SHOWN);
                shown
                    .fold(problem, |problem, (workload, after)| {
                        problem.also(after.span, format!("`{}` waits", workload.name))
                    })
                    .help(let_run)
                    .help(format!("or {drop}"))
            }
        };
        sink.push(problem);
    }
}

pub(super) static STOP_TOO_SHORT: Rule = Rule {
    name: "stop-too-short",
    summary: "The wait before the stop is longer than the time to stop",
    why: "The time to stop counts from the beginning of the wait: the cluster refuses a longer one.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nbefore-stop = { wait = \"45s\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             before-stop = { wait = \"45s\" }\nstop-within = \"60s\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn stop_too_short(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.unread.has(&["stop-within"])) {
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
            let longer = (before.span(), format!("longer than {}", show(stop)));
            let time = workload.stop_within.map(|time| time.origin);
            let shorter = (time.and_then(Origin::span), "the time to stop".to_owned());
            let by_target = time.is_some_and(Origin::is_in_target) && !before.origin.is_in_target();
            let (first, second) = if by_target { (shorter, longer) } else { (longer, shorter) };
            let problem =
                Diagnostic::new(&STOP_TOO_SHORT, message).at(first.0, first.1).also(second.0, second.1);
            sink.push(problem.help(help));
        }
    }
}

pub(super) static ORDER_MISSING: Rule = Rule {
    name: "order-missing",
    severity: Severity::Hint,
    summary: "Something uses a service and does not wait for it",
    why: "All start at once: the first connections fail, and a program that does not try again stops.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\n\
            [service.a]\nimage = \"a:1.0\"\nenv.DB = \"{service.db/sql}\"\n",
    passes: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nhealth = { tcp = \"sql\" }\n\
             [service.a]\nimage = \"a:1.0\"\nafter = { db = \"ready\" }\nenv.DB = \"{service.db/sql}\"\n",
    ..Rule::BASE
};

/// How many waits are followed from one service or task. Of a longer chain, nothing is reported.
const MOST_WAITS: usize = 200;

/// All that a workload waits for, also by what it waits for; `None` if that is very much, or could not all be read.
fn awaited(model: &Model, from: WorkloadId) -> Option<BTreeSet<WorkloadId>> {
    let mut found = BTreeSet::new();
    let mut open = vec![from];
    while let Some(id) = open.pop() {
        if model.workloads[id].unread.has(&["after"]) {
            return None;
        }
        for after in &model.workloads[id].after {
            if found.insert(after.on) {
                open.push(after.on);
            }
        }
        if found.len() > MOST_WAITS {
            return None;
        }
    }
    Some(found)
}

pub(super) fn order_missing(model: &Model, sink: &mut Sink) {
    for (id, workload) in model.workloads.entries() {
        let runs = workload.service().is_none_or(|service| service.replicas.value.most() > 0);
        if workload.unread.has(&["after"]) || !runs {
            continue;
        }
        // At an address that it shares, it answers itself.
        let shared = workload.behind().iter().map(|other| other.value);
        let mut reported: BTreeSet<_> = std::iter::once(id).chain(shared).collect();
        let mut own = None;
        for (address, origin) in model.addresses(workload) {
            let Address::Service(on, _) = address else { continue };
            let other = &model.workloads[on];
            let checked = other.main.health.is_some()
                && other.service().is_some_and(|one| one.replicas.value.most() > 0);
            let has_tcp = other.ports().iter().any(|port| port.protocol == Protocol::Tcp);
            // Without a network in common it cannot be reached at all.
            let is_near = model.share_network(workload, other);
            if !checked || !has_tcp || !is_near || !reported.insert(on) {
                continue;
            }
            let Some(awaits) = own.get_or_insert_with(|| awaited(model, id)) else { break };
            // If the other one waits for this one, or uses it, the order is another.
            let back = || awaited(model, on).is_none_or(|others| others.contains(&id));
            // One that waits for itself has another problem.
            if awaits.contains(&on) || awaits.contains(&id) || back() || uses(model, on, id) {
                continue;
            }
            let message =
                format!("`{}` uses `{}` and does not wait for it", workload.reference(), other.reference());
            let wait =
                format!("wait for it: `after.{} = \"ready\"` in `[{}]`", other.name, workload.reference());
            sink.push(
                Diagnostic::new(&ORDER_MISSING, message)
                    .at(origin.span(), format!("the address of `{}`", other.name))
                    .help(wait)
                    .help(
                        "or if the program tries again by itself, say so: `allow.order-missing = \"REASON\"`",
                    )
                    .of(workload.span),
            );
        }
    }
}

/// Whether one workload has the address of another one.
fn uses(model: &Model, one: WorkloadId, other: WorkloadId) -> bool {
    let mut addresses = model.addresses(&model.workloads[one]);
    addresses.any(|(address, _)| matches!(address, Address::Service(id, _) if id == other))
}
