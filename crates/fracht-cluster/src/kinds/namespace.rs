//! Namespace (core/v1).

use fracht_core::model::Model;

use crate::api::{Metadata, Namespace};
use crate::labels;

pub(crate) fn namespace(model: &Model) -> Namespace {
    let name = Some((&model.target.namespace.value).into());
    Namespace::new(Metadata { name, labels: labels::of_namespace(), ..Metadata::default() })
}
