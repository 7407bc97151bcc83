//! Reads `health` of a service or a sidecar.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, MISSING_KEY};
use crate::diag::unknown::Unknown;
use crate::grammar::word::Word;
use crate::language::health::{
    BOOT, EVERY, FAILS, GRPC, HEALTH_TABLE, HTTP, PORT, RESTART_AFTER, RUN, TCP, TIMEOUT,
};
use crate::model::{Health, Port, PortIndex, Probe, Protocol, SidecarIndex};
use crate::origin::Sourced;
use crate::tree::Entry;

/// The ports of a pod, and the container whose health is checked. A cluster looks for the port in that container only.
#[derive(Clone, Copy)]
pub(super) struct PodPorts<'p> {
    /// The ports of all containers.
    pub(super) all: &'p [Port],
    /// Set if something in them could not be read.
    pub(super) incomplete: bool,
    /// Set if there may be one whose name could not be read.
    pub(super) has_nameless: bool,
    /// The sidecar; `None`: the service's own container.
    pub(super) of: Option<SidecarIndex>,
}

impl<'p> PodPorts<'p> {
    /// The ports of the container, with their positions in the pod.
    fn own(self) -> impl Iterator<Item = (PortIndex, &'p Port)> + Clone {
        let all = self.all.iter().enumerate();
        all.filter(move |(_, port)| port.sidecar == self.of)
            .map(|(index, port)| (PortIndex::new(index), port))
    }
}

/// Reads a health check. One that cannot be read is reported, and replaced by an empty one, so that no rule reports
/// it as missing.
pub(super) fn read(reader: &mut Reader<'_>, owner: &str, entry: &Entry, ports: PodPorts<'_>) -> Health {
    let fields = Fields::of(entry, &HEALTH_TABLE, reader);
    let probe = probe(reader, owner, &fields, ports);
    let health = Health {
        span: entry.key_span,
        probe: probe.unwrap_or(Probe::Run { command: Vec::new() }),
        every: fields.or_default(reader, &EVERY),
        timeout: fields.or_default(reader, &TIMEOUT),
        boot: fields.or_default(reader, &BOOT),
        fails: fields.or_default(reader, &FAILS),
        restart_after: fields.or_default(reader, &RESTART_AFTER),
    };
    for (field, time) in [(&EVERY, health.every), (&TIMEOUT, health.timeout)] {
        if time.value.is_zero() {
            let key = field.name();
            reader.taint();
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{key}` must be longer than 0"))
                    .at(time.span(), "no time at all")
                    .help(format!("write one second or more: `{key} = \"1s\"`")),
            );
        }
    }
    health
}

fn probe(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, ports: PodPorts<'_>) -> Option<Probe> {
    let ways = HEALTH_TABLE.one_of.iter();
    let set: Vec<_> = ways.filter(|field| fields.entry(**field).is_some()).copied().collect();
    match set.as_slice() {
        [] if !fields.is_table() || fields.misspells(HEALTH_TABLE.one_of) => return None,
        [] => {
            reader.taint();
            reader.sink.push(
                Diagnostic::new(&MISSING_KEY, format!("the health check of `{owner}` is empty"))
                    .at(fields.span, "`http`, `tcp`, `grpc` or `run` is missing")
                    .help("add one, for example `health = { http = \"/healthz\" }`")
                    .help("or run a program: `health = { run = [\"check\"] }`"),
            );
            return None;
        }
        [one, other, ..] => fields.both(reader, &format!("the health check of `{owner}`"), *one, *other),
        [_] => {}
    }
    if fields.entry(&HTTP).is_some() {
        let path = fields.get(reader, &HTTP)?;
        reader.absolute(&path, &HTTP);
        let port = match fields.entry(&PORT) {
            Some(_) => {
                let name = fields.get(reader, &PORT)?;
                named_port(reader, owner, &name, ports)?
            }
            None => only_port(reader, owner, fields, ports)?,
        };
        return Some(Probe::Http { path: path.value, port });
    }
    if fields.entry(&TCP).is_some() {
        let name = fields.get(reader, &TCP)?;
        return Some(Probe::Tcp { port: named_port(reader, owner, &name, ports)? });
    }
    if fields.entry(&GRPC).is_some() {
        let name = fields.get(reader, &GRPC)?;
        return Some(Probe::Grpc { port: named_port(reader, owner, &name, ports)? });
    }
    let node = fields.node(&RUN)?;
    let command = fields.list(reader, &RUN)?;
    if node.items().is_empty() {
        reader.empty(&format!("the health check of `{owner}`"), node, &RUN);
    }
    Some(Probe::Run { command })
}

fn named_port(
    reader: &mut Reader<'_>,
    owner: &str,
    name: &Sourced<Arc<str>>,
    ports: PodPorts<'_>,
) -> Option<PortIndex> {
    if let Some((index, port)) = ports.own().find(|(_, port)| port.name == name.value) {
        if port.protocol == Protocol::Tcp {
            return Some(index);
        }
        reader.taint();
        let protocol = port.protocol.word().to_uppercase();
        let message = format!("the health check of `{owner}` needs TCP, but its port uses {protocol}");
        let problem = Diagnostic::new(&BAD_VALUE, message)
            .at(name.span(), format!("uses {protocol} only"))
            .also(port.span, "the port");
        let tcp = ports.own().find(|(_, port)| port.protocol == Protocol::Tcp);
        reader.sink.push(match tcp {
            Some((_, tcp)) => problem.help(format!("name a TCP port, for example `{}`", tcp.name)),
            None => problem.help("run a program that checks: `health = { run = [\"check\"] }`"),
        });
        return None;
    }
    let span = name.span()?;
    reader.taint();
    if let Some(port) = ports.all.iter().find(|port| port.name == name.value) {
        let message = format!("the health check of `{owner}` names a port of another container");
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, message)
                .at(span, "not a port of this container")
                .also(port.span, "the port")
                .help("move `health` to the container that has the port")
                .help("or name a port of this container"),
        );
        return None;
    }
    if ports.has_nameless {
        return None;
    }
    let unknown = Unknown { what: "port", owner: Some(owner), name: &name.value, span, exact: false };
    unknown.report(|| ports.own().map(|(_, port)| &*port.name), reader.sink);
    None
}

fn only_port(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    ports: PodPorts<'_>,
) -> Option<PortIndex> {
    let mut tcp = ports.own().filter(|(_, port)| port.protocol == Protocol::Tcp);
    let first = tcp.next();
    if let (Some((index, _)), None) = (first, tcp.next()) {
        return Some(index);
    }
    reader.taint();
    if ports.incomplete {
        return None;
    }
    let problem = match first {
        None => Diagnostic::new(&MISSING_KEY, format!("the HTTP health check of `{owner}` needs a TCP port"))
            .at(fields.span, "no TCP port to ask")
            .help(format!("add one to `{owner}`: `port.http = 8080`")),
        Some((_, first)) => {
            Diagnostic::new(&MISSING_KEY, format!("`port` is missing in the health check of `{owner}`"))
                .at(fields.span, "several TCP ports to ask")
                .help(format!("add it, for example `port = \"{}\"`", first.name))
        }
    };
    reader.sink.push(problem);
    None
}
