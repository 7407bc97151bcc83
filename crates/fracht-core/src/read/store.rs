//! Reads `[store.NAME]`.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::language::Field;
use crate::language::store::{DATA, FIRST_START, IMAGES, LOGIN, MANY_WRITERS, PORTS, STORE_TABLE};
use crate::model::OwnStore;
use crate::tree::Entry;

pub(super) fn read(reader: &mut Reader<'_>, name: &Arc<str>, entry: &Entry) -> OwnStore {
    let fields = Fields::of(entry, &STORE_TABLE, reader);
    fields.require(reader, &format!("store.{name}"), &IMAGES);
    let mut texts = |field: &'static Field<Arc<str>>| -> Vec<Arc<str>> {
        fields.list(reader, field).unwrap_or_default().into_iter().map(|text| text.value).collect()
    };
    let (images, data, first_start) = (texts(&IMAGES), texts(&DATA), texts(&FIRST_START));
    OwnStore {
        name: Arc::clone(name),
        images,
        data,
        first_start,
        ports: fields.list(reader, &PORTS).unwrap_or_default().into_iter().map(|port| port.value).collect(),
        login: fields.get(reader, &LOGIN).map(|variable| variable.value),
        many_writers: fields.or_default(reader, &MANY_WRITERS).value,
    }
}
