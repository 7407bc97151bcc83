//! `health` of a service.

use std::sync::Arc;
use std::time::Duration;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::grammar::duration;
use crate::model::{Health, Port, PortIndex, Probe, Protocol};
use crate::origin::At;
use crate::resolve::Unknown;
use crate::tree::Entry;

const DEFAULT: &str = "the default of a health check";

/// Reads a health check. One that does not say what to ask is reported, and stands here as one that asks
/// nothing, so that nobody is told that it is missing.
pub(super) fn read(reader: &mut Reader<'_>, owner: &str, entry: &Entry, ports: &[Port]) -> Health {
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

fn probe(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, ports: &[Port]) -> Option<Probe> {
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
    ports: &[Port],
) -> Option<PortIndex> {
    let index = ports.iter().position(|port| port.name == name.value);
    if let (None, Some(span)) = (index, name.span()) {
        reader.tainted = true;
        let what = format!("port of {owner}");
        let unknown = Unknown { what: &what, name: &name.value, span, exact: false };
        reader.sink.push(unknown.among(ports.iter().map(|port| &*port.name)));
    }
    index.map(PortIndex)
}

fn only_port(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, ports: &[Port]) -> Option<PortIndex> {
    let mut tcp = ports.iter().enumerate().filter(|(_, port)| port.protocol == Protocol::Tcp);
    match (tcp.next(), tcp.next()) {
        (Some((index, _)), None) => Some(PortIndex(index)),
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
