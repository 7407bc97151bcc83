//! `fracht show`

mod document;
mod one;

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::nearest;
use fracht_core::escape::escaped;
use fracht_core::grammar::image::Image;
use fracht_core::grammar::quantity::{Bounds, show_bytes, show_cpu};
use fracht_core::grammar::schedule::Schedule;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{
    Container, Kind, Model, Mounted, Replicas, TargetKind, Volume, VolumeId, Workload, WorkloadId,
};
use fracht_core::origin::Sourced;
use fracht_core::plan::sizes::{Sizes, Sum};
use fracht_core::source::Sources;

use crate::cli::{Format, Show};
use crate::failure::{Failure, Outcome};
use crate::stack;
use crate::ui::style::{BOLD, QUIET};
use crate::ui::table::{Cell, Table};
use crate::ui::{Ui, counted};

/// What the result of a check knows, for one target.
#[derive(Clone, Copy)]
struct Checked<'a> {
    project: &'a Project<'static>,
    verdict: &'a Verdict,
}

impl<'a> Checked<'a> {
    fn model(self) -> &'a Model {
        &self.verdict.facts.model
    }

    fn sources(self) -> &'a Sources {
        self.project.sources()
    }
}

pub(crate) fn run(args: &Show, ui: &mut Ui) -> Result<Outcome, Failure> {
    let (project, verdict) = stack::planned(&args.plan, ui)?;
    let checked = Checked { project: &project, verdict: &verdict };
    match &args.workload {
        None if args.plan.format == Format::Json => ui.json(&document::of(checked))?,
        None => ui.result(&text(checked.model(), checked.sources()))?,
        Some(name) => {
            let found = one::One::of(checked, find(checked.model(), name)?);
            match args.plan.format {
                Format::Text => ui.result(&found.text())?,
                Format::Json => ui.json(&found)?,
            }
        }
    }
    Ok(Outcome::problems_if(verdict.report.has_errors()))
}

/// The service or task with a name, which may have its kind in front: `service.api`.
fn find(model: &Model, wanted: &str) -> Result<WorkloadId, Failure> {
    let fits = |workload: &Workload| *workload.name == *wanted || workload.reference() == wanted;
    if let Some((id, _)) = model.workloads.entries().find(|(_, workload)| fits(workload)) {
        return Ok(id);
    }
    let names: Vec<&str> = model.workloads.iter().map(|workload| &*workload.name).collect();
    let bare = wanted.rsplit('.').next().unwrap_or(wanted);
    let help = match (nearest(bare, names.iter().copied()), names.as_slice()) {
        (Some(near), _) => format!("did you mean `{near}`?"),
        (None, []) => "the stack has no services and no tasks".to_owned(),
        (None, names) => format!("this stack has: {}", names.join(", ")),
    };
    Err(Failure::new(format!("no service or task is named `{wanted}`"), help))
}

/// An image by its last name, which fits into a table.
fn short(image: &Image) -> String {
    let name = image.repository().rsplit('/').next().unwrap_or_default();
    match (image.tag(), image.digest()) {
        (Some(tag), _) => format!("{name}:{tag}"),
        (None, Some(digest)) => {
            let digest: String = digest.chars().take("sha256:".len() + 7).collect();
            format!("{name}@{digest}…")
        }
        (None, None) => name.to_owned(),
    }
}

/// A request and a limit, as in a stack file.
fn bounds(bounds: Option<&Sourced<Bounds>>) -> Option<String> {
    let Bounds { request, limit } = &bounds?.value;
    match (request, limit) {
        (Some(request), Some(limit)) if request == limit => Some(request.to_string()),
        (request, limit) => {
            let text = |quantity: &Option<_>| quantity.as_ref().map(ToString::to_string).unwrap_or_default();
            Some(format!("{}..{}", text(request), text(limit)))
        }
    }
}

/// How many run, or when.
fn runs(workload: &Workload) -> String {
    match &workload.kind {
        Kind::Service(service) => match service.replicas.value {
            Replicas::Fixed(count) => count.to_string(),
            Replicas::Growing { min, max, .. } => format!("{min}–{max}"),
        },
        Kind::Task(task) => match task.schedule.as_ref().map(|schedule| &schedule.value) {
            None => "once".to_owned(),
            Some(Schedule::OnDemand) => "on demand".to_owned(),
            Some(Schedule::Times(times)) => times.to_string(),
        },
    }
}

/// Over what the replicas are spread.
fn spread(workload: &Workload) -> Option<String> {
    let spread = workload.spread?;
    let strict = if spread.strict.value { ", strict" } else { "" };
    Some(format!("{}s{strict}", spread.over.value.word()))
}

fn or_dash(text: Option<String>) -> Cell {
    text.map_or_else(|| Cell::styled("–", QUIET), Into::into)
}

fn text(model: &Model, sources: &Sources) -> String {
    let (stack, target) = (escaped(&model.name.value), escaped(&model.target.name));
    let services = model.workloads.iter().filter(|workload| workload.service().is_some()).count();
    let tasks = model.workloads.iter().count() - services;
    let mut out = format!(
        "{BOLD}{stack}, target {target}{BOLD:#} ({}): {}, {}\n\n",
        model.target.on.value.word(),
        counted(services, "service"),
        counted(tasks, "task"),
    );
    if services + tasks == 0 {
        return out + "Nothing runs.\n";
    }
    let mut table = Table::new(["name", "image", "runs", "cpu", "memory", "location"]);
    for workload in &model.workloads {
        let sizes = |container: &Container| {
            [or_dash(bounds(container.cpu.as_ref())), or_dash(bounds(container.memory.as_ref()))]
        };
        let [cpu, memory] = sizes(&workload.main);
        table.row([
            workload.reference().into(),
            short(&workload.main.image.value).into(),
            spread(workload)
                .map_or_else(|| runs(workload), |over| format!("{} over {over}", runs(workload)))
                .into(),
            cpu,
            memory,
            Cell::styled(sources.location(workload.span), QUIET),
        ]);
        for sidecar in &workload.sidecars {
            let [cpu, memory] = sizes(&sidecar.container);
            table.row([
                format!(" + {}", sidecar.name).into(),
                short(&sidecar.container.image.value).into(),
                if sidecar.once { "once, first".into() } else { Cell::default() },
                cpu,
                memory,
                Cell::styled(sources.location(sidecar.span), QUIET),
            ]);
        }
    }
    out.push_str(&table.show());
    out.push_str(&sums(model));
    out.push_str(&volumes(model));
    out
}

/// A sum; `+` if some containers set nothing.
fn sum(sum: Sum, show: fn(u64) -> String) -> String {
    let more = if sum.unset > 0 { "+" } else { "" };
    if sum.size == 0 && sum.unset > 0 { "not set".to_owned() } else { format!("{}{more}", show(sum.size)) }
}

/// What all services together set aside, and what they may take.
fn sums(model: &Model) -> String {
    let (least, most) = Sizes::of_services(model);
    let mut table = Table::new(["all services", "cpu request", "limit", "memory request", "limit"]);
    let rows: &[(&str, Sizes)] = if least == most {
        &[("sum", least)]
    } else {
        &[("with the fewest replicas", least), ("with the most replicas", most)]
    };
    for (name, sizes) in rows {
        table.row([
            (*name).into(),
            sum(sizes.cpu_request, show_cpu).into(),
            sum(sizes.cpu_limit, show_cpu).into(),
            sum(sizes.memory_request, show_bytes).into(),
            sum(sizes.memory_limit, show_bytes).into(),
        ]);
    }
    let all = [most.cpu_request, most.cpu_limit, most.memory_request, most.memory_limit];
    let note = if all.iter().any(|sum| sum.unset > 0 && sum.size > 0) {
        format!("{QUIET}+: some containers set none{QUIET:#}\n")
    } else {
        String::new()
    };
    format!("\n{}{note}", table.show())
}

/// The services and tasks that mount each volume.
fn users(model: &Model) -> BTreeMap<VolumeId, Vec<&Workload>> {
    let mut users: BTreeMap<VolumeId, Vec<&Workload>> = BTreeMap::new();
    for workload in &model.workloads {
        let mounts = workload.containers().flat_map(|container| &container.mounts);
        let volumes: BTreeSet<VolumeId> = mounts
            .filter_map(|mount| match mount.what {
                Mounted::Volume(id) => Some(id),
                _ => None,
            })
            .collect();
        for volume in volumes {
            users.entry(volume).or_default().push(workload);
        }
    }
    users
}

/// How many copies of a volume there are: one, or one per replica.
fn copies(volume: &Volume, users: &[&Workload]) -> String {
    match users {
        [user, ..] if volume.each.value => runs(user),
        [] => "0".to_owned(),
        _ => "1".to_owned(),
    }
}

/// Where the data of a volume is.
fn storage(model: &Model, volume: &Volume) -> String {
    if model.target.on.value == TargetKind::Machine {
        return "this machine".to_owned();
    }
    if let Some(present) = &volume.present {
        return format!("existing claim {}", present.value);
    }
    if let Some(folder) = &volume.node_folder {
        let node = volume.node.as_ref().map_or_else(String::new, |node| format!(" on {}", node.value));
        return format!("{}{node}", folder.value);
    }
    volume.class.as_ref().map_or_else(|| "default class".to_owned(), |class| format!("class {}", class.value))
}

fn volumes(model: &Model) -> String {
    if model.volumes.iter().next().is_none() {
        return String::new();
    }
    let mut table = Table::new(["volume", "size", "access", "copies", "storage", "mounted by"]);
    let mut all = users(model);
    for (id, volume) in model.volumes.entries() {
        let users = all.remove(&id).unwrap_or_default();
        let names: Vec<&str> = users.iter().map(|user| &*user.name).collect();
        table.row([
            (*volume.name).into(),
            or_dash(volume.size.as_ref().map(|size| size.value.to_string())),
            volume.access.value.word().into(),
            copies(volume, &users).into(),
            storage(model, volume).into(),
            or_dash((!names.is_empty()).then(|| names.join(", "))),
        ]);
    }
    format!("\n{}", table.show())
}
