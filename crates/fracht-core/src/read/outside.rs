//! Reads `[outside.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::DEFINED_TWICE;
use crate::language::outside::{ADDRESS, HOST, OUTSIDE_TABLE, PORT};
use crate::model::{Outside, OutsidePlace, OutsidePort, TargetKind, Text};
use crate::origin::Sourced;
use crate::resolve::{OutsideSymbol, port_names};
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Outside {
    let fields = Fields::of(entry, &OUTSIDE_TABLE, reader);
    let owner = format!("outside.{name}");
    reader.no_local_name(name, entry.key_span);
    if let Some((_, symbol)) = reader.symbols.workload(name) {
        let first = symbol.span;
        let message = format!("an external service and a service or task are both named `{name}`");
        reader.sink.push(
            Diagnostic::new(&DEFINED_TWICE, message)
                .at(fields.span, "defined again here")
                .also(first, "first defined here")
                .help("rename one of them: both are found by their name"),
        );
    }
    let ports = fields.named(reader, &PORT).map(|(name, entry)| {
        // A port that cannot be read is in the model as well, since references may name it.
        let number = reader.value(&entry.node, &PORT.takes);
        let number = number.unwrap_or(Sourced { value: 0, origin: entry.node.origin() });
        OutsidePort { name: Arc::clone(name), number }
    });
    let ports = ports.collect();
    Outside { name: Arc::clone(name), span: fields.span, place: place(reader, &owner, &fields), ports }
}

fn place(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Sourced<OutsidePlace> {
    let unknown = || Sourced::defaulted(OutsidePlace::Host("unknown.invalid".into()));
    match (fields.entry(&HOST), fields.entry(&ADDRESS)) {
        (None, None) => {
            fields.missing(reader, owner, OUTSIDE_TABLE.one_of);
            unknown()
        }
        (Some(_), Some(_)) => {
            fields.both(reader, owner, &HOST, &ADDRESS);
            unknown()
        }
        (Some(_), None) => {
            let host = fields.text(reader, &HOST).filter(Text::is_resolved);
            host.map_or_else(unknown, |host| Sourced {
                value: OutsidePlace::Host(host.plain().into()),
                origin: host.origin,
            })
        }
        (None, Some(_)) => {
            let address = fields.get(reader, &ADDRESS);
            address.map_or_else(unknown, |address| address.map(OutsidePlace::Address))
        }
    }
}

/// The address of an external service in texts. A host name is used unchanged, so that its certificate matches. An IP
/// address gets the name of its Service in a cluster, and is used unchanged on a machine.
pub(super) fn symbol(outside: &Outside, on: TargetKind) -> (Arc<str>, OutsideSymbol) {
    let host: Arc<str> = match (&outside.place.value, on) {
        (OutsidePlace::Host(host), _) => Arc::clone(host),
        (OutsidePlace::Address(_), TargetKind::Cluster) => Arc::clone(&outside.name),
        (OutsidePlace::Address(address), TargetKind::Machine) if address.is_ipv6() => {
            format!("[{address}]").into()
        }
        (OutsidePlace::Address(address), TargetKind::Machine) => address.to_string().into(),
    };
    let ports = outside.ports.iter().map(|port| (Arc::clone(&port.name), port.number.value));
    (Arc::clone(&outside.name), OutsideSymbol { host, ports: port_names(ports) })
}
