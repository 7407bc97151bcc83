//! Reads `port.NAME` of a service or a sidecar.

use std::sync::Arc;

use super::fields::Fields;
use super::{Reader, label};
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::language::port::{
    AS, AT, HOST, LOGIN, NOTE, NUMBER, PASSWORD, PATH, PORT_TABLE, PROTOCOL, REACH, USER,
};
use crate::model::{Port, PortLogin, Reach, Text};
use crate::origin::Sourced;
use crate::tree::Entry;

/// Reads a port. A port that cannot be read is in the model as well, since references may name it.
pub(super) fn read(reader: &mut Reader<'_>, owner: &str, name: &Arc<str>, entry: &Entry) -> Port {
    let fields = Fields::of(entry, &PORT_TABLE, reader);
    let number = fields.get(reader, &NUMBER);
    if fields.lacks(&NUMBER) {
        fields.missing(reader, &format!("{owner}/{name}"), &[&NUMBER]);
    }
    let reach = fields.or_default(reader, &REACH);
    // What it means depends on the reach, and on whether this is a port at all.
    let is_sure = number.is_some() && !fields.has_invalid(reader, &[&REACH]) && !fields.misspells(&[&REACH]);
    let at = fields.get(reader, &AT).filter(|_| is_sure);
    let port = Port {
        name: Arc::clone(name),
        span: entry.key_span,
        number: number.unwrap_or(Sourced::defaulted(0)),
        protocol: fields.or_default(reader, &PROTOCOL).value,
        reach,
        at,
        // On a machine the name of a service leads to its containers directly.
        as_number: fields.get(reader, &AS).filter(|_| !reader.symbols.facts.is_machine),
        // A host that has no effect is not read, so that one mistake gives one message.
        host: if reach.value == Reach::Web { host(reader, &fields) } else { None },
        path: fields.get(reader, &PATH).unwrap_or_else(|| Sourced::defaulted(PATH.key.default.into())),
        login: fields.table(reader, &LOGIN).map(|inner| login(reader, &inner)),
        notes: label::notes(reader, &format!("{owner}.port.{name}"), &fields, &NOTE),
        sidecar: None,
    };
    only_for_the_web(reader, owner, &fields, &port);
    if port.reach.value == Reach::Web {
        reader.absolute(&port.path, &PATH);
    }
    port
}

fn login(reader: &mut Reader<'_>, fields: &Fields<'_>) -> PortLogin {
    let user = fields.entry(&USER);
    let user = user.and_then(|entry| reader.text(&entry.node, &USER.takes, &"`user`"));
    let password = fields.get(reader, &PASSWORD);
    PortLogin { user, password: password.and_then(|password| reader.secret_key(&password)) }
}

/// Reads the host. An invalid host is not a missing one.
fn host(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Sourced<Arc<str>>> {
    let node = fields.node(&HOST)?;
    let text = fields.text(reader, &HOST).filter(Text::is_resolved);
    let host = text.map(|text| Sourced { value: text.plain().into(), origin: node.origin() });
    Some(host.unwrap_or_else(|| reader.stand_in("unread.invalid".into())))
}

/// Reports a host or a path of a port whose reach is not `web`.
fn only_for_the_web(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, port: &Port) {
    if port.reach.value == Reach::Web || fields.has_invalid(reader, &[&REACH]) {
        return;
    }
    // Another layer may change the reach, so that keys of different layers do not conflict.
    let reach = fields.node(&REACH).map(|node| node.layer);
    for entry in [fields.valid(reader, &HOST), fields.valid(reader, &PATH)].into_iter().flatten() {
        if reach.is_some_and(|reach| reach != entry.node.layer) {
            continue;
        }
        let message = format!("`{owner}/{}` is not open to the web", port.name);
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, message)
                .at(entry.key_span, "no effect")
                .help("open it with `reach = \"web\"`")
                .help("or remove this key"),
        );
    }
}
