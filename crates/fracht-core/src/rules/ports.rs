//! Port numbers, and hosts and paths of the web.

use std::collections::BTreeMap;

use super::{Check, Rule};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::at::Outside;
use crate::model::{Model, Place, Port, Protocol, Reach, Workload};
use crate::plan::ports::{Ground, NODE_RANGE, PortPlan};

pub(super) static PORT_RANGE: Rule = Rule {
    name: "port-range",
    severity: Severity::Error,
    summary: "A port number that there is not, or that nodes do not hand out.",
    why: "Ports are 1 to 65535; a cluster's nodes open 30000 to 32767 only.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
            port.web = { number = 8080, reach = \"node\", at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
             port.web = { number = 8080, reach = \"node\", at = 30080 }\n",
    fixed: true,
    check: Check::Model(port_range),
};

/// The port of the agent on each node, which no balancer may have (validation of Service, core/v1).
const KUBELET: u16 = 10250;

/// Every port with its service.
fn all_ports(model: &Model) -> impl Iterator<Item = (&Workload, &Port)> {
    model.workloads.iter().flat_map(|workload| workload.ports().iter().map(move |port| (workload, port)))
}

fn port_range(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster {
        return;
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Balancer) {
        let (number, span) = match port.at.map(|at| (at.value, at.span())) {
            Some((Outside::Fixed(number), span)) => (number, span),
            _ => (port.inner_number(), Some(port.inner_span())),
        };
        if number == KUBELET {
            let message =
                format!("`{}/{}` cannot be at port {KUBELET} of a balancer", workload.reference(), port.name);
            sink.push(
                Diagnostic::new("port-range", message)
                    .at(span, "the port of the nodes' own agent")
                    .help("give it another number outside, for example `at = 443`"),
            );
        }
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Node) {
        let Some(at) = port.at else { continue };
        let (Outside::Fixed(number) | Outside::From(number)) = at.value else { continue };
        if NODE_RANGE.contains(&number) {
            continue;
        }
        let message = format!("{}/{} can't be at {number} on the nodes.", workload.reference(), port.name);
        sink.push(
            Diagnostic::new("port-range", message)
                .at(at.span(), "not from 30000 to 32767")
                .help("Nodes open 30000 to 32767; write a number from there, or at = \"auto\"."),
        );
    }
}

pub(super) static PORT_CLASH: Rule = Rule {
    name: "port-clash",
    severity: Severity::Error,
    summary: "Two ports want the same number in the same place.",
    why: "Only one listener can own it; the second never starts.",
    fails: "[stack]\nname = \"s\"\n\
            [service.a]\nimage = \"a:1\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n\
            [service.b]\nimage = \"b:1\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n",
    passes: "[stack]\nname = \"s\"\n\
             [service.a]\nimage = \"a:1\"\nport.web = { number = 80, reach = \"node\", at = 30080 }\n\
             [service.b]\nimage = \"b:1\"\nport.web = { number = 80, reach = \"node\", at = \"30080..\" }\n",
    fixed: false,
    check: Check::Model(port_clash),
};

fn port_clash(model: &Model, sink: &mut Sink) {
    if model.target.on.value == Place::Cluster {
        web_clash(model, sink);
        super::outside::number_clash(model, sink);
    }
    for clash in PortPlan::of(model).clashes {
        let number = clash.number;
        // Nodes hand out numbers whatever the protocol.
        let protocol = if clash.ground == Ground::Nodes { "port" } else { clash.protocol.word() };
        let place = clash.ground.words(model);
        let (first, second) = (clash.first.words(model), clash.second.words(model));
        let same = clash.first.service == clash.second.service && clash.first.port == clash.second.port;
        let message = if same {
            format!("{first} wants {protocol} {number} {place} twice.")
        } else {
            format!("{first} and {second} both want {protocol} {number} {place}.")
        };
        let mut problem =
            Diagnostic::new("port-clash", message).at(clash.second.span, format!("{second} wants {number}"));
        if !same {
            problem = problem.also(clash.first.span, format!("{first} has {number}"));
        }
        if let Some(free) = clash.free {
            problem = problem.help(format!("{free} is free {place}."));
        }
        let outer = matches!(clash.ground, Ground::Machine | Ground::Nodes);
        if outer {
            problem = problem.help(format!(
                "Or let Fracht choose: at = \"auto\", or at = \"{number}..\" for the first free one from there."
            ));
        } else if clash.free.is_none() {
            problem = problem.help("Give one of the two another number.");
        }
        sink.push(problem);
    }
}

pub(super) static AT_WITH_REPLICAS: Rule = Rule {
    name: "at-with-replicas",
    severity: Severity::Error,
    summary: "Several replicas on one machine, and too few numbers for them.",
    why: "A second replica can't have the first one's port.",
    fails: "[stack]\nname = \"s\"\n[target.laptop]\non = \"machine\"\n\
            [service.a]\nimage = \"a:1\"\nreplicas = 2\nport.web = { number = 8080, reach = \"node\", at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[target.laptop]\non = \"machine\"\n\
             [service.a]\nimage = \"a:1\"\nreplicas = 2\nport.web = { number = 8080, reach = \"node\", at = \"8080..8081\" }\n",
    fixed: false,
    check: Check::Model(at_with_replicas),
};

fn at_with_replicas(model: &Model, sink: &mut Sink) {
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value.is_open()) {
        let (Some(at), Some(service)) = (port.at, workload.service()) else { continue };
        let replicas = service.replicas.value.most();
        let numbers = match (at.value, model.target.on.value) {
            (Outside::Fixed(_), Place::Machine) => 1,
            (Outside::Range(first, last), Place::Machine) => u32::from(last - first) + 1,
            (Outside::Range(..), Place::Cluster) => {
                let message = format!(
                    "{}/{} asks for a range, which only a machine has.",
                    workload.reference(),
                    port.name
                );
                sink.push(
                    Diagnostic::new("at-with-replicas", message)
                        .at(at.span(), "one number for each replica")
                        .help("In a cluster one number serves all replicas: write that, or \"auto\"."),
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
            "{} has {replicas} replicas and {have} for its port {}.",
            workload.reference(),
            port.name
        );
        let first = match at.value {
            Outside::Fixed(first) | Outside::Range(first, _) => first,
            Outside::Auto | Outside::From(_) => continue,
        };
        let last = u32::from(first) + replicas - 1;
        let mut problem = Diagnostic::new("at-with-replicas", message)
            .at(at.span(), have)
            .also(service.replicas.span(), format!("{replicas} replicas"));
        if u16::try_from(last).is_ok() {
            problem =
                problem.help(format!("Give each a number: at = \"{first}..{last}\", or at = \"auto\"."));
        }
        sink.push(problem.help("Or put one service in front that spreads the load, with one open port."));
    }
}

pub(super) static AT_UNUSED: Rule = Rule {
    name: "at-unused",
    severity: Severity::Warning,
    summary: "A number for those outside, on a port that is not open.",
    why: "It does nothing; probably the port was meant to be open.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nport.web = { number = 80, at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
             port.web = { number = 80, reach = \"balancer\", at = 8080 }\n",
    fixed: false,
    check: Check::Model(at_unused),
};

fn at_unused(model: &Model, sink: &mut Sink) {
    for (workload, port) in all_ports(model).filter(|(_, port)| !port.reach.value.is_open()) {
        let Some(at) = port.at else { continue };
        let message = format!("{}/{} is not open to anybody outside.", workload.reference(), port.name);
        sink.push(
            Diagnostic::new("at-unused", message)
                .at(at.span(), "does nothing with reach = \"stack\"")
                .help("Open it with reach = \"node\", \"balancer\" or \"web\", or remove `at`.")
                .help("For another number inside the stack, the key is `as`."),
        );
    }
}

pub(super) static HOST_MISSING: Rule = Rule {
    name: "host-missing",
    severity: Severity::Error,
    summary: "A port is open to the web, and has no host name.",
    why: "The shared entry tells services apart by host and path; without a host it would answer to every name.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nport.web = { number = 80, reach = \"web\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nport.web = { number = 80, reach = \"web\" }\n\
             [target.prod]\ndomain = \"tides.example\"\n",
    fixed: true,
    check: Check::Model(host_missing),
};

fn host_missing(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster {
        return;
    }
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Web) {
        let (owner, target) = (workload.reference(), &model.target.name);
        if port.protocol != Protocol::Tcp {
            sink.push(
                Diagnostic::new(
                    "bad-value",
                    format!("The web does not speak {} to {owner}/{}.", port.protocol.word(), port.name),
                )
                .at(port.reach.span(), "the shared entry speaks HTTP, over TCP")
                .help("Open it with reach = \"node\" or \"balancer\"."),
            );
        } else if model.web_host(port).is_none() {
            sink.push(
                Diagnostic::new(
                    "host-missing",
                    format!("{owner}/{} is open to the web and has no host.", port.name),
                )
                .at(port.reach.span(), format!("under the target {target}"))
                .help(format!("Give the target a domain, domain = \"tides.example\" in [target.{target}]."))
                .help("Or the port a host of its own: host = \"api.tides.example\"."),
            );
        }
    }
}

/// Two ports of the web with one host and path.
fn web_clash(model: &Model, sink: &mut Sink) {
    let mut taken: BTreeMap<(&str, &str), (&Workload, &Port)> = BTreeMap::new();
    for (workload, port) in all_ports(model).filter(|(_, port)| port.reach.value == Reach::Web) {
        let Some(host) = model.web_host(port) else { continue };
        let words = |(workload, port): (&Workload, &Port)| format!("{}/{}", workload.reference(), port.name);
        // `/a` and `/a/` are one prefix.
        let path = port.path.value.trim_end_matches('/');
        let Some(first) = taken.insert((host, path), (workload, port)) else { continue };
        let second = (workload, port);
        let span =
            |(_, port): (&Workload, &Port)| port.path.span().or(port.reach.span()).unwrap_or(port.span);
        sink.push(
            Diagnostic::new(
                "port-clash",
                format!("{} and {} both want {host}{}.", words(first), words(second), port.path.value),
            )
            .at(span(second), format!("{} wants it", words(second)))
            .also(span(first), format!("{} has it", words(first)))
            .help("Give one of the two another path, or another host."),
        );
    }
}
