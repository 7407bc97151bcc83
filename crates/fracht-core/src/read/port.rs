//! `port.NAME` of a service.

use std::sync::Arc;

use super::Reader;
use super::fields::{Fields, port_number};
use crate::diag::Diagnostic;
use crate::grammar::{at, host};
use crate::model::{Port, Protocol, Reach};
use crate::origin::At;
use crate::resolve::Allow;
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
        host: None,
        path: At::defaulted("/".into(), "the default of a port"),
        helper: None,
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
        None if fields.lacks("number") => {
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
    web(reader, owner, &fields, &mut port);
    port
}

/// Host and path, which only the web asks for.
fn web(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, port: &mut Port) {
    let name = Arc::clone(&port.name);
    for key in ["host", "path"] {
        // A target may open to the web what the stack does not, or the other way round.
        let same_layer = |entry: &&Entry| {
            let reach = fields.node("reach").map(|node| node.layer);
            reach.is_none_or(|reach| reach == entry.node.layer)
        };
        let Some(entry) = fields.entry(key).filter(|_| port.reach.value != Reach::Web).filter(same_layer)
        else {
            continue;
        };
        reader.sink.push(
            Diagnostic::new("bad-value", format!("{owner}/{name} has a `{key}` and is not open to the web."))
                .at(entry.key_span, "does nothing")
                .help("Open it with reach = \"web\", or remove it."),
        );
    }
    if let Some(text) = fields.node("host").and_then(|node| reader.text(node, Allow::Names)) {
        let resolved = text.is_resolved();
        let plain = text.plain();
        if let (Err(reason), false, true) = (host::entry(&plain), text.is_plain(), resolved) {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("The host of {owner}/{name} comes to `{plain}`."))
                    .at(text.origin.span(), "with its references resolved")
                    .help(format!("Here {reason}.")),
            );
        }
        port.host = Some(At { value: plain.into(), origin: text.origin });
    }
    if let Some(path) = fields.plain(reader, "path") {
        if !path.value.starts_with('/') {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("`{}` is not a path.", path.value))
                    .at(path.span(), "does not begin with /")
                    .help(format!("Write path = \"/{}\".", path.value)),
            );
        }
        port.path = path;
    }
}
