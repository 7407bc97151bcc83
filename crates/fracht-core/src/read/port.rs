//! `port.NAME` of a service.

use std::sync::Arc;

use super::Reader;
use super::fields::{Fields, port_number};
use crate::grammar::at;
use crate::model::{Port, Protocol, Reach};
use crate::origin::At;
use crate::tree::{Entry, Value};

/// Reads a port. It stands in the model even if nothing of it can be read: references count ports.
pub(super) fn read(reader: &mut Reader<'_>, owner: &str, name: &Arc<str>, entry: &Entry) -> Port {
    let mut port = Port {
        name: Arc::clone(name),
        span: entry.key_span,
        number: At::defaulted(0, "nothing else"),
        protocol: Protocol::Tcp,
        reach: At::defaulted(Reach::Stack, "the default of a port"),
        at: None,
        inner: None,
    };
    if !matches!(entry.node.value, Value::Table(_)) {
        match port_number(&entry.node) {
            Some(value) => port.number = At { value, origin: entry.node.origin() },
            None => reader.lose(entry.node.span),
        }
        return port;
    }
    let fields = Fields::of(entry, reader);
    match fields.port(reader, "number") {
        Some(number) => port.number = number,
        None if fields.node("number").is_none() => {
            reader.missing(&format!("{owner}/{name}"), port.span, "number", "8080");
        }
        None => {}
    }
    if let Some(protocol) = fields.word(reader, "protocol", &Protocol::WORDS) {
        port.protocol = protocol.value;
    }
    if let Some(reach) = fields.word(reader, "reach", &Reach::WORDS) {
        port.reach = reach;
    }
    port.at = fields.small(reader, "at", at::parse);
    port.inner = fields.port(reader, "as");
    port
}
