//! Rules on networks: what a service uses must be reachable.

use std::collections::{BTreeMap, BTreeSet};

use super::Rule;
use crate::diag::unknown::listing;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::grammar::word::Word as _;
use crate::model::{Address, Condition, Model, NetworkId, Protocol, TargetKind, Workload, WorkloadId};
use crate::origin::Sourced;
use crate::source::Span;

pub(super) static NO_ROUTE: Rule = Rule {
    name: "no-route",
    summary: "A service or task uses something that its networks do not reach",
    why: "The connection would be refused, or hang until it times out.",
    fails: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
            [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
            [service.a]\nimage = \"a:1.0\"\nnetwork = [\"front\"]\nenv.DB = \"{service.db/sql}\"\n",
    passes: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
             [service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
             [service.a]\nimage = \"a:1.0\"\nnetwork = [\"front\", \"back\"]\nenv.DB = \"{service.db/sql}\"\n",
    ..Rule::BASE
};

pub(super) fn no_route(model: &Model, sink: &mut Sink) {
    let is_known = |workload: &Workload| !workload.unread.has(&["network"]);
    for workload in model.workloads.iter().filter(|workload| is_known(workload)) {
        outside(model, workload, sink);
        let addresses = model.addresses(workload).filter_map(|(address, origin)| match address {
            Address::Service(id, _) => Some((id, origin.span()?)),
            Address::Outside(..) => None,
        });
        // All other gates ask the API of the cluster.
        let waits = workload.after.iter().filter(|after| after.condition == Condition::Ready);
        let waits = waits.filter(|after| model.workloads[after.on].service().is_some());
        let mut reported = BTreeSet::new();
        for (id, span) in addresses.chain(waits.map(|after| (after.on, after.span))) {
            let other = &model.workloads[id];
            let itself = std::ptr::eq(workload, other);
            if itself || !is_known(other) || reported.contains(&id) || model.share_network(workload, other) {
                continue;
            }
            reported.insert(id);
            let message = format!(
                "`{}` cannot reach `{}`: they share no network",
                workload.reference(),
                other.reference()
            );
            let words = |workload: &Workload| {
                let names = workload.networks.iter().map(|id| &*model.networks[id.value].name);
                match workload.networks.len() {
                    0 => "in the default network".to_owned(),
                    1 => format!("in network {}", listing(names)),
                    _ => format!("in networks {}", listing(names)),
                }
            };
            sink.push(
                Diagnostic::new(&NO_ROUTE, message)
                    .at(span, "used here")
                    .also(workload.span, words(workload))
                    .also(other.span, words(other))
                    .help("put both in one network: `network = [\"NAME\"]`"),
            );
        }
    }
}

/// Reports external services that a workload in closed networks cannot reach.
fn outside(model: &Model, workload: &Workload, sink: &mut Sink) {
    if !model.is_closed_in(workload) {
        return;
    }
    for (address, origin) in model.addresses(workload) {
        let Address::Outside(id, _) = address else { continue };
        let other = &model.outsides[id];
        let message = format!(
            "`{}` cannot reach `outside.{}`: its networks are closed",
            workload.reference(),
            other.name
        );
        let mut problem = Diagnostic::new(&NO_ROUTE, message).at(origin.span(), "used here");
        for network in &workload.networks {
            let network = &model.networks[network.value];
            problem = problem.also(network.closed.span(), format!("network `{}` is closed", network.name));
        }
        sink.push(problem.help("add a network that is not closed"));
    }
}

pub(super) static API_ANYWHERE: Rule = Rule {
    name: "api-anywhere",
    severity: Severity::Warning,
    summary: "A closed network leaves the cluster's API open at any address",
    why: "Nothing says where the API is: its ports, 443 and 6443, are open to every address, for all of the pod.",
    fails: "[stack]\nname = \"s\"\n[network.n]\nclosed = true\n[task.t]\nimage = \"t:1.0\"\nnetwork = [\"n\"]\n\
            [service.a]\nimage = \"a:1.0\"\nnetwork = [\"n\"]\nafter = { t = \"done\" }\n",
    passes: "[stack]\nname = \"s\"\n[network.n]\nclosed = true\n[task.t]\nimage = \"t:1.0\"\nnetwork = [\"n\"]\n\
             [service.a]\nimage = \"a:1.0\"\nnetwork = [\"n\"]\nafter = { t = \"done\" }\n\
             [target.cluster]\napi = [\"192.0.2.10/32\"]\n",
    ..Rule::BASE
};

pub(super) fn api_anywhere(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster || !model.target.api.is_empty() {
        return;
    }
    let asking: Vec<&Workload> = model
        .workloads
        .iter()
        .filter(|workload| !workload.unread.has(&["network"]) && model.may_use_api(workload))
        .collect();
    let Some((first, others)) = asking.split_first() else { return };
    let why = |workload: &Workload| {
        let gate = workload.after.iter().find(|after| after.condition.asks_api());
        match gate {
            Some(after) => (after.span, format!("the start gate of `{}` asks the API", workload.name)),
            None => (workload.span, format!("`{}` has rights, and asks the API", workload.name)),
        }
    };
    let (span, label) = why(first);
    let message = format!("`{}` gets out of its closed networks at ports 443 and 6443", first.reference());
    let mut problem = Diagnostic::new(&API_ANYWHERE, message).at(span, label);
    for workload in others.iter().take(12) {
        let (span, label) = why(workload);
        problem = problem.also(span, label);
    }
    sink.push(
        problem
            .help(format!(
                "set its addresses in `[target.{}]`, for example `api = [\"192.0.2.10/32\"]`",
                model.target.name
            ))
            .help("or see them first: `kubectl get endpoints kubernetes -n default`"),
    );
}

pub(super) static UNREACHABLE: Rule = Rule {
    name: "unreachable",
    severity: Severity::Warning,
    summary: "Nobody can reach the ports of a service",
    why: "Nothing else is in its networks, and none of its ports is open: what it serves reaches nobody.",
    fails: "[stack]\nname = \"s\"\n[network.back]\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
            [service.a]\nimage = \"a:1.0\"\n",
    passes: "[stack]\nname = \"s\"\n[network.back]\n[service.db]\nimage = \"db:1.0\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
             [service.a]\nimage = \"a:1.0\"\nnetwork = [\"back\"]\n",
    ..Rule::BASE
};

/// How to open the first port of a service.
fn opened(workload: &Workload) -> String {
    let port = workload.ports().first();
    let (name, number) = port.map_or(("http", 80), |port| (&*port.name, port.number.value));
    format!(
        "or open a port: `port.{name} = {{ number = {number}, reach = \"balancer\" }}` in `[{}]`",
        workload.reference()
    )
}

pub(super) fn unreachable(model: &Model, sink: &mut Sink) {
    let mut members: BTreeMap<NetworkId, usize> = BTreeMap::new();
    for network in model.workloads.iter().flat_map(|workload| &workload.networks) {
        *members.entry(network.value).or_default() += 1;
    }
    // What somebody uses without a way to it is reported as such.
    let mut used: BTreeSet<WorkloadId> = BTreeSet::new();
    for workload in &model.workloads {
        used.extend(workload.after.iter().map(|after| after.on));
        used.extend(model.addresses(workload).filter_map(|(address, _)| match address {
            Address::Service(id, _) => Some(id),
            Address::Outside(..) => None,
        }));
    }
    let in_default = model.workloads.iter().filter(|workload| workload.networks.is_empty()).count();
    for (id, workload) in model.workloads.entries() {
        let ports = workload.ports();
        let is_known = !used.contains(&id) && !workload.unread.has(&["network"]) && !workload.incomplete;
        // A stack of one service may be there for another stack.
        if ports.is_empty()
            || !is_known
            || model.workloads.iter().len() < 2
            || workload.open_ports().next().is_some()
            || !workload.behind().is_empty()
            || workload.networks.iter().any(|network| !model.networks[network.value].admits.is_empty())
        {
            continue;
        }
        let alone = if workload.networks.is_empty() {
            in_default < 2
        } else {
            workload.networks.iter().all(|network| members.get(&network.value).copied() < Some(2))
        };
        if !alone {
            continue;
        }
        let place = workload.networks.first().and_then(Sourced::span);
        let message = format!("nobody can reach `{}`: it is alone in its networks", workload.reference());
        sink.push(
            Diagnostic::new(&UNREACHABLE, message)
                .at(place.unwrap_or(workload.span), "no other member")
                .help("put what uses it into the same network")
                .help(opened(workload))
                .of(workload.span),
        );
    }
}

pub(super) static BEHIND_UNFIT: Rule = Rule {
    name: "behind-unfit",
    summary: "A service cannot take the requests of the address that it shares",
    why: "Some of the requests to that address go to it, and fail.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.http = 8080\n\
            [service.b]\nimage = \"a:1.1\"\nport.web = 8080\nbehind = \"a\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.http = 8080\n\
             [service.b]\nimage = \"a:1.1\"\nport.http = 8080\nbehind = \"a\"\n",
    ..Rule::BASE
};

pub(super) fn behind_unfit(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        for other in workload.behind() {
            let (span, other) = (other.span(), &model.workloads[other.value]);
            let (own, address) = (workload.reference(), other.reference());
            if workload.incomplete || other.incomplete {
                continue;
            }
            if other.ports().is_empty() {
                let message = format!("`{own}` is behind `{address}`, which has no address");
                sink.push(
                    Diagnostic::new(&BEHIND_UNFIT, message)
                        .at(span, "a service without a port")
                        .also(other.span, "no port")
                        .help(format!("add the port at which both answer to `{address}`")),
                );
                continue;
            }
            for port in other.ports() {
                let found = workload.ports().iter().find(|own| own.name == port.name);
                let problem = match found {
                    Some(found) if found.protocol == port.protocol => continue,
                    Some(found) => (
                        format!("`{own}` answers at `{}` by another protocol than `{address}`", port.name),
                        (
                            found.span,
                            format!("{}, and {} there", found.protocol.word(), port.protocol.word()),
                        ),
                    ),
                    None => (
                        format!("`{own}` is behind `{address}`, but has no port `{}`", port.name),
                        (
                            span.unwrap_or(workload.span),
                            format!("requests to `{}` go there as well", port.name),
                        ),
                    ),
                };
                let (message, (at, label)) = problem;
                let (name, number) = (&port.name, port.number.value);
                let example = if port.protocol == Protocol::Tcp {
                    format!("port.{name} = {number}")
                } else {
                    format!("port.{name} = {{ number = {number}, protocol = \"{}\" }}", port.protocol.word())
                };
                sink.push(
                    Diagnostic::new(&BEHIND_UNFIT, message)
                        .at(at, label)
                        .also(port.span, "the port of the address")
                        .help(format!("set it in `{own}`, for example `{example}`"))
                        .help("or remove `behind`"),
                );
            }
            if !workload.unread.has(&["network"]) && !other.unread.has(&["network"]) {
                networks_behind(model, (workload, other), span, sink);
            }
        }
    }
}

/// Reports the networks of an address in which a service behind it is not.
fn networks_behind(
    model: &Model,
    (workload, other): (&Workload, &Workload),
    span: Option<Span>,
    sink: &mut Sink,
) {
    let is_in = |id: NetworkId| workload.networks.iter().any(|own| own.value == id);
    let missing: Vec<&str> = other
        .networks
        .iter()
        .filter(|network| !is_in(network.value))
        .map(|network| &*model.networks[network.value].name)
        .collect();
    let in_common = other.networks.is_empty() && !workload.networks.is_empty();
    if missing.is_empty() && !in_common {
        return;
    }
    let (own, address) = (workload.reference(), other.reference());
    let (which, help) = if in_common {
        (
            "the default network".to_owned(),
            "remove `network`, so that both are in the default network".to_owned(),
        )
    } else {
        let names: Vec<String> = other
            .networks
            .iter()
            .map(|network| format!("\"{}\"", model.networks[network.value].name))
            .collect();
        (
            format!("network {}", listing(missing.iter().copied())),
            format!("put it into the same networks: `network = [{}]`", names.join(", ")),
        )
    };
    let message = format!("`{own}` is behind `{address}`, but not in {which}");
    let networks = workload.networks.first();
    let by_target = networks.is_some_and(|network| network.origin.is_in_target());
    let networks = networks.and_then(Sourced::span).unwrap_or(workload.span);
    let refused = "clients in that network are refused there";
    let problem = Diagnostic::new(&BEHIND_UNFIT, message);
    let problem = if by_target {
        problem.at(networks, refused).also(span, "answers at that address")
    } else {
        problem.at(span, refused).also(networks, "its networks")
    };
    sink.push(problem.help(help));
}
