//! Rules on nodes: whether one can exist on which a service or task runs.

use std::collections::BTreeMap;

use super::Rule;
use super::written::Owner;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::image::Image;
use crate::model::{Model, Mounted, Over, TargetKind, Volume, Workload};
use crate::plan::facts::Facts;
use crate::source::Span;

pub(super) static NODE_CLASH: Rule = Rule {
    name: "node-clash",
    summary: "No node matches `place`, `platform` and the volumes at once",
    why: "A node has one value for each label, and pods that share a volume of one node share the node: they never start.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
            [service.a]\nimage = \"a:1.0\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n\
            [task.b]\nimage = \"b:1.0\"\nplace.disk = \"slow\"\nmount.\"/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n\
             [service.a]\nimage = \"a:1.0\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n\
             [task.b]\nimage = \"b:1.0\"\nplace.disk = \"fast\"\nmount.\"/data\" = \"volume.v\"\n",
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
        !workload.unread.has(&["place"])
            && workload.service().is_none_or(|service| service.replicas.value.most() > 0)
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

pub(super) static PLATFORM_MISMATCH: Rule = Rule {
    name: "platform-mismatch",
    summary: "An image is for another platform than the nodes",
    why: "No node takes the pod, or its program cannot be started there: exec format error.",
    fails: "[stack]\nname = \"s\"\n[target.prod]\nnodes = [\"linux/arm64\"]\n\
            [service.a]\nimage = \"a:1.0\"\nplatform = \"linux/amd64\"\n",
    passes: "[stack]\nname = \"s\"\n[target.prod]\nnodes = [\"linux/arm64\", \"linux/amd64\"]\n\
             [service.a]\nimage = \"a:1.0\"\nplatform = \"linux/amd64\"\n",
    ..Rule::BASE
};

/// The processor that a tag or a repository names at its end: `1.0-arm64`.
fn processor_of(image: &Image) -> Option<&'static str> {
    let words = [image.tag().unwrap_or_default(), image.repository()];
    let ends = [
        ("amd64", "amd64"),
        ("x86_64", "amd64"),
        ("x86-64", "amd64"),
        ("arm64", "arm64"),
        ("arm64v8", "arm64"),
        ("aarch64", "arm64"),
    ];
    words.into_iter().find_map(|word| {
        let is_end = |end: &str| {
            word.strip_suffix(end).is_some_and(|rest| rest.is_empty() || rest.ends_with(['-', '_', '.']))
        };
        ends.into_iter().find(|(end, _)| is_end(end)).map(|(_, processor)| processor)
    })
}

pub(super) fn platform_mismatch(model: &Model, sink: &mut Sink) {
    let nodes = &model.target.nodes;
    for (owner, container) in Owner::containers(model) {
        let Some(workload) = owner.workload() else { continue };
        let wanted = workload.platform.as_ref();
        let listed = || nodes.iter().map(|node| node.value.to_string()).collect::<Vec<_>>().join(", ");
        let of_nodes = nodes.first().and_then(super::super::origin::Sourced::span);
        let is_main = std::ptr::eq(container, &raw const workload.main);
        if let Some(platform) = wanted.filter(|_| is_main && !nodes.is_empty())
            && !nodes.iter().any(|node| node.value == platform.value)
        {
            let message = format!(
                "`{}` is for {}, and the nodes of `target.{}` are not",
                owner.reference(),
                platform.value,
                model.target.name
            );
            let problem = Diagnostic::new(&PLATFORM_MISMATCH, message)
                .at(platform.span(), format!("the nodes are {}", listed()))
                .also(of_nodes, "the nodes of the target")
                .help("use an image for the nodes, and set `platform` to theirs")
                .help(format!("or add the platform to `nodes` of `[target.{}]`", model.target.name));
            sink.push(owner.owns(problem));
            continue;
        }
        let Some(processor) = processor_of(&container.image.value) else { continue };
        let arch = workload.place.iter().find(|(name, _)| **name == *"kubernetes.io/arch");
        let (others, place): (Vec<String>, _) = match (wanted, arch) {
            (Some(platform), _) => (vec![platform.value.processor.to_owned()], platform.span()),
            (None, Some((_, arch))) => (vec![arch.plain()], arch.origin.span()),
            (None, None) => (nodes.iter().map(|node| node.value.processor.to_owned()).collect(), of_nodes),
        };
        if others.is_empty() || others.iter().any(|other| other == processor) {
            continue;
        }
        let message = format!(
            "the image of `{}` is for {processor}, and its nodes are {}",
            owner.reference(),
            others.join(", ")
        );
        let problem = Diagnostic::new(&PLATFORM_MISMATCH, message)
            .at(container.image.span(), format!("for {processor}, by its name"))
            .also(place, "the processor of the nodes")
            .help("use the image for that processor, or one for several");
        sink.push(owner.owns(problem));
    }
}

pub(super) static SPREAD_IMPOSSIBLE: Rule = Rule {
    name: "spread-impossible",
    summary: "Replicas must be on different nodes, and on one node",
    why: "The first replica starts, and the others wait forever for another node.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 2\nport.http = 80\nhealth = { tcp = \"http\" }\n\
            spread = { over = \"node\", strict = true }\nplace.\"kubernetes.io/hostname\" = \"harbour-1\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 2\nport.http = 80\nhealth = { tcp = \"http\" }\n\
             spread = { over = \"node\", strict = true }\nplace.disk = \"fast\"\n",
    ..Rule::BASE
};

pub(super) fn spread_impossible(facts: &Facts, sink: &mut Sink) {
    let model = &facts.model;
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for (id, workload) in model.workloads.entries() {
        let (Some(service), Some(spread)) = (workload.service(), workload.spread) else { continue };
        let count = service.replicas.value.most();
        if !spread.strict.value || spread.over.value != Over::Node || count < 2 {
            continue;
        }
        let host = workload.place.iter().find(|(name, _)| **name == *"kubernetes.io/hostname");
        let shared = facts.one_node.get(&id).map(|volume| &model.volumes[*volume]);
        let (place, label) = match (host, shared) {
            (Some((_, text)), _) => (text.origin.span(), "one node".to_owned()),
            (None, Some(volume)) => (Some(volume.span), "its pods share one node".to_owned()),
            (None, None) => continue,
        };
        let message =
            format!("the {count} replicas of `{}` need different nodes, and have one", workload.reference());
        sink.push(
            Diagnostic::new(&SPREAD_IMPOSSIBLE, message)
                .at(
                    spread.strict.span().or(spread.over.span()).unwrap_or(workload.span),
                    "no two on one node",
                )
                .also(place, label)
                .help("spread them where that is possible: `spread = \"node\"`")
                .help("or run one: `replicas = 1`")
                .of(workload.span),
        );
    }
}
