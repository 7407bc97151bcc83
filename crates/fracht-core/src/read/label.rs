//! Reads the labels and annotations of services and tasks, and the labels of their nodes.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::grammar::name::{is_label_of_cluster, is_label_value};
use crate::language::workload::{LABEL, PLACE, PLATFORM};
use crate::language::{Field, Template};
use crate::model::Text;

/// A table of names and texts that are known when objects are generated.
fn settings(
    reader: &mut Reader<'_>,
    fields: &Fields<'_>,
    field: &'static Field<Template>,
) -> Vec<(Arc<str>, Text)> {
    let entries = fields.named(reader, field);
    entries
        .filter_map(|(name, entry)| {
            let place = format_args!("a {}", field.name());
            Some((Arc::clone(name), reader.text(&entry.node, &field.takes, &place)?))
        })
        .collect()
}

/// Reads labels. Their values have a format, and some names are reserved.
pub(super) fn labels(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[(Arc<str>, Text)]> {
    let labels = settings(reader, fields, &LABEL);
    let own = |name: &str| name.starts_with("app.kubernetes.io/") || name.starts_with("fracht/");
    let help = "use another name; for `component` the key is `role`";
    refuse(reader, fields, &LABEL, own, ("set by Fracht", help));
    refuse(reader, fields, &LABEL, is_label_of_cluster, ("set by the cluster", "use another name"));
    label_values(reader, &labels);
    labels.into()
}

/// Reads annotations. Some names are reserved.
pub(super) fn notes(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    field: &'static Field<Template>,
) -> Box<[(Arc<str>, Text)]> {
    let own = |name: &str| name.starts_with("fracht/");
    refuse(reader, fields, field, own, ("set by Fracht", "use another name"));
    let notes = settings(reader, fields, field);
    for (name, text) in &notes {
        if text.plain().contains('\0') {
            reader.taint();
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{name}` has a NUL character"))
                    .at(text.origin.span(), "ends there for every program")
                    .help("remove it"),
            );
        }
    }
    let size: usize = notes.iter().map(|(name, text)| name.len() + text.plain().len()).sum();
    let largest = notes.iter().map(|(_, text)| text).max_by_key(|text| text.plain().len());
    if let (Some(largest), true) = (largest, size > MOST_OF_NOTES) {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("the notes of `{owner}` have {size} bytes"))
                .at(largest.origin.span(), format!("at most {MOST_OF_NOTES} bytes together"))
                .help("move long texts into a config"),
        );
    }
    notes.into()
}

/// The most bytes of annotations: the limit of a cluster for one object (262144), less room for the digests of configs.
const MOST_OF_NOTES: usize = (256 << 10) - (4 << 10);

/// Reads labels of nodes. `platform` must not set the same ones.
pub(super) fn place(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[(Arc<str>, Text)]> {
    let place = settings(reader, fields, &PLACE);
    if fields.node(&PLATFORM).is_some() {
        let of_platform = |name: &str| matches!(name, "kubernetes.io/os" | "kubernetes.io/arch");
        refuse(reader, fields, &PLACE, of_platform, ("set by `platform`", "remove it, or remove `platform`"));
    }
    label_values(reader, &place);
    place.into()
}

/// Reports reserved names in a table, with a label and a help.
fn refuse(
    reader: &mut Reader<'_>,
    fields: &Fields<'_>,
    field: &'static Field<Template>,
    is_reserved: impl Fn(&str) -> bool,
    (label, help): (&str, &str),
) {
    for (name, entry) in fields.named(reader, field).filter(|(name, _)| is_reserved(name)) {
        reader.taint();
        let message = format!("{} `{name}` is reserved", field.name());
        reader.sink.push(Diagnostic::new(&BAD_VALUE, message).at(entry.key_span, label).help(help));
    }
}

fn label_values(reader: &mut Reader<'_>, labels: &[(Arc<str>, Text)]) {
    for (_, value) in labels.iter().filter(|(_, value)| value.is_resolved()) {
        let plain = value.plain();
        if is_label_value(&plain) {
            continue;
        }
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("invalid label value `{plain}`"))
                .at(value.origin.span(), "too long, or other characters")
                .help("use at most 63 letters, digits, -, _ and ., with a letter or digit at both ends"),
        );
    }
}
