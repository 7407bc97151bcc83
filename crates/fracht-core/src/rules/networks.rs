//! Who may talk to whom.

use super::Rule;
use crate::diag::suggest::listing;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, Part, Workload};

pub(super) static NO_ROUTE: Rule = Rule {
    name: "no-route",
    severity: Severity::Error,
    summary: "Something uses or awaits a service that it shares no network with.",
    why: "The connection would be refused, or hang until it times out.",
    fails: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
            [service.db]\nimage = \"db:1\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
            [service.a]\nimage = \"a:1\"\nnetwork = [\"front\"]\nenv.DB = \"{service.db/sql}\"\n",
    passes: "[stack]\nname = \"s\"\n[network.back]\n[network.front]\n\
             [service.db]\nimage = \"db:1\"\nport.sql = 5432\nnetwork = [\"back\"]\n\
             [service.a]\nimage = \"a:1\"\nnetwork = [\"front\", \"back\"]\nenv.DB = \"{service.db/sql}\"\n",
    check: Some(no_route),
};

fn no_route(model: &Model, sink: &mut Sink) {
    for workload in model.workloads.iter().filter(|workload| !workload.tainted) {
        let addresses = workload.texts().flat_map(|(_, text)| {
            text.parts.iter().filter_map(move |part| match part {
                Part::Known { address: Some((id, _)), .. } => Some((*id, text.origin.span()?)),
                _ => None,
            })
        });
        let waits = workload.after.iter().filter(|after| model.workloads[after.on].service().is_some());
        let mut told = Vec::new();
        for (id, span) in addresses.chain(waits.map(|after| (after.on, after.span))) {
            let other = &model.workloads[id];
            let itself = std::ptr::eq(workload, other);
            if itself || other.tainted || told.contains(&id) || model.share_network(workload, other) {
                continue;
            }
            told.push(id);
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
