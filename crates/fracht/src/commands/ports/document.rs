//! The JSON of `fracht ports --format json`.

use fracht_core::check::Verdict;
use fracht_core::grammar::word::Word as _;
use fracht_core::plan::external::external_addresses;
use fracht_core::plan::listening::{Listening, Obstacle, Program};
use fracht_core::plan::ports::{Clash as InStack, PortEntry};
use serde::Serialize;

use super::{Elsewhere, also, inside};
use crate::beside::Beside;
use crate::ui::address;

#[derive(Serialize)]
pub(super) struct PortsDocument<'a> {
    stack: &'a str,
    target: &'a str,
    on: &'a str,
    ports: Vec<Row<'a>>,
    clashes: Vec<Clash<'a>>,
    /// What listens on this machine; null without `--live`.
    live: Option<Live>,
    /// The stacks of `--beside`.
    beside: Vec<Other<'a>>,
}

#[derive(Serialize)]
struct Row<'a> {
    service: &'a str,
    port: &'a str,
    number: u16,
    protocol: &'a str,
    inside: String,
    reach: &'a str,
    /// Other services that answer at the same address.
    also: Vec<&'a str>,
    at: &'a [u16],
    /// True if the numbers are from the lock.
    kept: bool,
    /// True if the cluster chooses the number.
    picked_by_cluster: bool,
    outside: Vec<String>,
}

#[derive(Serialize)]
struct Clash<'a> {
    number: u16,
    protocol: &'a str,
    place: &'a str,
    first: String,
    second: String,
    free: Option<u16>,
}

#[derive(Serialize)]
struct Live {
    listeners: Vec<Listens>,
    clashes: Vec<InUse>,
    /// What could not be read, in words.
    unread: Vec<String>,
}

#[derive(Serialize)]
struct Listens {
    number: u16,
    protocol: &'static str,
    address: String,
    /// The name of the program, or null.
    program: Option<String>,
    process: Option<u32>,
    /// The user, if only that is known.
    user: Option<String>,
}

#[derive(Serialize)]
struct InUse {
    number: u16,
    protocol: &'static str,
    port: String,
    address: String,
    program: String,
    /// True if the port can be opened, but `localhost` may lead to the other program.
    shadow: bool,
    free: Option<u16>,
}

#[derive(Serialize)]
struct Other<'a> {
    stack: &'a str,
    target: &'a str,
    ports: Vec<OtherPort<'a>>,
}

#[derive(Serialize)]
struct OtherPort<'a> {
    service: &'a str,
    port: &'a str,
    protocol: &'a str,
    outside: Vec<String>,
}

/// The document of a stack.
pub(super) fn of<'a>(verdict: &'a Verdict, elsewhere: &'a Elsewhere) -> PortsDocument<'a> {
    let (model, plan) = (&verdict.facts.model, &verdict.facts.ports);
    let row = |entry: &'a PortEntry| {
        let port = entry.port(model)?;
        Some(Row {
            service: &model.workloads[entry.service].name,
            port: &port.name,
            number: port.number.value,
            protocol: port.protocol.word(),
            inside: inside(model, entry, port),
            reach: port.reach.value.word(),
            also: also(model, entry),
            at: &entry.at,
            kept: entry.kept,
            picked_by_cluster: entry.is_picked_by_cluster(model),
            outside: external_addresses(model, port, &entry.at).iter().map(address::shown).collect(),
        })
    };
    let clash = |clash: &InStack| Clash {
        number: clash.number,
        protocol: clash.protocol.word(),
        place: clash.scope.words(),
        first: clash.first.words(model),
        second: clash.second.words(model),
        free: clash.free,
    };
    PortsDocument {
        stack: &model.name.value,
        target: &model.target.name,
        on: model.target.on.value.word(),
        ports: plan.entries.iter().filter_map(row).collect(),
        clashes: plan.clashes.iter().map(clash).collect(),
        live: elsewhere.listening.as_ref().map(|listening| live(verdict, listening)),
        beside: elsewhere.beside.iter().map(other).collect(),
    }
}

fn live(verdict: &Verdict, listening: &Listening) -> Live {
    let (model, plan) = (&verdict.facts.model, &verdict.facts.ports);
    let listeners = listening.listeners.iter().map(|listener| {
        let (program, process, user) = match &listener.program {
            Program::Known(name, process) => (Some(name.to_string()), Some(*process), None),
            Program::Container(name) => (Some(name.to_string()), None, None),
            Program::OfUser(user) => (None, None, Some(user.to_string())),
            Program::Unknown => (None, None, None),
        };
        Listens {
            number: listener.port,
            protocol: listener.protocol.word(),
            address: listener.address.to_string(),
            program,
            process,
            user,
        }
    });
    let clashes = listening.clashes(model, plan).into_iter().map(|clash| InUse {
        number: clash.number,
        protocol: clash.protocol.word(),
        port: clash.port.words(model),
        address: clash.listener.address.to_string(),
        program: clash.listener.program.words(),
        shadow: clash.how == Obstacle::Shadow,
        free: clash.free,
    });
    Live { listeners: listeners.collect(), clashes: clashes.collect(), unread: listening.unread.clone() }
}

fn other(beside: &Beside) -> Other<'_> {
    let (model, plan) = (&beside.verdict.facts.model, &beside.verdict.facts.ports);
    let port = |entry: &PortEntry| {
        let port = entry.port(model).filter(|port| port.reach.value.is_open())?;
        Some(OtherPort {
            service: &model.workloads[entry.service].name,
            port: &port.name,
            protocol: port.protocol.word(),
            outside: external_addresses(model, port, &entry.at).iter().map(address::shown).collect(),
        })
    };
    Other {
        stack: &model.name.value,
        target: &model.target.name,
        ports: plan.entries.iter().filter_map(port).collect(),
    }
}
