//! Labels: the recommended `app.kubernetes.io/` set. Selectors use only labels that never change.

use std::collections::BTreeMap;

use fracht_core::grammar::name::is_label_value;
use fracht_core::model::{Model, Network, Workload};
use k8s_openapi::apimachinery::pkg::apis::meta::v1::{LabelSelector, ObjectMeta};

use crate::name::{LABEL, shortened, side_name, workload_name};

const NAME: &str = "app.kubernetes.io/name";
const COMPONENT: &str = "app.kubernetes.io/component";
pub(crate) const PART_OF: &str = "app.kubernetes.io/part-of";
const VERSION: &str = "app.kubernetes.io/version";
const MANAGED_BY: &str = "app.kubernetes.io/managed-by";

/// The label of the members of the default network.
pub(crate) const COMMON_NETWORK: &str = "fracht/common-network";
/// The label of pods that must share a node.
const ONE_NODE: &str = "fracht/one-node";
/// The value of the labels of network members.
pub(crate) const MEMBER: &str = "member";

type Labels = BTreeMap<String, String>;

/// The labels that select the pods of a workload.
pub(crate) fn selector(model: &Model, workload: &Workload) -> Labels {
    BTreeMap::from([(NAME.into(), workload.name.to_string()), (PART_OF.into(), model.name.value.to_string())])
}

/// The same as a label selector.
pub(crate) fn label_selector(model: &Model, workload: &Workload) -> LabelSelector {
    LabelSelector { match_labels: Some(selector(model, workload)), match_expressions: None }
}

/// The label of the members of a network.
pub(crate) fn network_key(network: &Network) -> String {
    format!("fracht/{}", shortened(&format!("network-{}", network.name), LABEL))
}

/// The selector of the pods that share a node.
pub(crate) fn of_group(model: &Model, group: &str) -> LabelSelector {
    let labels = [(PART_OF, &*model.name.value), (ONE_NODE, group)];
    let labels = labels.map(|(name, value)| (name.to_owned(), value.to_owned()));
    LabelSelector { match_labels: Some(labels.into()), match_expressions: None }
}

/// The labels of a workload's pods: those of its objects, of its networks, and of the group that shares a node.
pub(crate) fn of_pod(model: &Model, workload: &Workload, group: Option<&str>) -> Labels {
    let mut labels = of_workload(model, workload);
    labels.extend(group.map(|group| (ONE_NODE.to_owned(), group.to_owned())));
    let networks = workload.networks.iter().map(|id| network_key(&model.networks[id.value]));
    labels.extend(networks.map(|key| (key, MEMBER.to_owned())));
    if workload.networks.is_empty() {
        labels.insert(COMMON_NETWORK.into(), MEMBER.into());
    }
    labels
}

/// The labels of a workload's objects.
pub(crate) fn of_workload(model: &Model, workload: &Workload) -> Labels {
    let mut labels = selector(model, workload);
    labels.insert(MANAGED_BY.into(), "fracht".into());
    labels.extend(workload.role.as_ref().map(|role| (COMPONENT.into(), role.value.to_string())));
    labels.extend(workload.labels.iter().map(|(name, value)| (name.to_string(), value.plain())));
    let version = workload.main.image.value.tag.as_deref().filter(|tag| is_label_value(tag));
    labels.extend(version.map(|version| (VERSION.into(), version.to_owned())));
    labels
}

/// The labels of an object for the whole stack, or for a part that does not run.
pub(crate) fn of_part(model: &Model, name: &str) -> Labels {
    BTreeMap::from([
        (NAME.into(), name.to_owned()),
        (PART_OF.into(), model.name.value.to_string()),
        (MANAGED_BY.into(), "fracht".into()),
    ])
}

/// The labels of a namespace. Several stacks may share it, so none of them is specific to a stack.
pub(crate) fn of_namespace() -> Labels {
    BTreeMap::from([(MANAGED_BY.into(), "fracht".into())])
}

/// The labels of a workload's other objects, without the version, which belongs to the pods.
pub(crate) fn of_service(model: &Model, workload: &Workload) -> Labels {
    let mut labels = of_workload(model, workload);
    labels.remove(VERSION);
    labels
}

/// The annotations that the stack sets.
pub(crate) fn notes(workload: &Workload) -> Option<Labels> {
    let notes: Labels =
        workload.notes.iter().map(|(name, value)| (name.to_string(), value.plain())).collect();
    (!notes.is_empty()).then_some(notes)
}

/// Name, namespace, labels and annotations of the main object of a workload.
pub(crate) fn workload_meta(model: &Model, workload: &Workload) -> ObjectMeta {
    let name = workload_name(model, workload);
    ObjectMeta { annotations: notes(workload), ..meta(model, name, of_workload(model, workload)) }
}

/// Name, namespace and labels of a further object of a workload that has the name of the main one.
pub(crate) fn side_meta(model: &Model, workload: &Workload) -> ObjectMeta {
    meta(model, side_name(model, workload), of_service(model, workload))
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
