//! Namespace (core/v1).

use fracht_core::model::Model;
use k8s_openapi::api::core::v1::Namespace;
use k8s_openapi::apimachinery::pkg::apis::meta::v1::ObjectMeta;

use crate::labels;

pub(crate) fn namespace(model: &Model) -> Namespace {
    let name = model.target.namespace.value.to_string();
    let labels = Some(labels::of_namespace());
    Namespace {
        metadata: ObjectMeta { name: Some(name), labels, ..ObjectMeta::default() },
        ..Namespace::default()
    }
}
