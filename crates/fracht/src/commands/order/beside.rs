//! What a stack needs of other stacks, and they of it, before it can serve.

use fracht_core::grammar::duration;
use fracht_core::model::{Model, WorkloadId};
use fracht_core::plan::beside::links;
use fracht_core::plan::facts::Facts;
use fracht_core::plan::timeline::needed_by;
use serde::Serialize;

use super::Part;
use crate::beside::Beside;
use crate::ui::style::BOLD;
use crate::ui::table::Table;

/// A service of one stack that another stack uses.
#[derive(Serialize)]
pub(super) struct Needed<'a> {
    /// The stack of the service.
    stack: &'a str,
    /// The service.
    name: &'a str,
    /// The stack that uses it.
    by_stack: &'a str,
    /// What uses it there.
    by: Vec<&'a str>,
    /// The most seconds until it serves, as far as limits are set; null if none is.
    serves_within_seconds: Option<f64>,
}

/// What one of two stacks needs of the other, both ways.
pub(super) fn needed<'a>(part: &Part<'a>, other: &'a Beside) -> Vec<Needed<'a>> {
    let (own, theirs) = (part.facts, &other.verdict.facts);
    let mut all = one_way(own, theirs, |id| part.has(id));
    all.extend(one_way(theirs, own, |_| true));
    all
}

fn one_way<'a>(from: &'a Facts, to: &'a Facts, is_in: impl Fn(WorkloadId) -> bool) -> Vec<Needed<'a>> {
    let needed = links(from, to).into_iter().map(|link| {
        let among = needed_by(&to.model, link.service);
        let chain = to.order.longest_chain_among(&to.model, |id| among.contains(&id));
        let by = link.callers.iter().filter(|(id, _)| is_in(*id));
        Needed {
            stack: &to.model.name.value,
            name: &to.model.workloads[link.service].name,
            by_stack: &from.model.name.value,
            by: by.map(|(id, _)| name(&from.model, *id)).collect(),
            serves_within_seconds: chain.map(|chain| chain.time.as_secs_f64()),
        }
    });
    needed.filter(|needed| !needed.by.is_empty()).collect()
}

fn name(model: &Model, id: WorkloadId) -> &str {
    &model.workloads[id].name
}

/// Which stack has to start first.
pub(super) fn text(part: &Part<'_>) -> String {
    let mut out = String::new();
    for other in part.beside {
        let all = needed(part, other);
        let (own, theirs) = (&*part.model.name.value, other.name());
        let first = |stack: &str| all.iter().any(|needed| needed.stack == stack);
        let verdict = match (first(own), first(theirs)) {
            (true, true) => "each uses the other: neither can wait until the other serves",
            (false, true) => "it has to start first",
            (true, false) => "it starts after this one",
            (false, false) => "neither uses the other: both can start at once",
        };
        out.push_str(&format!("\n{BOLD}Beside it: {theirs}{BOLD:#}: {verdict}\n"));
        if all.is_empty() {
            continue;
        }
        let mut table = Table::new(["stack", "service", "used by", "serves within"]);
        for needed in all {
            let time = needed.serves_within_seconds.map(std::time::Duration::from_secs_f64);
            table.row([
                needed.stack.into(),
                needed.name.into(),
                format!("{} of {}", needed.by.join(", "), needed.by_stack).into(),
                time.map_or_else(|| "unknown".to_owned(), |time| duration::show(time).to_string()).into(),
            ]);
        }
        out.push_str(&table.show());
    }
    out
}
