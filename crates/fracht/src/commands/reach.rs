//! `fracht reach`

mod beside;
mod document;

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;

use fracht_cluster::{open_service_name, read_objects, secret_name, side_name, text_at};
use fracht_core::diag::listing;
use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{
    Admitted, EntryKind, Model, PatchChange, Protocol, Raw, Reach, SecretSource, TargetKind, WorkloadId,
};
use fracht_core::plan::external::ExternalAddress;
use fracht_core::plan::login::Login;
use fracht_core::plan::reach::{
    Caller, ClosedPort, Leak, LeakReason, May, OpenPort, ReachPlan, may, networks,
};

use crate::beside::{Pick, Wanted};
use crate::cli::{Format, Reach as Asked};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, HEAD, OPEN, QUIET, WIDTH};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, address, counted};

/// The most services in the matrix. More do not fit, so they are listed.
const MOST_COLUMNS: usize = 20;

pub(crate) fn run(args: &Asked, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (mut project, verdict) = stack::unseen(&args.plan)?;
    let asked = Wanted { beside: &args.beside, stack: &args.plan.stack, pick: Pick::OneOfKind };
    let beside = crate::beside::open(asked, &mut project, &verdict, ui)?;
    let report = crate::beside::report(&verdict, &beside);
    ui.errors(&report, project.sources());
    let plan = verdict.facts.reach();
    match args.plan.format {
        Format::Text => {
            ui.result(&(text(&verdict.facts.model, plan) + &beside::text(&verdict.facts, &beside)))?;
        }
        Format::Json => ui.json(&document::of(&verdict.facts, plan, &beside))?,
    }
    Ok(Outcome::problems_if(report.has_errors()))
}

fn name(model: &Model, id: WorkloadId) -> &str {
    &model.workloads[id].name
}

/// The command that prints an address known only to the cluster.
fn learn(model: &Model, way: &OpenPort) -> Option<String> {
    if model.target.on.value == TargetKind::Machine {
        return None;
    }
    let workload = &model.workloads[way.service];
    let (own, web) = (&model.target.namespace.value, &model.target.web);
    let (kind, name, namespace) = match way.reach {
        Reach::Stack => return None,
        Reach::Node if !way.addresses.contains(&ExternalAddress::Node(None)) => {
            return Some("kubectl get nodes -o wide".to_owned());
        }
        Reach::Node | Reach::Balancer => ("service", open_service_name(model, workload, way.reach), own),
        Reach::Web => match (web.by.value, &web.gateway) {
            (EntryKind::Gateway, Some((elsewhere, name))) => {
                ("gateway", name.to_string(), elsewhere.as_ref().unwrap_or(own))
            }
            _ => ("ingress", side_name(model, workload), own),
        },
    };
    Some(format!("kubectl get {kind} {name} -n {namespace}"))
}

/// How to read the value of a key of a secret.
fn reading(model: &Model, login: &Login) -> Option<(String, String)> {
    let Login::Secret(id, key) = login else { return None };
    let secret = &model.secrets[*id];
    let reference = format!("secret.{}/{key}", secret.name);
    let source = secret.keys.iter().find(|known| known.name == *key).map(|key| &key.source);
    let on_machine = model.target.on.value == TargetKind::Machine;
    let read = match source {
        Some(SecretSource::Variable(variable)) if on_machine => format!("the variable {variable}"),
        Some(SecretSource::File(path)) if on_machine => {
            format!("the file {}", path.file_name().unwrap_or_default().to_string_lossy())
        }
        Some(SecretSource::Lines(paths)) if on_machine => {
            let name = |path: &PathBuf| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            format!(
                "the line {key} of {}",
                listing(paths.iter().map(name).collect::<Vec<_>>().iter().map(String::as_str))
            )
        }
        Some(SecretSource::Made | SecretSource::Present) if on_machine => "in a cluster only".to_owned(),
        _ => {
            let (object, namespace) = (secret_name(model, secret), &model.target.namespace.value);
            let key = key.replace('.', "\\.");
            format!("kubectl get secret {object} -n {namespace} -o jsonpath='{{.data.{key}}}' | base64 -d")
        }
    };
    Some((reference, read))
}

fn text(model: &Model, plan: &ReachPlan) -> String {
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let ways = match plan.open_ports.len() {
        0 => "nothing is open to the outside".to_owned(),
        count => counted(count, "open port"),
    };
    let mut out = format!("{BOLD}{stack}, target {target}{BOLD:#}: {ways}\n");
    if !plan.open_ports.is_empty() {
        out.push_str(&format!("\n{}", open_ports(model, plan)));
        out.push_str(&logins(model, plan));
    }
    out.push_str(&closed_ports(model, plan));
    out.push_str(&admitted(model));
    out.push_str(&allowed_by_closed_networks(model, plan));
    out.push_str(&not_considered_note(model));
    if plan.services.is_empty() {
        return out + "\nNo service has a port, so nothing can be reached.\n";
    }
    if plan.services.len() <= MOST_COLUMNS {
        out.push_str(&matrix(model, plan));
        out.push_str(&reasons(model, plan));
    } else {
        out.push_str(&listed(model, plan));
    }
    out
}

/// The services that answer at a port: its own, and others.
fn answering(model: &Model, service: WorkloadId, also: &[WorkloadId]) -> String {
    let all = std::iter::once(&service).chain(also);
    all.map(|id| name(model, *id)).collect::<Vec<_>>().join(", ")
}

/// The command that makes a closed port reachable from this machine; `None` for what cannot be forwarded.
fn forward(model: &Model, closed: &ClosedPort) -> Option<String> {
    let workload = &model.workloads[closed.service];
    let port = workload.port(closed.port).filter(|port| port.protocol == Protocol::Tcp)?;
    if model.target.on.value == TargetKind::Machine {
        return None;
    }
    let number = port.as_number();
    // Only root may listen on the first ones.
    let own = if number < 1024 { number + 8000 } else { number };
    let namespace = &model.target.namespace.value;
    Some(format!("kubectl port-forward -n {namespace} service/{} {own}:{number}", workload.name))
}

/// The most closed ports of which the command to forward them is shown.
const MOST_FORWARDED: usize = 20;

/// The closed ports, each with the command that makes it reachable from this machine, and the logins that are known.
fn closed_ports(model: &Model, plan: &ReachPlan) -> String {
    let all: Vec<(&ClosedPort, String)> =
        plan.closed_ports.iter().filter_map(|closed| Some((closed, forward(model, closed)?))).collect();
    if all.is_empty() {
        return String::new();
    }
    let mut table = Table::new(["closed", "port", "to reach it from this machine"]);
    for (closed, command) in all.iter().take(MOST_FORWARDED) {
        let port = model.workloads[closed.service].port(closed.port);
        table.row([
            answering(model, closed.service, &closed.also).into(),
            port.map_or("?", |port| &*port.name).into(),
            Cell::styled(command.clone(), QUIET),
        ]);
    }
    let mut out = format!("\n{}", table.show());
    if let Some(more) = all.len().checked_sub(MOST_FORWARDED).filter(|more| *more > 0) {
        out.push_str(&format!("… and {more} more, in `--format json`\n"));
    }
    let mut seen = BTreeSet::new();
    for (closed, _) in all.iter().take(MOST_FORWARDED) {
        if !closed.logins.is_empty() && seen.insert(closed.service) {
            out.push_str(&login_lines(model, closed.service, &closed.logins));
        }
    }
    out
}

/// The stacks that networks admit.
fn admitted(model: &Model) -> String {
    let mut out = String::new();
    for network in model.networks.iter().filter(|network| !network.admits.is_empty()) {
        let stacks: Vec<String> = network.admits.iter().map(Admitted::words).collect();
        let stacks = listing(stacks.iter().map(String::as_str));
        out.push_str(&format!("\nNetwork {} admits {stacks}\n", network.name));
    }
    out
}

/// The open ports of a machine target, and their logins.
pub(super) fn ways_in(model: &Model, plan: &ReachPlan) -> String {
    open_ports(model, plan) + &logins(model, plan)
}

fn open_ports(model: &Model, plan: &ReachPlan) -> String {
    let mut table = Table::new(["service", "port", "reach", "address", "look up with"]);
    for way in &plan.open_ports {
        let port = model.workloads[way.service].port(way.port);
        let address = address::range(&way.addresses).unwrap_or_else(|| "–".to_owned());
        let udp = port.filter(|port| port.protocol != Protocol::Tcp);
        let address = udp.map_or(address.clone(), |port| format!("{address}/{}", port.protocol.word()));
        table.row([
            answering(model, way.service, &way.also).into(),
            port.map_or("?", |port| &*port.name).into(),
            way.reach.word().into(),
            Cell::styled(address, OPEN),
            Cell::styled(learn(model, way).unwrap_or_else(|| "this machine".to_owned()), QUIET),
        ]);
    }
    let mut out = table.show();
    let names: BTreeSet<&str> =
        plan.open_ports.iter().filter_map(|way| address::host(&way.addresses)).collect();
    let names: Vec<String> = names.into_iter().map(address::hosts_line).collect();
    match names.as_slice() {
        [] => {}
        [line] => out.push_str(&format!(
            "\nIf DNS does not have this name yet, add it to your hosts file: {BOLD}{line}{BOLD:#}\n"
        )),
        lines => {
            out.push_str("\nIf DNS does not have these names yet, add them to your hosts file:\n");
            for line in lines {
                out.push_str(&format!("  {BOLD}{line}{BOLD:#}\n"));
            }
        }
    }
    out
}

/// The logins of services with open ports: their user names and secrets.
fn logins(model: &Model, plan: &ReachPlan) -> String {
    let mut out = String::new();
    let mut seen = BTreeSet::new();
    for way in plan.open_ports.iter().filter(|way| !way.logins.is_empty()) {
        if !seen.insert(way.service) {
            continue;
        }
        out.push_str(&login_lines(model, way.service, &way.logins));
    }
    out
}

/// A login: the user name, and how to read the password.
fn login_lines(model: &Model, service: WorkloadId, logins: &[Login]) -> String {
    let mut out = format!("\nLogin for {}\n", name(model, service));
    for login in logins {
        match (login, reading(model, login)) {
            (Login::User(variable, user), _) => out.push_str(&format!("  {variable}: {user}\n")),
            (_, Some((reference, read))) => {
                let is_long = reference.len() + read.len() + 4 > WIDTH;
                let gap = if is_long { "\n    " } else { " " };
                out.push_str(&format!("  {reference}:{gap}{QUIET}{read}{QUIET:#}\n"));
            }
            (Login::Secret(..), None) => {}
        }
    }
    out
}

/// The networks of a service or task, in words.
fn network_names(model: &Model, id: WorkloadId) -> String {
    let names: Vec<&str> =
        networks(&model.workloads[id]).map(|network| &*model.networks[network].name).collect();
    if names.is_empty() { "default".to_owned() } else { names.join(" ") }
}

fn mark(may: May, uses: bool) -> &'static str {
    match (may, uses) {
        (May::Itself, _) => "■",
        (May::All | May::OpenPorts | May::SomeOpenPorts, true) => "●",
        (May::All, false) => "○",
        (May::OpenPorts | May::SomeOpenPorts, false) => "◦",
        (May::NoNetwork | May::NoWayOut, _) => "·",
    }
}

/// The matrix of connections, from rows to columns. Columns are the numbers of the services.
fn matrix(model: &Model, plan: &ReachPlan) -> String {
    let mut out = format!(
        "\n{BOLD}Connections{BOLD:#}   ● used   ○ allowed   ◦ allowed at open ports only   · blocked   ■ itself\n\n"
    );
    let number = |id: WorkloadId| plan.services.iter().position(|service| *service == id).map(|at| at + 1);
    let rows: Vec<(String, String, &Caller)> = ordered(plan)
        .map(|caller| {
            let workload = &model.workloads[caller.who];
            let number = number(caller.who).map_or_else(|| "  ".to_owned(), |number| format!("{number:>2}"));
            (format!("{number} {}", workload.reference()), network_names(model, caller.who), caller)
        })
        .collect();
    let widest = |texts: &mut dyn Iterator<Item = &String>, head: usize| {
        texts.map(|text| text.chars().count()).max().unwrap_or(0).max(head)
    };
    let who = widest(&mut rows.iter().map(|row| &row.0), 7);
    let nets = widest(&mut rows.iter().map(|row| &row.1), 8);
    out.push_str(&format!("{HEAD}{:who$}  {:nets$}", "   from", "networks"));
    for index in 0..plan.services.len() {
        out.push_str(&format!(" {:>2}", index + 1));
    }
    out.push_str(&format!("  external{HEAD:#}\n"));
    for (name, nets_of, caller) in &rows {
        out.push_str(&format!("{name:who$}  {QUIET}{nets_of:nets$}{QUIET:#}"));
        for id in &plan.services {
            out.push_str(&format!(
                "  {}",
                mark(may(model, caller.who, *id), caller.makes_use_of(model, *id))
            ));
        }
        let names: Vec<&str> = caller.outside.iter().map(|id| &*model.outsides[*id].name).collect();
        let api = caller.leaks.iter().find(|leak| leak.why == LeakReason::Api);
        let outside = match (caller.gets_out, names.as_slice()) {
            (false, _) => api.map_or_else(|| "·".to_owned(), |leak| format!("◦ {}", destinations(leak))),
            (true, []) => "○".to_owned(),
            (true, names) => format!("● {}", names.join(" ")),
        };
        out.push_str(&format!("  {outside}\n"));
    }
    out
}

/// The ports and addresses of connections that closed networks allow.
fn destinations(leak: &Leak) -> String {
    let ports: Vec<String> = leak.ports.iter().map(u16::to_string).collect();
    match leak.to.as_slice() {
        [] => format!("{} anywhere", ports.join(" ")),
        blocks => format!("{} at {}", ports.join(" "), blocks.join(" ")),
    }
}

/// The connections that closed networks still allow.
fn allowed_by_closed_networks(model: &Model, plan: &ReachPlan) -> String {
    let with = |why: LeakReason| {
        let found = plan.callers.iter().filter_map(move |caller| {
            let leak = caller.leaks.iter().find(|leak| leak.why == why)?;
            Some((name(model, caller.who), leak))
        });
        found.collect::<Vec<_>>()
    };
    let mut out = String::new();
    if let [(_, first), ..] = with(LeakReason::Names).as_slice() {
        out.push_str(&format!(
            "\nClosed networks leave open: port {} for DNS, to any pod and to {}\n",
            first.ports.iter().map(u16::to_string).collect::<Vec<_>>().join(" "),
            first.to.join(" ")
        ));
    }
    if let api @ [(_, first), ..] = with(LeakReason::Api).as_slice() {
        let names = listing(api.iter().map(|(name, _)| *name));
        out.push_str(&format!("  and for the cluster's API {}: {names}\n", destinations(first)));
    }
    out
}

/// Patches and passed objects that may change what is reachable, in words.
fn not_considered(model: &Model) -> Vec<String> {
    const KINDS: [&str; 5] = ["NetworkPolicy", "Service", "Ingress", "HTTPRoute", "EndpointSlice"];
    const WITH_PODS: [&str; 4] = ["Deployment", "StatefulSet", "Job", "CronJob"];
    let patches = model.patches.iter().filter(|patch| {
        let of_pods = WITH_PODS.contains(&&*patch.kind) && changes_reach(&patch.change);
        KINDS.contains(&&*patch.kind) || of_pods
    });
    let patched = patches.map(|patch| format!("{}/{} (patched)", patch.kind, patch.name));
    let passed = model.passed.iter().flat_map(|file| {
        let objects = read_objects(&file.text).unwrap_or_default();
        let shown = file.shown.clone();
        objects.into_iter().filter_map(move |object| {
            let (kind, name) = (text_at(&object, "/kind"), text_at(&object, "/metadata/name"));
            // Policies of unknown kinds count as well.
            (KINDS.contains(&kind) || kind.ends_with("Policy")).then(|| format!("{kind}/{name} ({shown})"))
        })
    });
    patched.chain(passed).collect()
}

/// Whether a patch changes the labels of a workload, by which policies select its pods, or its ports.
fn changes_reach(change: &PatchChange) -> bool {
    const FIELDS: [&str; 4] = ["labels", "ports", "hostNetwork", "selector"];
    fn names_one(raw: &Raw) -> bool {
        match raw {
            Raw::Table(fields) => {
                fields.iter().any(|(name, value)| FIELDS.contains(&&**name) || names_one(value))
            }
            Raw::List(items) => items.iter().any(names_one),
            // The path of an operation.
            Raw::Text(text) => text.split('/').skip(1).any(|step| FIELDS.contains(&step)),
            _ => false,
        }
    }
    match change {
        PatchChange::Merge(merge) => names_one(merge),
        PatchChange::Operations(operations) => operations.iter().any(|(operation, _)| names_one(operation)),
    }
}

fn not_considered_note(model: &Model) -> String {
    let objects = not_considered(model);
    if objects.is_empty() {
        return String::new();
    }
    format!("\nNot considered: {}\n", listing(objects.iter().map(String::as_str)))
}

/// The callers: first the services with ports, by number, then all others.
fn ordered(plan: &ReachPlan) -> impl Iterator<Item = &Caller> {
    let (called, others): (Vec<&Caller>, Vec<&Caller>) =
        plan.callers.iter().partition(|caller| plan.services.binary_search(&caller.who).is_ok());
    called.into_iter().chain(others)
}

/// Why connections are not possible: callers with the same reason and the same services share a line.
fn reasons(model: &Model, plan: &ReachPlan) -> String {
    let mut lines: Vec<(Vec<&str>, &str, Vec<String>)> = Vec::new();
    let mut places: BTreeMap<(Vec<&str>, &str), usize> = BTreeMap::new();
    for caller in ordered(plan) {
        for reason in [May::NoNetwork, May::NoWayOut] {
            let out_of_reach = plan.services.iter().filter(|id| may(model, caller.who, **id) == reason);
            let names: Vec<&str> = out_of_reach.map(|id| name(model, *id)).collect();
            let Some(why) = why_not(reason).filter(|_| !names.is_empty()) else { continue };
            let place = *places.entry((names.clone(), why)).or_insert(lines.len());
            if place == lines.len() {
                lines.push((names, why, Vec::new()));
            }
            if let Some((.., callers)) = lines.get_mut(place) {
                callers.push(model.workloads[caller.who].reference());
            }
        }
    }
    let mut out = String::new();
    for (names, why, callers) in lines {
        let callers = listing(callers.iter().map(String::as_str));
        out.push_str(&format!("\n{callers} cannot reach {}:\n  {QUIET}{why}{QUIET:#}\n", listing(names)));
    }
    out
}

fn why_not(may: May) -> Option<&'static str> {
    match may {
        May::Itself | May::All | May::OpenPorts | May::SomeOpenPorts => None,
        May::NoNetwork => Some("they share no network, and the service has no open port"),
        May::NoWayOut => Some("they share no network, and the networks of the caller are closed"),
    }
}

/// A line per caller, for stacks that are too large for the matrix.
fn listed(model: &Model, plan: &ReachPlan) -> String {
    let mut out = format!("\n{BOLD}Connections{BOLD:#}\n\n");
    for caller in &plan.callers {
        let uses: Vec<&str> = caller.uses.iter().map(|id| name(model, *id)).collect();
        let who = model.workloads[caller.who].reference();
        let uses = if uses.is_empty() { "no service".to_owned() } else { listing(uses) };
        let (can, all) = (caller.can_talk_to, plan.services.len());
        out.push_str(&format!("{who} uses {uses}; it can reach {can} of {all} services\n"));
    }
    out
}
