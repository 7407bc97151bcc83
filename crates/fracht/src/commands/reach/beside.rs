//! What this stack and another one beside it can reach of each other.

use std::collections::BTreeMap;

use fracht_core::diag::listing;
use fracht_core::model::{Model, TargetKind, WorkloadId};
use fracht_core::plan::beside::{Access, access, links};
use fracht_core::plan::facts::Facts;
use serde::Serialize;

use crate::beside::Beside;
use crate::ui::style::{BOLD, QUIET};
use crate::ui::table::{Cell, Table};

/// A service of one stack, and what of another stack can reach it.
#[derive(Serialize)]
pub(super) struct Between<'a> {
    /// The stack of the service.
    stack: &'a str,
    /// The service.
    service: &'a str,
    /// The other stack.
    from: &'a str,
    /// Its ports that are open to everyone.
    open_ports: Vec<&'a str>,
    /// The networks that admit some of the other stack.
    networks: Vec<&'a str>,
    /// What they admit.
    admits: Vec<&'a str>,
    /// What of the other stack uses the service.
    used_by: Vec<&'a str>,
}

/// Both ways between this stack and another one.
pub(super) fn between<'a>(own: &'a Facts, other: &'a Beside) -> Vec<Between<'a>> {
    let theirs = &other.verdict.facts;
    let mut all = one_way(theirs, own);
    all.extend(one_way(own, theirs));
    all
}

fn one_way<'a>(from: &'a Facts, to: &'a Facts) -> Vec<Between<'a>> {
    let (caller, called) = (&from.model, &to.model);
    let links = links(from, to);
    let mut all: Vec<Between<'a>> = Vec::new();
    let found = access(caller, called);
    let found: BTreeMap<WorkloadId, &Access> = found.iter().map(|access| (access.service, access)).collect();
    for (service, workload) in called.workloads.entries() {
        let access = found.get(&service).copied();
        let users = links.iter().filter(|link| link.service == service).flat_map(|link| &link.callers);
        let used_by: Vec<&str> = users.map(|(id, _)| name(caller, *id)).collect();
        if access.is_none() && used_by.is_empty() {
            continue;
        }
        let access = access.into_iter();
        all.push(Between {
            stack: &called.name.value,
            service: &workload.name,
            from: &caller.name.value,
            open_ports: access
                .clone()
                .flat_map(|access| &access.open)
                .filter_map(|port| Some(&*workload.port(*port)?.name))
                .collect(),
            networks: access
                .clone()
                .flat_map(|access| &access.networks)
                .map(|id| &*called.networks[*id].name)
                .collect(),
            admits: access.flat_map(|access| &access.admitted).map(|id| name(caller, *id)).collect(),
            used_by,
        });
    }
    all
}

fn name(model: &Model, id: WorkloadId) -> &str {
    &model.workloads[id].name
}

/// The tables of all stacks beside this one.
pub(super) fn text(own: &Facts, beside: &[Beside]) -> String {
    let mut out = String::new();
    for other in beside {
        out.push_str(&format!("\n{BOLD}Between {} and {}{BOLD:#}", own.model.name.value, other.name()));
        let all = between(own, other);
        if all.is_empty() {
            out.push_str(": neither reaches the other\n");
            continue;
        }
        out.push('\n');
        let mut table = Table::new(["service", "reached by", "how", "used by"]);
        let none = || Cell::styled("–", QUIET);
        for way in all {
            let mut how = Vec::new();
            if !way.open_ports.is_empty() {
                how.push(format!("open port {}", listing(way.open_ports.iter().copied())));
            }
            if !way.networks.is_empty() {
                how.push(format!("network {} admits it", listing(way.networks.iter().copied())));
            }
            let who = match (way.open_ports.is_empty(), way.admits.is_empty()) {
                (false, _) => format!("all of {}", way.from),
                (true, false) => format!("{} of {}", listing(way.admits.iter().copied()), way.from),
                (true, true) => String::new(),
            };
            table.row([
                format!("{} of {}", way.service, way.stack).into(),
                if who.is_empty() { none() } else { who.into() },
                if how.is_empty() { "nothing admits it".into() } else { how.join("; ").into() },
                if way.used_by.is_empty() { none() } else { listing(way.used_by.iter().copied()).into() },
            ]);
        }
        out.push_str(&table.show());
        if own.model.target.on.value == TargetKind::Machine {
            out.push_str("On one machine, stacks reach each other only at open ports.\n");
        }
    }
    out
}
