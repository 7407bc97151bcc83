//! `fracht ports`

mod assign;
mod document;
mod live;

use std::collections::BTreeSet;

use fracht_core::check::Verdict;
use fracht_core::diag::{Report, listing};
use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Model, Port};
use fracht_core::plan::external::external_addresses;
use fracht_core::plan::listening::Listening;
use fracht_core::plan::ports::{PortEntry, TakenElsewhere};
use fracht_core::plan::reach::answering;
use fracht_core::rules::live::in_use;

use crate::beside::{self, Beside, Pick, Wanted};
use crate::cli::{Format, Ports};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::Ui;
use crate::ui::address::{self, PICKED};
use crate::ui::style::{BOLD, ERROR, OPEN, QUIET};
use crate::ui::table::{Cell, Table};
use crate::write;

/// What is known about places outside the stack.
#[derive(Default)]
struct Elsewhere {
    /// What listens on this machine, with `--live`.
    listening: Option<Listening>,
    /// The stacks of `--beside`.
    beside: Vec<Beside>,
}

impl Elsewhere {
    /// The numbers that are taken there.
    fn taken(&self) -> TakenElsewhere {
        let listening = self.listening.iter().flat_map(Listening::taken);
        listening.chain(beside::taken(&self.beside)).collect()
    }

    /// The report on the stack, with the problems that it has with what is there.
    fn report(&self, verdict: &Verdict) -> Report {
        let (model, plan) = (&verdict.facts.model, &verdict.facts.ports);
        let mut found = beside::found(verdict, &self.beside);
        let clashes = self.listening.iter().flat_map(|listening| listening.clashes(model, plan));
        found.extend(clashes.map(|clash| in_use(model, &clash)));
        verdict.report_with(found)
    }
}

pub(crate) fn run(args: &Ports, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (choice, chosen) = (&args.plan.stack, args.plan.target.name());
    // From the reading to the writing of the lock: two runs would lose the choices of one.
    let alone = if args.assign { stack::locate(choice)?.path.parent().and_then(write::alone) } else { None };
    let mut project = stack::open(choice)?;
    let target =
        if args.live { stack::machine_target(&project, chosen)? } else { stack::target(&project, chosen)? };
    let asked = Wanted { beside: &args.beside, stack: choice, pick: Pick::OneOfKind };
    let mut verdict = stack::verdict(&mut project, &target)?;
    let mut elsewhere =
        Elsewhere { listening: None, beside: beside::open(asked, &mut project, &verdict, ui)? };
    if args.live {
        elsewhere.listening = Some(live::look(&verdict)?);
    }
    if args.assign && assign::run(choice, &project, &verdict, &elsewhere.taken(), ui)? {
        drop(alone);
        project = stack::open(choice)?;
        verdict = stack::verdict(&mut project, &target)?;
        elsewhere.beside = beside::open(asked, &mut project, &verdict, &mut Ui::silent())?;
        if args.live {
            // Other numbers may be wanted now.
            elsewhere.listening = Some(live::look(&verdict)?);
        }
    }
    let report = elsewhere.report(&verdict);
    ui.errors(&report, project.sources());
    match args.plan.format {
        Format::Text => ui.result(&text(&verdict, &elsewhere))?,
        Format::Json => ui.json(&document::of(&verdict, &elsewhere))?,
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

/// The internal address of a port.
fn inside(model: &Model, entry: &PortEntry, port: &Port) -> String {
    format!("{}:{}", model.workloads[entry.service].name, port.as_number())
}

/// The other services that answer at the address of a port.
fn also<'m>(model: &'m Model, entry: &PortEntry) -> Vec<&'m str> {
    let all = answering(model, entry.service, entry.port);
    all.into_iter().map(|id| &*model.workloads[id].name).collect()
}

fn text(verdict: &Verdict, elsewhere: &Elsewhere) -> String {
    let (model, plan) = (&verdict.facts.model, &verdict.facts.ports);
    let listening = elsewhere.listening.as_ref();
    let in_use = listening.map_or_else(Vec::new, |listening| listening.clashes(model, plan));
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let is_open = |entry: &&PortEntry| entry.port(model).is_some_and(|port| port.reach.value.is_open());
    let open = plan.entries.iter().filter(is_open).count();
    let (count, place) = (plan.entries.len(), model.target.on.value.word());
    let mut out = format!("{BOLD}{stack}, target {target}{BOLD:#} ({place}): {open} of ");
    out.push_str(&format!("{} open to the outside\n\n", crate::ui::counted(count, "port")));
    let mut table =
        Table::new(["service", "port", "container port", "internal address", "reach", "external address"]);
    let owners = plan.clashes.iter().flat_map(|clash| [clash.first, clash.second]);
    let in_clash: BTreeSet<_> = owners.map(|owner| (owner.service, owner.port)).collect();
    let taken: BTreeSet<_> = in_use.iter().map(|clash| (clash.port.service, clash.port.port)).collect();
    let mut last = None;
    for entry in &plan.entries {
        let Some(port) = entry.port(model) else { continue };
        let service = if last.replace(entry.service) == Some(entry.service) {
            String::new()
        } else {
            model.workloads[entry.service].name.to_string()
        };
        let own = (entry.service, entry.port);
        let outside = match address::range(&external_addresses(model, port, &entry.at)) {
            None => Cell::styled("–", QUIET),
            Some(addresses) => Cell::styled(addresses, OPEN),
        };
        let number = format!("{}/{}", port.number.value, port.protocol.word());
        let reach = port.reach.value.word();
        table.row([
            service.into(),
            match (in_clash.contains(&own), taken.contains(&own)) {
                (true, _) => Cell::styled(format!("{} (clash)", port.name), ERROR),
                (_, true) => Cell::styled(format!("{} (in use)", port.name), ERROR),
                _ => (*port.name).into(),
            },
            number.into(),
            inside(model, entry, port).into(),
            if port.reach.value.is_open() { reach.into() } else { Cell::styled(reach, QUIET) },
            outside,
        ]);
    }
    if plan.entries.is_empty() {
        out.push_str("No service has a port.\n");
    } else {
        out.push_str(&table.show());
    }
    for entry in &plan.entries {
        let (also, port) = (also(model, entry), entry.port(model));
        if let Some(port) = port.filter(|_| !also.is_empty()) {
            let address = inside(model, entry, port);
            out.push_str(&format!("\nAt {address}, {} answers as well.\n", listing(also)));
        }
    }
    if plan.entries.iter().any(|entry| entry.is_picked_by_cluster(model)) {
        out.push_str(&format!(
            "\n{PICKED}: chosen by the cluster; to fix it, set for example `at = 30080`, or use `--assign`\n"
        ));
    }
    let names: Vec<String> = plan
        .entries
        .iter()
        .filter(|entry| entry.kept)
        .filter_map(|entry| {
            Some(format!("{}/{}", model.workloads[entry.service].name, entry.port(model)?.name))
        })
        .collect();
    if !names.is_empty() {
        out.push_str(&format!("\nKept in the lock: {}\n", listing(names.iter().map(String::as_str))));
    }
    if let Some(listening) = listening {
        out.push_str(&live::text(model, listening, &in_use));
    }
    for other in &elsewhere.beside {
        out.push_str(&beside_text(other));
    }
    out
}

/// The open ports of a stack beside this one.
fn beside_text(other: &Beside) -> String {
    let (model, plan) = (&other.verdict.facts.model, &other.verdict.facts.ports);
    let (stack, target, shown) =
        (escaped(&model.name.value), escaped(&model.target.name), escaped(&other.shown));
    let mut out = format!("\n{BOLD}Beside it: {stack}, target {target}{BOLD:#} ({shown})\n");
    let mut table = Table::new(["service", "port", "reach", "external address"]);
    let mut is_empty = true;
    for entry in &plan.entries {
        let Some(port) = entry.port(model).filter(|port| port.reach.value.is_open()) else { continue };
        let address = address::range(&external_addresses(model, port, &entry.at)).unwrap_or_default();
        is_empty = false;
        table.row([
            (*model.workloads[entry.service].name).into(),
            (*port.name).into(),
            port.reach.value.word().into(),
            Cell::styled(address, OPEN),
        ]);
    }
    out.push_str(&if is_empty { "Nothing of it is open to the outside.\n".to_owned() } else { table.show() });
    out
}
