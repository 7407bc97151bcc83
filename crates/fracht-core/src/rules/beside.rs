//! Problems of two stacks beside each other.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::Rule;
use super::networks::NO_ROUTE;
use super::objects::NAME_CLASH;
use super::ports::{PORT_CLASH, taken_elsewhere};
use crate::diag::reading::UNKNOWN_NAME;
use crate::diag::{Diagnostic, Severity, listing};
use crate::grammar::word::Word as _;
use crate::model::{Model, OutsidePlace, Port, Protocol, Reach, TargetKind, Workload};
use crate::plan::beside::{Link, links, share_namespace};
use crate::plan::facts::Facts;
use crate::plan::ports::{PortOwner, TakenElsewhere, is_chosen};
use crate::source::{Adopted, Span};

/// Two stacks create one namespace.
pub static NAMESPACE_SHARED: Rule = Rule {
    name: "namespace-shared",
    severity: Severity::Warning,
    summary: "Two stacks beside each other both create one namespace",
    why: "Removing the objects of one stack would remove the namespace, with all that the other one has in it.",
    // Beside a stack that creates this namespace.
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n[target.prod]\nnamespace = \"tides\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             [target.prod]\nnamespace = \"tides\"\nnamespace-present = true\n",
    ..Rule::BASE
};

/// A stack beside the one that is checked.
pub struct Neighbor<'a> {
    /// Its facts.
    pub facts: &'a Facts,
    /// The path of its folder, as it was named.
    pub shown: &'a str,
    /// Its files among the sources of the stack that is checked.
    pub files: &'a Adopted,
}

impl Neighbor<'_> {
    /// Its name in messages.
    pub fn name(&self) -> &Arc<str> {
        &self.facts.model.name.value
    }

    /// A place of it, among the sources of the stack that is checked.
    pub fn place(&self, span: Span) -> Span {
        self.files.place(span)
    }

    /// The numbers that it uses on the machine or on the nodes.
    pub fn taken(&self) -> TakenElsewhere {
        let model = &self.facts.model;
        let entries = self.facts.ports.entries.iter();
        let numbers = entries.filter_map(|entry| {
            let port = entry.port(model).filter(|port| is_chosen(model, port))?;
            Some(entry.at.iter().map(|number| (port.protocol, *number)))
        });
        numbers.flatten().collect()
    }
}

/// The problems of a stack with one beside it, besides those of their objects.
pub fn problems(own: &Facts, other: &Neighbor<'_>) -> Vec<Diagnostic> {
    let (model, beside) = (&own.model, &other.facts.model);
    let mut found = Vec::new();
    if model.target.on.value != beside.target.on.value {
        return found;
    }
    let is_one_place = model.target.on.value == TargetKind::Machine || share_namespace(model, beside);
    if is_one_place && model.name.value == beside.name.value {
        found.push(same_stack(model, other));
    }
    ports(own, other, &mut found);
    if model.target.on.value == TargetKind::Cluster {
        web(model, other, &mut found);
        uses(own, other, &mut found);
    }
    found
}

/// Whether two stacks have one name in one place, so that all their objects, containers and volumes have the same
/// names.
pub fn is_same_stack(own: &Model, other: &Model) -> bool {
    own.name.value == other.name.value
        && own.target.on.value == other.target.on.value
        && (own.target.on.value == TargetKind::Machine || share_namespace(own, other))
}

fn same_stack(model: &Model, other: &Neighbor<'_>) -> Diagnostic {
    let (name, beside) = (&model.name.value, &other.facts.model);
    let place = match model.target.on.value {
        TargetKind::Machine => "on one machine".to_owned(),
        TargetKind::Cluster => format!("in namespace `{}`", model.target.namespace.value),
    };
    Diagnostic::new(&NAME_CLASH, format!("two stacks {place} have the same name: `{name}`"))
        .at(model.name.span(), "named here")
        .also(beside.name.span().map(|span| other.place(span)), "also named here")
        .help("rename one of them: each would overwrite what the other creates")
}

/// Reports numbers that both stacks use on the machine or on the nodes.
fn ports(own: &Facts, other: &Neighbor<'_>, found: &mut Vec<Diagnostic>) {
    let (model, beside) = (&own.model, &other.facts.model);
    let (place, is_machine) = match model.target.on.value {
        TargetKind::Machine => ("on the machine", true),
        TargetKind::Cluster => ("on the nodes", false),
    };
    // Node ports are unique whatever the protocol.
    let slot = |protocol, number| (if is_machine { protocol } else { Protocol::Tcp }, number);
    let mut used: BTreeMap<(Protocol, u16), PortOwner> = BTreeMap::new();
    for (protocol, number, owner) in numbers(other.facts) {
        used.entry(slot(protocol, number)).or_insert(owner);
    }
    let free = own.ports.free(model, &other.taken());
    for (protocol, number, owner) in numbers(own) {
        let Some(theirs) = used.get(&slot(protocol, number)) else { continue };
        let words = if is_machine { protocol.word().to_uppercase() + " " } else { String::new() };
        let message = format!(
            "`{}` and stack `{}` both use {words}port {number} {place}",
            owner.words(model),
            other.name()
        );
        let problem = Diagnostic::new(&PORT_CLASH, message)
            .at(owner.span, "used here")
            .also(other.place(theirs.span), format!("used by `{}`", theirs.words(beside)));
        let own_port = model.workloads[owner.service].port(owner.port);
        let command = format!("fracht ports -t {} --beside {} --assign", model.target.name, other.shown);
        let free = free.after(protocol, number);
        found.push(taken_elsewhere(problem, own_port, free, "in both stacks", &command));
    }
}

/// The numbers of a stack on the machine or on the nodes, with their ports.
fn numbers(facts: &Facts) -> impl Iterator<Item = (Protocol, u16, PortOwner)> {
    let model = &facts.model;
    facts.ports.entries.iter().flat_map(move |entry| {
        let port = entry.port(model).filter(|port| is_chosen(model, port)).zip(entry.owner(model));
        let numbers = port
            .into_iter()
            .flat_map(|(port, owner)| entry.at.iter().map(move |number| (port.protocol, *number, owner)));
        numbers.collect::<Vec<_>>()
    })
}

/// Reports hosts with paths of the shared entry that both stacks use.
fn web(model: &Model, other: &Neighbor<'_>, found: &mut Vec<Diagnostic>) {
    let used: BTreeMap<(&str, &str), (&Workload, &Port)> = entries(&other.facts.model).collect();
    for ((host, path), (workload, port)) in entries(model) {
        let Some((theirs, their_port)) = used.get(&(host, path)) else { continue };
        let message = format!(
            "`{}/{}` and stack `{}` both use {host}{}",
            workload.reference(),
            port.name,
            other.name(),
            port.path.value
        );
        let words = format!("used by `{}/{}`", theirs.reference(), their_port.name);
        found.push(
            Diagnostic::new(&PORT_CLASH, message)
                .at(entry_span(port), "used here")
                .also(other.place(entry_span(their_port)), words)
                .help("give one of them another path, or another host"),
        );
    }
}

/// The web ports of a stack, by host and path. `/a` and `/a/` are the same prefix.
fn entries(model: &Model) -> impl Iterator<Item = ((&str, &str), (&Workload, &Port))> {
    let ports = model.workloads.iter().flat_map(|one| one.ports().iter().map(move |port| (one, port)));
    ports.filter(|(_, port)| port.reach.value == Reach::Web && port.protocol == Protocol::Tcp).filter_map(
        |(workload, port)| {
            Some(((&**model.web_host(port)?, port.path.value.trim_end_matches('/')), (workload, port)))
        },
    )
}

/// Where a web port says where it is.
fn entry_span(port: &Port) -> Span {
    port.path.span().or(port.reach.span()).unwrap_or(port.span)
}

/// Checks what each of the stacks uses of the other: that it has such a port, and lets the user in.
fn uses(own: &Facts, other: &Neighbor<'_>, found: &mut Vec<Diagnostic>) {
    let (here, there) =
        (Side { facts: own, files: None }, Side { facts: other.facts, files: Some(other.files) });
    for (from, to) in [(&here, &there), (&there, &here)] {
        for link in links(from.facts, to.facts) {
            used(from, to, &link, found);
        }
    }
}

/// One of two stacks.
struct Side<'a> {
    facts: &'a Facts,
    /// Its files among the sources of the stack that is checked; `None` for that stack itself.
    files: Option<&'a Adopted>,
}

impl Side<'_> {
    fn place(&self, span: Span) -> Span {
        self.files.map_or(span, |files| files.place(span))
    }
}

fn used(from: &Side<'_>, to: &Side<'_>, link: &Link, found: &mut Vec<Diagnostic>) {
    let (caller, called) = (&from.facts.model, &to.facts.model);
    let stack = &called.name.value;
    let (outside, service) = (&caller.outsides[link.outside], &called.workloads[link.service]);
    let named = format!("`{}` of stack `{stack}`", service.reference());
    for port in &outside.ports {
        if service.ports().iter().any(|other| other.as_number() == port.number.value) {
            continue;
        }
        let known: Vec<String> =
            service.ports().iter().map(|port| format!("{} ({})", port.as_number(), port.name)).collect();
        found.push(
            Diagnostic::new(&UNKNOWN_NAME, format!("{named} has no port {}", port.number.value))
                .at(port.number.span().map(|span| from.place(span)), "not one of its ports")
                .also(to.place(service.span), "the service")
                .help(format!("it has: {}", listing(known.iter().map(String::as_str)))),
        );
    }
    let refused: Vec<&str> = link
        .callers
        .iter()
        .filter(|(_, is_let_in)| !is_let_in)
        .map(|(id, _)| &*caller.workloads[*id].name)
        .collect();
    if refused.is_empty() {
        return;
    }
    let namespace = if share_namespace(caller, called) {
        format!("\"{}\"", caller.name.value)
    } else {
        format!("{{ stack = \"{}\", namespace = \"{}\" }}", caller.name.value, caller.target.namespace.value)
    };
    let table = match service.networks.first() {
        Some(network) => format!("`[network.{}]`", called.networks[network.value].name),
        None => "a network of it".to_owned(),
    };
    let OutsidePlace::Service(..) = outside.place.value else { return };
    found.push(
        Diagnostic::new(&NO_ROUTE, format!("{named} does not admit stack `{}`", caller.name.value))
            .at(outside.place.span().map(|span| from.place(span)), format!("used by {}", listing(refused)))
            .also(to.place(service.span), "its networks admit only others")
            .help(format!("add `admits = [{namespace}]` to {table} of stack `{stack}`")),
    );
}
