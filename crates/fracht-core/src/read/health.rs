//! `health` of a service.

use std::sync::Arc;
use std::time::Duration;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::suggest::Unknown;
use crate::grammar::duration;
use crate::model::{Health, Port, PortIndex, Probe, Protocol};
use crate::origin::At;
use crate::tree::Entry;

/// The ports of a pod, and the container whose health is asked: a cluster looks a port up in that very container.
#[derive(Clone, Copy)]
pub(super) struct PodPorts<'p> {
    /// Those of all containers.
    pub(super) all: &'p [Port],
    /// The helper, by its position; `None`: the service's own container.
    pub(super) of: Option<usize>,
}

impl<'p> PodPorts<'p> {
    /// Those of the container, with their positions in the pod.
    fn own(self) -> impl Iterator<Item = (PortIndex, &'p Port)> + Clone {
        let all = self.all.iter().enumerate();
        all.filter(move |(_, port)| port.helper == self.of).map(|(index, port)| (PortIndex(index), port))
    }
}

const DEFAULT: &str = "the default of a health check";

/// Reads a health check. One that does not say what to ask is reported, and stands here as one that asks
/// nothing, so that nobody is told that it is missing.
pub(super) fn read(reader: &mut Reader<'_>, owner: &str, entry: &Entry, ports: PodPorts<'_>) -> Health {
    let fields = Fields::of(entry, reader);
    let probe = probe(reader, owner, &fields, ports);
    let mut time = |key, seconds| {
        let read = fields.small(reader, key, duration::parse);
        read.unwrap_or(At::defaulted(Duration::from_secs(seconds), DEFAULT))
    };
    let (every, timeout, boot) = (time("every", 5), time("timeout", 2), time("boot", 30));
    for (key, time) in [("every", every), ("timeout", timeout)] {
        if time.value.is_zero() {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new("bad-value", format!("`{key}` can't be nothing."))
                    .at(time.span(), "no time at all")
                    .help(format!("Write one second or more: {key} = \"1s\"")),
            );
        }
    }
    let mut count = |key, range, by| fields.number(reader, key, range).unwrap_or(At::defaulted(by, DEFAULT));
    let (fails, restart_after) = (count("fails", 1..=1000, 3), count("restart-after", 0..=1000, 6));
    let probe = probe.unwrap_or(Probe::Run { command: Vec::new() });
    Health { span: entry.key_span, probe, every, timeout, boot, fails, restart_after }
}

fn probe(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, ports: PodPorts<'_>) -> Option<Probe> {
    let given: Vec<_> = ["http", "tcp", "grpc", "run"]
        .into_iter()
        .filter_map(|key| Some((key, fields.entry(key)?)))
        .collect();
    match given.as_slice() {
        [] if !fields.is_table() => return None,
        [] => {
            let message = format!("The health check of {owner} does not say what to ask.");
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new("missing-key", message)
                    .at(fields.span, "one of http, tcp, grpc and run is missing")
                    .help(
                        "For example: health = { http = \"/healthz\" }, { tcp = \"sql\" } or \
                           { run = [\"check\"] }.",
                    ),
            );
            return None;
        }
        [(one, _), (other, entry), ..] => {
            let message = format!("The health check of {owner} asks in two ways.");
            reader.sink.push(
                Diagnostic::new("bad-value", message)
                    .at(entry.key_span, format!("`{one}` is given as well"))
                    .help(format!("Keep one of `{one}` and `{other}`.")),
            );
        }
        [_] => {}
    }
    if let Some(path) = fields.plain(reader, "http") {
        if !path.value.starts_with('/') {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("`{}` is not a path.", path.value))
                    .at(path.span(), "does not begin with /")
                    .help(format!("Write http = \"/{}\".", path.value)),
            );
        }
        let port = match fields.plain(reader, "port") {
            Some(name) => named_port(reader, owner, &name, ports)?,
            None => only_port(reader, owner, fields, ports)?,
        };
        return Some(Probe::Http { path: path.value, port });
    }
    if let Some(name) = fields.plain(reader, "tcp") {
        return Some(Probe::Tcp { port: named_port(reader, owner, &name, ports)? });
    }
    if let Some(name) = fields.plain(reader, "grpc") {
        return Some(Probe::Grpc { port: named_port(reader, owner, &name, ports)? });
    }
    let command = fields.plains(reader, "run")?;
    if command.is_empty() {
        reader.missing(owner, fields.span, "run", "[\"check\"]");
    }
    Some(Probe::Run { command: command.into_iter().map(|word| word.value).collect() })
}

fn named_port(
    reader: &mut Reader<'_>,
    owner: &str,
    name: &At<Arc<str>>,
    ports: PodPorts<'_>,
) -> Option<PortIndex> {
    if let Some((index, port)) = ports.own().find(|(_, port)| port.name == name.value) {
        if port.protocol == Protocol::Tcp {
            return Some(index);
        }
        reader.tainted = true;
        let message = format!(
            "the health check of `{owner}` asks over TCP at a {} port",
            port.protocol.word().to_uppercase()
        );
        let problem = Diagnostic::new("bad-value", message)
            .at(name.span(), format!("speaks {} only", port.protocol.word().to_uppercase()))
            .also(port.span, "the port");
        let tcp = ports.own().find(|(_, port)| port.protocol == Protocol::Tcp);
        reader.sink.push(match tcp {
            Some((_, tcp)) => problem.help(format!("ask at a TCP port, for example `{}`", tcp.name)),
            None => problem.help("run a program that asks: `health = { run = [\"check\"] }`"),
        });
        return None;
    }
    let span = name.span()?;
    reader.tainted = true;
    if let Some(port) = ports.all.iter().find(|port| port.name == name.value) {
        let message = format!("the health check of `{owner}` asks at a port of another container");
        reader.sink.push(
            Diagnostic::new("bad-value", message)
                .at(span, "the cluster looks for it in this container only")
                .also(port.span, "the port")
                .help("move `health` to the container that has the port, or ask at a port of this one"),
        );
        return None;
    }
    let what = format!("port of {owner}");
    let unknown = Unknown { what: &what, name: &name.value, span, exact: false };
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
    match (tcp.next(), tcp.next()) {
        (Some((index, _)), None) => Some(index),
        (None, _) => {
            reader.missing(
                &format!("{owner}, asked for its health,"),
                fields.span,
                "port",
                "{ http = 8080 }",
            );
            None
        }
        (Some((_, first)), Some(_)) => {
            let example = format!("\"{}\"", first.name);
            reader.missing(&format!("The health check of {owner}"), fields.span, "port", &example);
            None
        }
    }
}
