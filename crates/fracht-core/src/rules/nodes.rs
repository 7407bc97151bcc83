//! Rules on nodes: whether one can exist on which a service or task runs.

use std::collections::BTreeMap;

use super::Rule;
use crate::diag::{Diagnostic, Sink};
use crate::model::{Model, Mounted, TargetKind, Volume, Workload};
use crate::plan::facts::Facts;
use crate::source::Span;

pub(super) static NODE_CLASH: Rule = Rule {
    name: "node-clash",
    summary: "No node matches `place`, `platform` and the volumes at once",
    why: "A node has one value for each label, and pods that share a volume of one node share the node: they never start.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n\
            [task.b]\nimage = \"b:1\"\nplace.disk = \"slow\"\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
             [service.a]\nimage = \"a:1\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n\
             [task.b]\nimage = \"b:1\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n",
    always_error: true,
    ..Rule::BASE
};

/// A label that a node must have.
struct Demand<'m> {
    label: &'m str,
    value: String,
    span: Option<Span>,
    by: &'m Workload,
}

pub(super) fn node_clash(facts: &Facts, sink: &mut Sink) {
    let model = &facts.model;
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    let runs = |workload: &Workload| {
        !workload.tainted && workload.service().is_none_or(|service| service.replicas.value.most() > 0)
    };
    let running = || model.workloads.entries().filter(|(_, workload)| runs(workload));
    let services = running().filter(|(_, workload)| workload.service().is_some());
    let tasks = running().filter(|(_, workload)| workload.service().is_none());
    // Two tasks can use a volume one after the other; a service keeps it.
    let mut of_services: BTreeMap<_, BTreeMap<&str, Demand<'_>>> = BTreeMap::new();
    for (id, workload) in services.chain(tasks) {
        let group = facts.one_node.get(&id).copied();
        let of_group = group.and_then(|group| of_services.get(&group));
        let mut own: BTreeMap<&str, Demand<'_>> = BTreeMap::new();
        for demand in demands(model, workload) {
            let known = own.get(demand.label).or_else(|| of_group?.get(demand.label));
            if let Some(first) = known.filter(|first| first.value != demand.value) {
                sink.push(clash(first, &demand, group.map(|volume| &model.volumes[volume])));
                break;
            }
            own.insert(demand.label, demand);
        }
        if let (Some(group), true) = (group, workload.service().is_some()) {
            let known = of_services.entry(group).or_default();
            for (label, demand) in own {
                known.entry(label).or_insert(demand);
            }
        }
    }
}

/// The labels that a workload needs on its node, for itself and for its mounts.
fn demands<'m>(model: &'m Model, workload: &'m Workload) -> Vec<Demand<'m>> {
    let mut demands = Vec::new();
    let mut add = |label, value: &str, span| {
        demands.push(Demand { label, value: value.to_owned(), span, by: workload });
    };
    for (name, value) in &workload.place {
        add(&**name, &value.plain(), value.origin.span());
    }
    if let Some(platform) = &workload.platform {
        add("kubernetes.io/os", platform.value.system, platform.span());
        add("kubernetes.io/arch", platform.value.processor, platform.span());
    }
    for mount in workload.containers().flat_map(|container| &container.mounts) {
        let Mounted::Volume(volume) = mount.what else { continue };
        if let Some(node) = &model.volumes[volume].node {
            add("kubernetes.io/hostname", &node.value, node.span());
        }
    }
    demands
}

/// Reports two labels that conflict. `volume` is set if two workloads must share a node because of it.
fn clash(first: &Demand<'_>, second: &Demand<'_>, volume: Option<&Volume>) -> Diagnostic {
    let (one, two) = (first.by.reference(), second.by.reference());
    let asks = |demand: &Demand<'_>| format!("asks for `{}` = `{}`", demand.label, demand.value);
    let problem = |message| {
        Diagnostic::new(&NODE_CLASH, message).at(second.span, asks(second)).also(first.span, asks(first))
    };
    let Some(volume) = volume.filter(|_| one != two) else {
        return problem(format!("no node can run `{two}`: it asks for two values of one label"))
            .help("keep one of the two, or mount volumes of one node only");
    };
    let name = &volume.name;
    problem(format!("`{one}` and `{two}` must share a node, but ask for two"))
        .also(volume.span, "mounted by pods of one node")
        .help("ask for the same node in both")
        .help(format!("or let many nodes mount it: `access = \"many-nodes\"` in `[volume.{name}]`"))
}
