//! Rules on port numbers, and on hosts and paths of web ports.

use std::collections::BTreeMap;

use super::Rule;
use crate::diag::reading::{BAD_VALUE, PORT_RANGE};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::at::At;
use crate::grammar::word::Word;
use crate::model::{Model, Port, Protocol, Reach, TargetKind, Workload};
use crate::plan::facts::Facts;
use crate::plan::ports::{NODE_RANGE, PortScope};

/// The port of the agent on each node, which no load balancer may use (validation of Service, core/v1).
const KUBELET: u16 = 10250;

/// Every port with its service.
fn all_ports(model: &Model) -> impl Iterator<Item = (&Workload, &Port)> {
    model.workloads.iter().flat_map(|workload| workload.ports().iter().map(move |port| (workload, port)))
}

pub(super) fn port_range(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Balancer) {
        let (number, span) = match port.at.map(|at| (at.value, at.span())) {
            Some((At::Fixed(number), span)) => (number, span),
            _ => (port.as_number(), Some(port.as_span())),
        };
        if number == KUBELET {
            let message =
                format!("`{}/{}` cannot be at port {KUBELET} of a balancer", workload.reference(), port.name);
            sink.push(
                Diagnostic::new(&PORT_RANGE, message)
                    .at(span, "the port of the nodes' own agent")
                    .help("give it another number outside, for example `at = 443`"),
            );
        }
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Node) {
        let Some(at) = port.at else { continue };
        let (At::Fixed(number) | At::From(number)) = at.value else { continue };
        if NODE_RANGE.contains(&number) {
            continue;
        }
        let message =
            format!("node port {number} of `{}/{}` is out of range", workload.reference(), port.name);
        sink.push(
            Diagnostic::new(&PORT_RANGE, message)
                .at(at.span(), "must be 30000 to 32767")
                .help("choose a number in this range, or `at = \"auto\"`"),
        );
    }
}

/// Two ports use one number.
pub static PORT_CLASH: Rule = Rule {
    name: "port-clash",
    summary: "Two ports use the same number in the same place",
    why: "Only one process can listen on it; the second fails to start.",
    fails: "[stack]\nname = \"s\"\n\
            [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n\
            [service.b]\nimage = \"b:1.0\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n",
    passes: "[stack]\nname = \"s\"\n\
             [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n\
             [service.b]\nimage = \"b:1.0\"\nport.web = { number = 80, reach = \"node\", at = \"30080..\" }\n",
    ..Rule::BASE
};

pub(super) fn port_clash(facts: &Facts, sink: &mut Sink) {
    let model = &facts.model;
    if model.target.on.value == TargetKind::Cluster {
        web_clash(model, sink);
        outside_clash(model, sink);
    }
    for clash in &facts.ports.clashes {
        let number = clash.number;
        // A node port is unique whatever the protocol.
        let protocol = match clash.scope {
            PortScope::Nodes => String::new(),
            _ => clash.protocol.word().to_uppercase() + " ",
        };
        let place = clash.scope.words();
        let (first, second) = (clash.first.words(model), clash.second.words(model));
        let one_pod = clash.first.service == clash.second.service;
        let same = one_pod && clash.first.port == clash.second.port;
        if one_pod && !same && first == second {
            continue; // two ports of one name, which has been reported
        }
        let message = if same {
            format!("`{first}` uses {protocol}port {number} {place} twice")
        } else {
            format!("`{first}` and `{second}` both use {protocol}port {number} {place}")
        };
        let label = if same { "needs it for every replica" } else { "used again here" };
        let mut problem = Diagnostic::new(&PORT_CLASH, message).at(clash.second.span, label);
        if !same {
            problem = problem.also(clash.first.span, "first used here");
        }
        if let Some(free) = clash.free {
            problem = problem.help(format!("use {free}, which is free {place}"));
        }
        let outer = matches!(clash.scope, PortScope::Machine | PortScope::Nodes);
        if outer {
            problem = problem.help(format!(
                "or let Fracht choose: `at = \"auto\"`, or `at = \"{number}..\"` for the next free one"
            ));
        } else if clash.free.is_none() {
            problem = problem.help("give one of them another number");
        }
        sink.push(problem);
    }
}

/// Adds what to do about a number that is taken outside of the stack: a `command` settles it, or another number that
/// is free in some `places`.
pub(super) fn taken_elsewhere(
    problem: Diagnostic,
    port: Option<&Port>,
    free: Option<u16>,
    places: &str,
    command: &str,
) -> Diagnostic {
    let set = port.and_then(|port| port.at).map(|at| at.value);
    match (set, free) {
        (Some(At::Fixed(_)), Some(free)) => problem
            .help(format!("use {free}, which is free {places}"))
            .help(format!("or keep another number: `{command}`")),
        (None | Some(At::Auto | At::From(_)), Some(free)) => problem
            .help(format!("keep another number: `{command}`"))
            .help(format!("or set one that is free {places}: `at = {free}`")),
        _ => problem.help(format!("keep another number: `{command}`")),
    }
}

/// Reports two ports of one external service with the same number, which a Service cannot have.
fn outside_clash(model: &Model, sink: &mut Sink) {
    for outside in &model.outsides {
        let mut taken = BTreeMap::new();
        for port in outside.ports.iter().filter(|port| port.number.value != 0) {
            let Some(first) = taken.insert(port.number.value, port) else { continue };
            let (name, number) = (&outside.name, port.number.value);
            let message = format!(
                "`outside.{name}/{}` and `outside.{name}/{}` are both port {number}",
                first.name, port.name
            );
            sink.push(
                Diagnostic::new(&PORT_CLASH, message)
                    .at(port.number.span(), "used again here")
                    .also(first.number.span(), "first used here")
                    .help(format!(
                        "keep one of the two names, and refer to it: `{{outside.{name}/{}}}`",
                        first.name
                    )),
            );
        }
    }
}

pub(super) static AT_WITH_REPLICAS: Rule = Rule {
    name: "at-with-replicas",
    summary: "More replicas on one machine than port numbers",
    why: "A second replica cannot listen on the first one's port.",
    fails: "[stack]\nname = \"s\"\n[target.laptop]\non = \"machine\"\n\
            [service.a]\nimage = \"a:1.0\"\nreplicas = 2\nport.web = { number = 8080, reach = \"node\", at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[target.laptop]\non = \"machine\"\n\
             [service.a]\nimage = \"a:1.0\"\nreplicas = 2\nport.web = { number = 8080, reach = \"node\", at = \"8080..8081\" }\n",
    ..Rule::BASE
};

pub(super) fn at_with_replicas(model: &Model, sink: &mut Sink) {
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value.is_open()) {
        let (Some(at), Some(service)) = (port.at, workload.service()) else { continue };
        let replicas = service.replicas.value.most();
        let numbers = match (at.value, model.target.on.value) {
            (At::Fixed(_), TargetKind::Machine) => 1,
            (At::Range(first, last), TargetKind::Machine) => u32::from(last - first) + 1,
            (At::Range(..), TargetKind::Cluster) => {
                let message = format!(
                    "`{}/{}` sets a range of ports, which works only on a machine",
                    workload.reference(),
                    port.name
                );
                sink.push(
                    Diagnostic::new(&AT_WITH_REPLICAS, message)
                        .at(at.span(), "one number for each replica")
                        .help("set one number, or \"auto\": in a cluster all replicas share it"),
                );
                continue;
            }
            _ => continue,
        };
        if replicas <= numbers {
            continue;
        }
        let have = if numbers == 1 { "one number".into() } else { format!("{numbers} numbers") };
        let message = format!(
            "`{}` has {replicas} replicas but only {have} for port `{}`",
            workload.reference(),
            port.name
        );
        let first = match at.value {
            At::Fixed(first) | At::Range(first, _) => first,
            At::Auto | At::From(_) => continue,
        };
        let last = u32::from(first) + replicas - 1;
        let mut problem = Diagnostic::new(&AT_WITH_REPLICAS, message)
            .at(at.span(), have)
            .also(service.replicas.span(), format!("{replicas} replicas"));
        if u16::try_from(last).is_ok() {
            problem =
                problem.help(format!("give each a number: `at = \"{first}..{last}\"`, or `at = \"auto\"`"));
        }
        sink.push(problem.help("or put a load balancer service in front and open only its port"));
    }
}

pub(super) static AT_UNUSED: Rule = Rule {
    name: "at-unused",
    severity: Severity::Warning,
    summary: "`at` is set on a port that is not open",
    why: "It has no effect; probably the port was meant to be open.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             port.web = { number = 80, reach = \"balancer\", at = 8080 }\n",
    ..Rule::BASE
};

pub(super) fn at_unused(model: &Model, sink: &mut Sink) {
    for (workload, port) in all_ports(model).filter(|(_, port)| !port.reach.value.is_open()) {
        let Some(at) = port.at else { continue };
        let message = format!(
            "`at` has no effect: `{}/{}` is not open to the outside",
            workload.reference(),
            port.name
        );
        sink.push(
            Diagnostic::new(&AT_UNUSED, message)
                .at(at.span(), "no effect with `reach = \"stack\"`")
                .help("open it with `reach = \"node\"`, `\"balancer\"` or `\"web\"`, or remove `at`")
                .help("or use `as` to change the number inside the stack"),
        );
    }
}

pub(super) static HOST_MISSING: Rule = Rule {
    name: "host-missing",
    summary: "A port is open to the web but has no host name",
    why: "The shared web entry routes by host and path; without a host it would answer to every name.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"web\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"web\" }\n\
             [target.prod]\ndomain = \"tides.example\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn host_missing(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Web) {
        let (owner, target) = (workload.reference(), &model.target.name);
        if port.protocol != Protocol::Tcp {
            sink.push(
                Diagnostic::new(
                    &BAD_VALUE,
                    format!(
                        "`{owner}/{}` uses {}, but `reach = \"web\"` needs HTTP over TCP",
                        port.name,
                        port.protocol.word().to_uppercase()
                    ),
                )
                .at(port.reach.span(), "needs HTTP over TCP")
                .help("open it with `reach = \"node\"` or `reach = \"balancer\"`"),
            );
        } else if model.web_host(port).is_none() {
            sink.push(
                Diagnostic::new(
                    &HOST_MISSING,
                    format!("`{owner}/{}` is open to the web but has no host name", port.name),
                )
                .at(port.reach.span(), format!("target `{target}` has no domain"))
                .help(format!(
                    "set a domain in `[target.{target}]`, for example `domain = \"tides.example\"`"
                ))
                .help("or set a host on the port, for example `host = \"api.tides.example\"`"),
            );
        }
    }
}

/// Reports two web ports with the same host and path.
fn web_clash(model: &Model, sink: &mut Sink) {
    let mut taken: BTreeMap<(&str, &str), (&Workload, &Port)> = BTreeMap::new();
    let is_web = |port: &Port| port.reach.value == Reach::Web && port.protocol == Protocol::Tcp;
    for (workload, port) in all_ports(model).filter(|(_, port)| is_web(port)) {
        let Some(host) = model.web_host(port) else { continue };
        let words = |(workload, port): (&Workload, &Port)| format!("{}/{}", workload.reference(), port.name);
        // `/a` and `/a/` are the same prefix.
        let path = port.path.value.trim_end_matches('/');
        let Some(first) = taken.insert((host, path), (workload, port)) else { continue };
        let second = (workload, port);
        let span =
            |(_, port): (&Workload, &Port)| port.path.span().or(port.reach.span()).unwrap_or(port.span);
        sink.push(
            Diagnostic::new(
                &PORT_CLASH,
                format!("`{}` and `{}` both use {host}{}", words(first), words(second), port.path.value),
            )
            .at(span(second), "used again here")
            .also(span(first), "first used here")
            .help("give one of them another path, or another host"),
        );
    }
}
