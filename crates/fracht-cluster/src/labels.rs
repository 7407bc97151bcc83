//! Labels: the recommended `app.kubernetes.io/` set. Selectors use only what never changes.

use std::collections::BTreeMap;

use fracht_core::model::{Model, Workload};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::{LabelSelector, ObjectMeta};

use crate::name::LABEL;

const NAME: &str = "app.kubernetes.io/name";
const PART_OF: &str = "app.kubernetes.io/part-of";
const VERSION: &str = "app.kubernetes.io/version";
const MANAGED_BY: &str = "app.kubernetes.io/managed-by";

type Labels = BTreeMap<String, String>;

/// What a workload's pods are selected by.
pub(crate) fn selector(model: &Model, workload: &Workload) -> Labels {
    BTreeMap::from([(NAME.into(), workload.name.to_string()), (PART_OF.into(), model.name.value.to_string())])
}

/// The same as a selector of an object.
pub(crate) fn label_selector(model: &Model, workload: &Workload) -> LabelSelector {
    LabelSelector { match_labels: Some(selector(model, workload)), match_expressions: None }
}

/// The labels of a workload's objects and pods.
pub(crate) fn of_workload(model: &Model, workload: &Workload) -> Labels {
    let mut labels = selector(model, workload);
    labels.insert(MANAGED_BY.into(), "fracht".into());
    let version = workload.image.value.tag.as_deref().filter(|tag| is_label_value(tag));
    labels.extend(version.map(|version| (VERSION.into(), version.to_owned())));
    labels
}

/// The labels of what belongs to the stack as a whole, or to one of its parts that does not run.
pub(crate) fn of_part(model: &Model, name: &str) -> Labels {
    BTreeMap::from([
        (NAME.into(), name.to_owned()),
        (PART_OF.into(), model.name.value.to_string()),
        (MANAGED_BY.into(), "fracht".into()),
    ])
}

/// Name, namespace and labels of an object.
pub(crate) fn meta(model: &Model, name: impl Into<String>, labels: Labels) -> ObjectMeta {
    ObjectMeta {
        name: Some(name.into()),
        namespace: Some(model.target.namespace.value.to_string()),
        labels: Some(labels),
        ..ObjectMeta::default()
    }
}

/// Whether a text can be the value of a label: at most 63 letters, digits, `-`, `_` and `.`, with a letter
/// or a digit at both ends.
fn is_label_value(text: &str) -> bool {
    let edge = |c: char| c.is_ascii_alphanumeric();
    text.len() <= LABEL
        && text.starts_with(edge)
        && text.ends_with(edge)
        && text.chars().all(|c| edge(c) || "-_.".contains(c))
}
