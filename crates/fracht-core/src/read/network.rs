//! Reads `[network.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::language::network::{ADMITS, ADMITS_TABLE, CLOSED, NAMESPACE, NETWORK_TABLE, SERVICE, STACK};
use crate::model::{Admitted, Network};
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> Network {
    let fields = Fields::of(entry, &NETWORK_TABLE, reader);
    let admits = fields.tables(reader, &ADMITS);
    Network {
        name: Arc::clone(name),
        span: fields.span,
        closed: fields.or_default(reader, &CLOSED),
        admits: admits.iter().filter_map(|entry| admitted(reader, name, entry)).collect(),
    }
}

fn admitted(reader: &mut Reader<'_>, network: &str, entry: &Entry) -> Option<Admitted> {
    let fields = Fields::of(entry, &ADMITS_TABLE, reader);
    fields.require(reader, &format!("`admits` of `network.{network}`"), &STACK);
    let stack = fields.get(reader, &STACK)?;
    let own = Arc::clone(&reader.symbols.facts.namespace);
    let namespace = fields.get(reader, &NAMESPACE).map(|namespace| namespace.value);
    let admitted = Admitted {
        service: fields.get(reader, &SERVICE).map(|service| service.value),
        namespace: namespace.filter(|namespace| *namespace != own),
        stack,
    };
    // The same stack in another namespace is another one.
    if admitted.stack.value == reader.symbols.facts.stack && admitted.namespace.is_none() {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`network.{network}` admits its own stack"))
                .at(admitted.stack.span(), "the name of this stack")
                .help("put the services that may connect into the network: `network = [\"…\"]`")
                .help("or name the other stack, with its `namespace` if that is another one"),
        );
    }
    Some(admitted)
}
