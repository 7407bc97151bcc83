//! Who may talk to whom.

use std::collections::BTreeSet;

use super::{Check, Rule};
use crate::diag::suggest::listing;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Address, Condition, Model, Part, Place, Workload};

pub(super) static NO_ROUTE: Rule = Rule {
    name: "no-route",
    severity: Severity::Error,
    summary: "Something uses or awaits what it has no network in common with.",
    why: "The connection would be refused, or hang until it times out.",
    fails: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
            [service.db]\nimage = \"db:1\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
            [service.a]\nimage = \"a:1\"\nnetwork = [\"front\"]\nenv.DB = \"{service.db/sql}\"\n",
    passes: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
             [service.db]\nimage = \"db:1\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
             [service.a]\nimage = \"a:1\"\nnetwork = [\"front\", \"back\"]\nenv.DB = \"{service.db/sql}\"\n",
    fixed: false,
    check: Check::Model(no_route),
};

fn no_route(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.tainted) {
        outside(model, workload, sink);
        let addresses = workload.texts().flat_map(|(_, text)| {
            text.parts.iter().filter_map(move |part| match part {
                Part::Known { address: Some(Address::Service(id, _)), .. } => {
                    Some((*id, text.origin.span()?))
                }
                _ => None,
            })
        });
        let waits = workload.after.iter().filter(|after| model.workloads[after.on].service().is_some());
        let mut told = BTreeSet::new();
        for (id, span) in addresses.chain(waits.map(|after| (after.on, after.span))) {
            let other = &model.workloads[id];
            let itself = std::ptr::eq(workload, other);
            if itself || other.tainted || told.contains(&id) || model.share_network(workload, other) {
                continue;
            }
            told.insert(id);
            let message =
                format!("{} can't reach {}: they share no network.", workload.reference(), other.reference());
            let words = |workload: &Workload| {
                let names = workload.networks.iter().map(|id| &*model.networks[id.value].name);
                let names =
                    if workload.networks.is_empty() { "the common one".into() } else { listing(names) };
                format!("{} is in: {names}", workload.name)
            };
            sink.push(
                Diagnostic::new("no-route", message)
                    .at(span, format!("{} is needed here", other.name))
                    .also(workload.span, words(workload))
                    .also(other.span, words(other))
                    .help("Put both in one network with `network = [\"…\"]`."),
            );
        }
    }
}

/// What is in closed networks only can't reach what is outside.
fn outside(model: &Model, workload: &Workload, sink: &mut Sink) {
    if !model.is_closed_in(workload) {
        return;
    }
    for (_, text) in workload.texts() {
        for part in &text.parts {
            let Part::Known { address: Some(Address::Outside(id)), .. } = part else { continue };
            let other = &model.outsides[*id];
            let message = format!(
                "{} can't reach outside.{}: its networks are closed.",
                workload.reference(),
                other.name
            );
            let mut problem = Diagnostic::new("no-route", message)
                .at(text.origin.span(), format!("{} is needed here", other.name));
            for network in &workload.networks {
                let network = &model.networks[network.value];
                problem = problem.also(network.closed.span(), format!("{} has no way out", network.name));
            }
            sink.push(problem.help("Put it in a network that is not closed as well."));
        }
    }
}

pub(super) static API_ANYWHERE: Rule = Rule {
    name: "api-anywhere",
    severity: Severity::Warning,
    summary: "A closed network that is open for questions to the cluster's API.",
    why: "Nothing says where the API is: its ports, 443 and 6443, are open to every address, for all of the pod.",
    fails: "[stack]\nname = \"s\"\n[network.n]\nclosed = true\n[task.t]\nimage = \"t:1\"\nnetwork = [\"n\"]\n\
            [service.a]\nimage = \"a:1\"\nnetwork = [\"n\"]\nafter = { t = \"done\" }\n",
    passes: "[stack]\nname = \"s\"\n[network.n]\nclosed = true\n[task.t]\nimage = \"t:1\"\nnetwork = [\"n\"]\n\
             [service.a]\nimage = \"a:1\"\nnetwork = [\"n\"]\nafter = { t = \"done\" }\n\
             [target.cluster]\napi = [\"192.0.2.10/32\"]\n",
    fixed: false,
    check: Check::Model(api_anywhere),
};

fn api_anywhere(model: &Model, sink: &mut Sink) {
    if model.target.on.value != Place::Cluster || !model.target.api.is_empty() {
        return;
    }
    let asking: Vec<&Workload> = model
        .workloads
        .iter()
        .filter(|workload| !workload.tainted && model.leaves_by_api(workload))
        .collect();
    let Some((first, others)) = asking.split_first() else { return };
    let why = |workload: &Workload| {
        let gate = workload.after.iter().find(|after| after.condition == Condition::Done);
        match gate {
            Some(after) => (after.span, format!("the start gate of `{}` asks the API", workload.name)),
            None => (workload.span, format!("`{}` has rights, and asks the API", workload.name)),
        }
    };
    let (span, label) = why(first);
    let message = format!("`{}` gets out of its closed networks at ports 443 and 6443", first.reference());
    let mut problem = Diagnostic::new("api-anywhere", message).at(span, label);
    for workload in others.iter().take(12) {
        let (span, label) = why(workload);
        problem = problem.also(span, label);
    }
    sink.push(
        problem
            .help(format!(
                "write where the API is: `api = [\"192.0.2.10/32\"]` in `[target.{}]`",
                model.target.name
            ))
            .help("`kubectl get endpoints kubernetes -n default` shows its addresses"),
    );
}
