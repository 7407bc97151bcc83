//! Reads `[service.NAME.beside.NAME]`.

use std::sync::Arc;

use super::fields::Fields;
use super::health::PodPorts;
use super::{Reader, container};
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_NAME, BAD_VALUE};
use crate::language::AnyField;
use crate::language::container::BEFORE_STOP;
use crate::language::health::HEALTH;
use crate::language::port::PORT;
use crate::language::service::{ONCE, SIDECAR_TABLE};
use crate::model::{Sidecar, Unread};
use crate::source::Span;
use crate::tree::Entry;

/// A sidecar of a service, whose ports are known.
pub(super) fn read(
    reader: &mut Reader<'_>,
    service: &str,
    (name, entry): (&Arc<str>, &Entry),
    ports: PodPorts<'_>,
    unread: &mut Unread,
) -> Sidecar {
    check_name(reader, service, name, entry.key_span);
    let fields = Fields::of(entry, &SIDECAR_TABLE, reader);
    let owner = format!("service.{service}.beside.{name}");
    let container = container::read(reader, &owner, &fields, Some(ports), unread);
    let once = once(reader, &owner, &fields);
    Sidecar { name: Arc::clone(name), span: entry.key_span, container, once }
}

/// Whether a sidecar runs once. Keys for what keeps running are reported.
fn once(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> bool {
    let once = fields.or_default(reader, &ONCE);
    for field in [&PORT as &dyn AnyField, &HEALTH, &BEFORE_STOP] {
        let Some(entry) = fields.entry(field).filter(|_| once.value) else { continue };
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("`{}` has no effect in `{owner}`", field.key().name))
                .at(entry.key_span, "ends before the service starts")
                .also(once.span(), "the container runs once")
                .help("remove it, or remove `once`"),
        );
    }
    once.value
}

/// Reports a sidecar whose name is that of another container of the pod: of the service or of a start gate.
fn check_name(reader: &mut Reader<'_>, service: &str, sidecar: &str, span: Span) {
    if sidecar != service && !sidecar.starts_with("wait-for-") {
        return;
    }
    reader.taint();
    reader.sink.push(
        Diagnostic::new(&BAD_NAME, format!("a sidecar of `service.{service}` cannot be named `{sidecar}`"))
            .at(span, "name of another container of the pod")
            .help("choose another name; `wait-for-…` is reserved for start gates"),
    );
}
