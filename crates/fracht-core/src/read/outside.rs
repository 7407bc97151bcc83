//! Reads `[outside.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, DEFINED_TWICE};
use crate::language::AnyField;
use crate::language::outside::{ADDRESS, HOST, NAMESPACE, OUTSIDE_TABLE, PORT, SERVICE};
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
    let ways: [&'static dyn AnyField; 3] = [&HOST, &ADDRESS, &SERVICE];
    let mut set = ways.into_iter().filter(|field| fields.entry(*field).is_some());
    let way = match (set.next(), set.next()) {
        (None, _) => {
            fields.missing(reader, owner, OUTSIDE_TABLE.one_of);
            return unknown();
        }
        (Some(one), Some(other)) => {
            fields.both(reader, owner, one, other);
            return unknown();
        }
        (Some(way), None) => way,
    };
    // That of an earlier layer belongs to the service that this way replaces.
    let layer = fields.entry(way).map(|entry| entry.node.layer);
    let namespace = fields.valid(reader, &NAMESPACE).filter(|entry| Some(entry.node.layer) >= layer);
    if let (Some(namespace), None) = (namespace, fields.entry(&SERVICE)) {
        let message = format!("`namespace` has no effect in `{owner}`: it names no `service`");
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, message)
                .at(namespace.node.span, "no effect")
                .help("name a Service of that namespace: `service = \"NAME\"`")
                .help("or remove `namespace`"),
        );
    }
    if fields.entry(&HOST).is_some() {
        let host = fields.text(reader, &HOST).filter(Text::is_resolved);
        let place =
            |host: Text| Sourced { value: OutsidePlace::Host(host.plain().into()), origin: host.origin };
        return host.map_or_else(unknown, place);
    }
    if fields.entry(&ADDRESS).is_some() {
        let address = fields.get(reader, &ADDRESS);
        return address.map_or_else(unknown, |address| address.map(OutsidePlace::Address));
    }
    let own = Arc::clone(&reader.symbols.facts.namespace);
    let namespace = fields.get(reader, &NAMESPACE).map(|namespace| namespace.value);
    let namespace = namespace.filter(|namespace| *namespace != own);
    let service = fields.get(reader, &SERVICE);
    service.map_or_else(unknown, |service| service.map(|name| OutsidePlace::Service(name, namespace)))
}

/// The address of an external service in texts. A host name is used unchanged, so that its certificate matches. An IP
/// address gets the name of its Service in a cluster, and is used unchanged on a machine. A Service of the cluster has its own
/// name.
pub(super) fn symbol(outside: &Outside, on: TargetKind) -> (Arc<str>, OutsideSymbol) {
    let host: Arc<str> = match (&outside.place.value, on) {
        (OutsidePlace::Host(host), _) => Arc::clone(host),
        (OutsidePlace::Service(name, namespace), _) => OutsidePlace::service_host(name, namespace.as_ref()),
        (OutsidePlace::Address(_), TargetKind::Cluster) => Arc::clone(&outside.name),
        (OutsidePlace::Address(address), TargetKind::Machine) if address.is_ipv6() => {
            format!("[{address}]").into()
        }
        (OutsidePlace::Address(address), TargetKind::Machine) => address.to_string().into(),
    };
    let ports = outside.ports.iter().map(|port| (Arc::clone(&port.name), port.number.value));
    (Arc::clone(&outside.name), OutsideSymbol { host, ports: port_names(ports) })
}
