//! Labels: the recommended `app.kubernetes.io/` set. Selectors use only labels that never change.

use std::sync::Arc;

use crate::api::{LabelSelector, Map, Metadata, Str};
use crate::name::{LABEL, shortened, side_name, workload_name};
use fracht_core::grammar::name::is_label_value;
use fracht_core::model::{Model, Network, Port, Text, Workload};

pub(crate) const NAME: &str = "app.kubernetes.io/name";
const COMPONENT: &str = "app.kubernetes.io/component";
pub(crate) const PART_OF: &str = "app.kubernetes.io/part-of";
const VERSION: &str = "app.kubernetes.io/version";
const MANAGED_BY: &str = "app.kubernetes.io/managed-by";

/// The label that a cluster gives to each namespace: its name.
pub(crate) const NAMESPACE_NAME: &str = "kubernetes.io/metadata.name";

/// The label of the members of the default network.
pub(crate) const COMMON_NETWORK: &str = "fracht/common-network";
/// The label of pods that must share a node.
const ONE_NODE: &str = "fracht/one-node";
/// The value of the labels of network members.
pub(crate) const MEMBER: &str = "member";

/// The labels that select the pods of a workload.
pub(crate) fn selector(model: &Model, workload: &Workload) -> Map {
    Map::from_iter([(NAME, &workload.name), (PART_OF, &model.name.value)])
}

/// The labels that select the pods that answer at the address of a service.
pub(crate) fn address_selector(model: &Model, service: &Workload) -> Map {
    if model.answering(service).is_empty() {
        return selector(model, service);
    }
    let part_of = (Str::from(PART_OF), Str::from(&model.name.value));
    Map::from_iter([part_of, (address_key(service).into(), MEMBER.into())])
}

/// The label of the pods that answer at an address that several services share.
fn address_key(service: &Workload) -> String {
    format!("fracht/{}", shortened(&format!("address-{}", service.name), LABEL))
}

/// The same as a label selector.
pub(crate) fn label_selector(model: &Model, workload: &Workload) -> LabelSelector {
    LabelSelector { match_labels: selector(model, workload) }
}

/// The label of the members of a network.
pub(crate) fn network_key(network: &Network) -> String {
    format!("fracht/{}", shortened(&format!("network-{}", network.name), LABEL))
}

/// The selector of the pods that share a node.
pub(crate) fn of_group(model: &Model, group: &str) -> LabelSelector {
    let labels = [(PART_OF, Str::from(&model.name.value)), (ONE_NODE, group.to_owned().into())];
    LabelSelector { match_labels: labels.into_iter().collect() }
}

/// The labels of a workload's pods: those of its objects, of its networks, and of the group that shares a node.
pub(crate) fn of_pod(model: &Model, workload: &Workload, group: Option<&str>) -> Map {
    let mut labels = of_workload(model, workload);
    labels.extend(group.map(|group| (ONE_NODE, group.to_owned())));
    let networks = workload.networks.iter().map(|id| network_key(&model.networks[id.value]));
    labels.extend(networks.map(|key| (key, MEMBER)));
    let shared = (!model.answering(workload).is_empty()).then_some(workload);
    let behind = workload.behind().iter().map(|other| &model.workloads[other.value]);
    labels.extend(shared.into_iter().chain(behind).map(|service| (address_key(service), MEMBER)));
    if workload.networks.is_empty() {
        labels.insert(COMMON_NETWORK, MEMBER);
    }
    labels
}

/// The labels of a workload's objects.
pub(crate) fn of_workload(model: &Model, workload: &Workload) -> Map {
    let mut labels = selector(model, workload);
    labels.insert(MANAGED_BY, "fracht");
    labels.extend(workload.role.as_ref().map(|role| (COMPONENT, &role.value)));
    labels.extend(workload.labels.iter().map(|(name, value)| (name, value.plain())));
    let version = workload.main.image.value.tag().filter(|tag| is_label_value(tag));
    labels.extend(version.map(|version| (VERSION, version.to_owned())));
    labels
}

/// The labels of an object for the whole stack, or for a part that does not run.
pub(crate) fn of_part(model: &Model, name: &Arc<str>) -> Map {
    Map::from_iter([
        (NAME, Str::from(name)),
        (PART_OF, Str::from(&model.name.value)),
        (MANAGED_BY, Str::from("fracht")),
    ])
}

/// The labels of a namespace. Several stacks may share it, so none of them is specific to a stack.
pub(crate) fn of_namespace() -> Map {
    Map::from_iter([(MANAGED_BY, "fracht")])
}

/// The labels of a workload's other objects, without the version, which belongs to the pods.
pub(crate) fn of_service(model: &Model, workload: &Workload) -> Map {
    let mut labels = of_workload(model, workload);
    labels.remove(VERSION);
    labels
}

/// Annotations that the stack sets; of several with one name the last one counts.
pub(crate) fn notes<'m>(notes: impl IntoIterator<Item = &'m (Arc<str>, Text)>) -> Map {
    notes.into_iter().map(|(name, value)| (name, value.plain())).collect()
}

/// The annotations of a web entry that leads to some ports.
pub(crate) fn web_notes<'m>(model: &'m Model, ports: impl Iterator<Item = &'m Port>) -> Map {
    notes(model.target.web.notes.iter().chain(ports.flat_map(|port| &port.notes)))
}

/// Name, namespace, labels and annotations of the main object of a workload.
pub(crate) fn workload_meta(model: &Model, workload: &Workload) -> Metadata {
    let name = workload_name(model, workload);
    Metadata { annotations: notes(&workload.notes), ..meta(model, name, of_workload(model, workload)) }
}

/// Name, namespace and labels of a further object of a workload that has the name of the main one.
pub(crate) fn side_meta(model: &Model, workload: &Workload) -> Metadata {
    meta(model, side_name(model, workload), of_service(model, workload))
}

/// Name, namespace and labels of an object.
pub(crate) fn meta(model: &Model, name: impl Into<Str>, labels: Map) -> Metadata {
    Metadata {
        name: Some(name.into()),
        namespace: Some((&model.target.namespace.value).into()),
        labels,
        ..Metadata::default()
    }
}
