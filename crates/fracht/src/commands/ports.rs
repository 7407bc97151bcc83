//! `fracht ports`

use fracht_core::diag::listing;
use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Model, Port};
use fracht_core::plan::external::external_addresses;
use fracht_core::plan::ports::{PortEntry, PortPlan};
use fracht_core::plan::reach::answering;
use serde::Serialize;

use crate::cli::{Format, Ports};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::Ui;
use crate::ui::address::{self, PICKED};
use crate::ui::style::{BOLD, ERROR, OPEN, QUIET};
use crate::ui::table::{Cell, Table};

/// The JSON of `--format json`.
#[derive(Serialize)]
struct PortsDocument<'a> {
    stack: &'a str,
    target: &'a str,
    on: &'a str,
    ports: Vec<Row<'a>>,
    clashes: Vec<Clash<'a>>,
}

#[derive(Serialize)]
struct Row<'a> {
    service: &'a str,
    port: &'a str,
    number: u16,
    protocol: &'a str,
    inside: String,
    reach: &'a str,
    /// Other services that answer at the same address.
    also: Vec<&'a str>,
    at: &'a [u16],
    /// True if the cluster chooses the number.
    picked_by_cluster: bool,
    outside: Vec<String>,
}

#[derive(Serialize)]
struct Clash<'a> {
    number: u16,
    protocol: &'a str,
    place: &'a str,
    first: String,
    second: String,
    free: Option<u16>,
}

pub(crate) fn run(args: &Ports, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (_, verdict) = stack::planned(&args.plan, ui)?;
    let plan = &verdict.facts.ports;
    match args.plan.format {
        Format::Text => ui.result(&text(&verdict.facts.model, plan))?,
        Format::Json => ui.json(&document(&verdict.facts.model, plan))?,
    }
    Ok(Outcome::problems_if(verdict.report.has_errors()))
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

fn text(model: &Model, plan: &PortPlan) -> String {
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let is_open = |entry: &&PortEntry| entry.port(model).is_some_and(|port| port.reach.value.is_open());
    let open = plan.entries.iter().filter(is_open).count();
    let (count, place) = (plan.entries.len(), model.target.on.value.word());
    let mut out = format!("{BOLD}{stack}, target {target}{BOLD:#} ({place}): {open} of ");
    out.push_str(&format!("{} open to the outside\n\n", crate::ui::counted(count, "port")));
    let mut table =
        Table::new(["service", "port", "container port", "internal address", "reach", "external address"]);
    let mut last = None;
    for entry in &plan.entries {
        let Some(port) = entry.port(model) else { continue };
        let service = if last.replace(entry.service) == Some(entry.service) {
            String::new()
        } else {
            model.workloads[entry.service].name.to_string()
        };
        let clash = plan.clashes.iter().any(|clash| {
            [clash.first, clash.second]
                .iter()
                .any(|owner| owner.service == entry.service && owner.port == entry.port)
        });
        let outside = match address::range(&external_addresses(model, port, &entry.at)) {
            None => Cell::styled("–", QUIET),
            Some(addresses) => Cell::styled(addresses, OPEN),
        };
        let number = format!("{}/{}", port.number.value, port.protocol.word());
        let reach = port.reach.value.word();
        table.row([
            service.into(),
            if clash { Cell::styled(format!("{} (clash)", port.name), ERROR) } else { (*port.name).into() },
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
            "\n{PICKED}: chosen by the cluster; to fix it, set for example `at = 30080`\n"
        ));
    }
    out
}

fn document<'a>(model: &'a Model, plan: &'a PortPlan) -> PortsDocument<'a> {
    let row = |entry: &'a PortEntry| {
        let port = entry.port(model)?;
        Some(Row {
            service: &model.workloads[entry.service].name,
            port: &port.name,
            number: port.number.value,
            protocol: port.protocol.word(),
            inside: inside(model, entry, port),
            reach: port.reach.value.word(),
            also: also(model, entry),
            at: &entry.at,
            picked_by_cluster: entry.is_picked_by_cluster(model),
            outside: external_addresses(model, port, &entry.at).iter().map(address::shown).collect(),
        })
    };
    let clash = |clash: &fracht_core::plan::ports::Clash| Clash {
        number: clash.number,
        protocol: clash.protocol.word(),
        place: clash.scope.words(),
        first: clash.first.words(model),
        second: clash.second.words(model),
        free: clash.free,
    };
    PortsDocument {
        stack: &model.name.value,
        target: &model.target.name,
        on: model.target.on.value.word(),
        ports: plan.entries.iter().filter_map(row).collect(),
        clashes: plan.clashes.iter().map(clash).collect(),
    }
}
