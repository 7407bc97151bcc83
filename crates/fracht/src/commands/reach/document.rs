//! The JSON of `fracht reach --format json`. docs/json.md describes the fields.

use fracht_core::grammar::word::Word as _;
use fracht_core::model::WorkloadId;
use fracht_core::plan::external::ExternalAddress;
use fracht_core::plan::facts::Facts;
use fracht_core::plan::login::Login;
use fracht_core::plan::reach::{
    Caller, ClosedPort, Leak, LeakReason, May, OpenPort, ReachPlan, may, may_at, networks,
};
use serde::Serialize;

use super::beside::{Between, between};
use super::{forward, learn, name, not_considered, reading, why_not};
use crate::beside::Beside;
use crate::ui::address;

/// The most pairs of callers and services. With more pairs, only the used connections are listed, since the number of
/// pairs grows with the square of the stack.
const MOST_PAIRS: usize = 40_000;

/// The whole document.
#[derive(Serialize)]
pub(super) struct ReachDocument<'a> {
    stack: &'a str,
    target: &'a str,
    ways_in: Vec<Way<'a>>,
    /// `all`, or `used`: which services `talks` lists.
    talks_with: &'static str,
    inside: Vec<Inside<'a>>,
    /// The ports that only services in their networks can reach.
    closed: Vec<Closed<'a>>,
    admits: Vec<Admits<'a>>,
    /// What the stacks of `--beside` and this one can reach of each other.
    beside: Vec<Between<'a>>,
    /// Patched and passed objects, whose effect is not considered.
    not_considered: Vec<String>,
}

#[derive(Serialize)]
struct Closed<'a> {
    service: &'a str,
    /// Other services that answer at the same address.
    also: Vec<&'a str>,
    port: &'a str,
    /// The command that makes it reachable from this machine.
    forward: Option<String>,
    logins: Vec<LoginAnswer>,
}

/// Services and tasks of another stack that may connect to the members of a network.
#[derive(Serialize)]
struct Admits<'a> {
    network: &'a str,
    stack: &'a str,
    service: Option<&'a str>,
    namespace: Option<&'a str>,
}

#[derive(Serialize)]
struct Way<'a> {
    service: &'a str,
    /// Other services that answer at the same address.
    also: Vec<&'a str>,
    port: &'a str,
    protocol: &'a str,
    reach: &'a str,
    addresses: Vec<String>,
    hosts_line: Option<String>,
    /// The command that prints the address.
    learn: Option<String>,
    tls: bool,
    logins: Vec<LoginAnswer>,
}

#[derive(Serialize)]
#[serde(rename_all = "lowercase")]
enum LoginAnswer {
    User { variable: String, name: String },
    Secret { reference: String, read: String },
}

#[derive(Serialize)]
struct Inside<'a> {
    name: &'a str,
    kind: &'a str,
    networks: Vec<&'a str>,
    /// True if it can reach any address, at the ports of `gets_out_at` only if that is not empty.
    gets_out: bool,
    /// The connections that closed networks still allow.
    gets_out_at: Vec<Out<'a>>,
    outside: Vec<&'a str>,
    can_talk_to: usize,
    talks: Vec<Talk<'a>>,
}

#[derive(Serialize)]
struct Out<'a> {
    /// `names` or `api`.
    r#for: &'static str,
    ports: &'static [u16],
    protocols: Vec<&'static str>,
    /// CIDR blocks.
    to: Vec<&'a str>,
    /// True if the pods of the cluster can be reached.
    to_pods: bool,
}

#[derive(Serialize)]
struct Talk<'a> {
    to: &'a str,
    may: &'a str,
    /// The ports that it can reach.
    ports: Vec<&'a str>,
    uses: bool,
    why_not: Option<&'static str>,
}

/// The document for a plan.
pub(super) fn of<'a>(facts: &'a Facts, plan: &'a ReachPlan, beside: &'a [Beside]) -> ReachDocument<'a> {
    let model = &facts.model;
    let login = |login: &Login| match login {
        Login::User(variable, name) => {
            Some(LoginAnswer::User { variable: variable.to_string(), name: name.clone() })
        }
        Login::Secret(..) => {
            reading(model, login).map(|(reference, read)| LoginAnswer::Secret { reference, read })
        }
    };
    let closed = |closed: &'a ClosedPort| {
        let workload = &model.workloads[closed.service];
        Some(Closed {
            service: &workload.name,
            also: closed.also.iter().map(|id| name(model, *id)).collect(),
            port: &workload.port(closed.port)?.name,
            forward: forward(model, closed),
            logins: closed.logins.iter().filter_map(login).collect(),
        })
    };
    let admits = model.networks.iter().flat_map(|network| {
        network.admits.iter().map(|admitted| Admits {
            network: &network.name,
            stack: &admitted.stack.value,
            service: admitted.service.as_deref(),
            namespace: admitted.namespace.as_deref(),
        })
    });
    let way = |way: &'a OpenPort| {
        let workload = &model.workloads[way.service];
        let port = workload.port(way.port)?;
        Some(Way {
            service: &workload.name,
            also: way.also.iter().map(|id| name(model, *id)).collect(),
            port: &port.name,
            protocol: port.protocol.word(),
            reach: way.reach.word(),
            addresses: way.addresses.iter().map(address::shown).collect(),
            hosts_line: address::host(&way.addresses).map(address::hosts_line),
            learn: learn(model, way),
            tls: way
                .addresses
                .iter()
                .any(|address| matches!(address, ExternalAddress::Web { tls: true, .. })),
            logins: way.logins.iter().filter_map(login).collect(),
        })
    };
    let talk = |caller: &Caller, id: WorkloadId| {
        let may = may(model, caller.who, id);
        let ports = model.workloads[id].ports().iter().filter(|port| may_at(model, caller.who, id, port));
        Talk {
            to: name(model, id),
            ports: ports.map(|port| &*port.name).collect(),
            may: match may {
                May::Itself => "itself",
                May::All => "all",
                May::OpenPorts => "open-ports",
                May::SomeOpenPorts => "some-open-ports",
                May::NoNetwork | May::NoWayOut => "no",
            },
            uses: caller.makes_use_of(model, id),
            why_not: why_not(may),
        }
    };
    let lists_all = plan.callers.len().saturating_mul(plan.services.len()) <= MOST_PAIRS;
    let leak = |leak: &'a Leak| Out {
        r#for: match leak.why {
            LeakReason::Names => "names",
            LeakReason::Api => "api",
        },
        ports: leak.ports,
        protocols: leak.protocols.iter().map(|protocol| protocol.word()).collect(),
        to: match leak.to.as_slice() {
            [] => vec!["0.0.0.0/0", "::/0"],
            blocks => blocks.iter().map(|block| &**block).collect(),
        },
        to_pods: leak.leads_to_pods(),
    };
    let inside = |caller: &'a Caller| {
        let workload = &model.workloads[caller.who];
        Inside {
            name: &workload.name,
            kind: workload.kind_word(),
            networks: networks(workload).map(|network| &*model.networks[network].name).collect(),
            gets_out: caller.gets_out || caller.leaks.iter().any(|leak| leak.to.is_empty()),
            gets_out_at: caller.leaks.iter().map(leak).collect(),
            outside: caller.outside.iter().map(|id| &*model.outsides[*id].name).collect(),
            can_talk_to: caller.can_talk_to,
            talks: if lists_all {
                plan.services.iter().map(|id| talk(caller, *id)).collect()
            } else {
                caller.uses.iter().map(|id| talk(caller, *id)).collect()
            },
        }
    };
    ReachDocument {
        stack: &model.name.value,
        target: &model.target.name,
        ways_in: plan.open_ports.iter().filter_map(way).collect(),
        talks_with: if lists_all { "all" } else { "used" },
        closed: plan.closed_ports.iter().filter_map(closed).collect(),
        admits: admits.collect(),
        inside: plan.callers.iter().map(inside).collect(),
        beside: beside.iter().flat_map(|other| between(facts, other)).collect(),
        not_considered: not_considered(model),
    }
}
