//! `[outside.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::{Fields, port_number};
use crate::diag::Diagnostic;
use crate::grammar::host;
use crate::model::{Outside, OutsidePlace, OutsidePort, Place};
use crate::origin::At;
use crate::resolve::{Allow, OutsideSymbol, port_names};
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Outside {
    let fields = Fields::of(entry, reader);
    let owner = format!("outside.{name}");
    reader.no_local_name(name, entry.key_span);
    if let Some((_, symbol)) = reader.symbols.workload(name) {
        let first = symbol.span;
        reader.sink.push(
            Diagnostic::new(
                "defined-twice",
                format!("Something outside is called `{name}`, as a service or task is."),
            )
            .at(fields.span, "defined again here")
            .also(first, "first defined here")
            .help("Both are found by their name; rename one of the two."),
        );
    }
    let ports = fields.map(reader, "port").map(|(name, entry)| {
        // A port stands in the model even if it can't be read: references count on its name.
        let value = port_number(&entry.node).unwrap_or_else(|| {
            reader.lose(entry.node.span);
            0
        });
        OutsidePort { name: Arc::clone(name), number: At { value, origin: entry.node.origin() } }
    });
    let ports = ports.collect();
    Outside { name: Arc::clone(name), span: fields.span, place: place(reader, &owner, &fields), ports }
}

fn place(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> At<OutsidePlace> {
    let unknown = || At::defaulted(OutsidePlace::Host("unknown.invalid".into()), "nothing else");
    match (fields.entry("host"), fields.entry("address")) {
        (None, None) => {
            if fields.is_table() {
                reader.missing(owner, fields.span, "host", "\"feed.buoys.example\"");
            }
            unknown()
        }
        (Some(host), Some(_)) => {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} has a host and an address."))
                    .at(host.key_span, "`address` is given as well")
                    .help("Keep one of the two."),
            );
            unknown()
        }
        (Some(entry), None) => {
            let Some(text) = reader.text(&entry.node, Allow::Names) else { return unknown() };
            let plain = text.plain();
            if !text.is_resolved() {
                return unknown();
            }
            if let (Err(reason), false) = (host::name(&plain), text.is_plain()) {
                reader.sink.push(
                    Diagnostic::new("bad-value", format!("The host of {owner} comes to `{plain}`."))
                        .at(text.origin.span(), "with its references resolved")
                        .help(format!("Here {reason}.")),
                );
            }
            At { value: OutsidePlace::Host(plain.into()), origin: text.origin }
        }
        (None, Some(_)) => fields
            .small(reader, "address", host::address)
            .map_or_else(unknown, |address| address.map(OutsidePlace::Address)),
    }
}

/// What a reference to it stands for. A host is itself, so that its certificate fits; an address has the
/// name of its service in a cluster, and is itself on a machine.
pub(super) fn symbol(outside: &Outside, on: Place) -> (Arc<str>, OutsideSymbol) {
    let host: Arc<str> = match (&outside.place.value, on) {
        (OutsidePlace::Host(host), _) => Arc::clone(host),
        (OutsidePlace::Address(_), Place::Cluster) => Arc::clone(&outside.name),
        (OutsidePlace::Address(address), Place::Machine) if address.is_ipv6() => {
            format!("[{address}]").into()
        }
        (OutsidePlace::Address(address), Place::Machine) => address.to_string().into(),
    };
    let ports = outside.ports.iter().map(|port| (Arc::clone(&port.name), port.number.value));
    (Arc::clone(&outside.name), OutsideSymbol { host, ports: port_names(ports) })
}
