//! The JSON of `fracht show --format json`. docs/json.md describes the fields.

use fracht_core::grammar::quantity::{Bounds, Quantity};
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Container, Kind, Replicas, Sidecar, Volume, VolumeId, Workload};
use fracht_core::origin::Sourced;
use fracht_core::plan::sizes::{Sizes, Sum};
use serde::Serialize;

use super::{Checked, copies, runs, storage, users};
use crate::ui::json;

/// The whole document.
#[derive(Serialize)]
pub(super) struct ShowDocument<'a> {
    stack: &'a str,
    target: &'a str,
    on: &'static str,
    runs: Vec<Runs<'a>>,
    /// The sizes of all services, with the fewest and with the most replicas.
    fewest: Sums,
    most: Sums,
    volumes: Vec<VolumeRow<'a>>,
}

#[derive(Serialize)]
struct Runs<'a> {
    name: &'a str,
    kind: &'static str,
    /// The smallest and the largest number of replicas; null for a task.
    replicas: Option<Between>,
    /// `once`, `on demand` or five fields; null for a service.
    schedule: Option<String>,
    spread: Option<&'static str>,
    containers: Vec<ContainerRow<'a>>,
    place: json::Place,
}

/// The number of replicas.
#[derive(Serialize)]
pub(super) struct Between {
    least: u32,
    most: u32,
}

impl Between {
    pub(super) fn of(replicas: Replicas) -> Self {
        Self { least: replicas.least(), most: replicas.most() }
    }
}

#[derive(Serialize)]
struct ContainerRow<'a> {
    /// The name of the sidecar; null for the main container.
    sidecar: Option<&'a str>,
    /// Whether it runs once, before what follows.
    once: bool,
    image: &'a str,
    cpu: Size<'a>,
    memory: Size<'a>,
}

/// A request and a limit, as written; null if not set.
#[derive(Serialize)]
pub(super) struct Size<'a> {
    request: Option<&'a str>,
    limit: Option<&'a str>,
}

impl<'a> Size<'a> {
    pub(super) fn of(bounds: Option<&'a Sourced<Bounds>>) -> Self {
        let text = |pick: fn(&Bounds) -> Option<&Quantity>| Some(&*pick(&bounds?.value)?.text);
        Self { request: text(|bounds| bounds.request.as_ref()), limit: text(|bounds| bounds.limit.as_ref()) }
    }
}

#[derive(Serialize)]
struct Sums {
    /// In thousandths of a CPU.
    cpu_request: SumRow,
    cpu_limit: SumRow,
    /// In bytes.
    memory_request: SumRow,
    memory_limit: SumRow,
}

#[derive(Serialize)]
struct SumRow {
    size: u64,
    /// How many containers set none.
    unset: u64,
}

impl From<Sum> for SumRow {
    fn from(sum: Sum) -> Self {
        Self { size: sum.size, unset: sum.unset }
    }
}

impl From<Sizes> for Sums {
    fn from(sizes: Sizes) -> Self {
        Self {
            cpu_request: sizes.cpu_request.into(),
            cpu_limit: sizes.cpu_limit.into(),
            memory_request: sizes.memory_request.into(),
            memory_limit: sizes.memory_limit.into(),
        }
    }
}

#[derive(Serialize)]
struct VolumeRow<'a> {
    name: &'a str,
    size: Option<&'a str>,
    access: &'static str,
    copies: String,
    storage: String,
    mounted_by: Vec<&'a str>,
}

/// The document for a checked stack.
pub(super) fn of<'a>(checked: Checked<'a>) -> ShowDocument<'a> {
    let model = checked.model();
    let mut all = users(model);
    let volume = |(id, volume): (VolumeId, &'a Volume)| {
        let users = all.remove(&id).unwrap_or_default();
        VolumeRow {
            name: &volume.name,
            size: volume.size.as_ref().map(|size| &*size.value.text),
            access: volume.access.value.word(),
            copies: copies(volume, &users),
            storage: storage(model, volume),
            mounted_by: users.iter().map(|user| &*user.name).collect(),
        }
    };
    let (fewest, most) = Sizes::of_services(model);
    ShowDocument {
        stack: &model.name.value,
        target: &model.target.name,
        on: model.target.on.value.word(),
        runs: model.workloads.iter().map(|workload| runs_row(checked, workload)).collect(),
        fewest: fewest.into(),
        most: most.into(),
        volumes: model.volumes.entries().map(volume).collect(),
    }
}

fn runs_row<'a>(checked: Checked<'a>, workload: &'a Workload) -> Runs<'a> {
    let container = |sidecar: Option<&'a Sidecar>, container: &'a Container| ContainerRow {
        sidecar: sidecar.map(|sidecar| &*sidecar.name),
        once: sidecar.is_some_and(|sidecar| sidecar.once),
        image: container.image.value.text(),
        cpu: Size::of(container.cpu.as_ref()),
        memory: Size::of(container.memory.as_ref()),
    };
    let main = std::iter::once(container(None, &workload.main));
    let sidecars = workload.sidecars.iter().map(|one| container(Some(one), &one.container));
    Runs {
        name: &workload.name,
        kind: workload.kind_word(),
        replicas: workload.service().map(|service| Between::of(service.replicas.value)),
        schedule: matches!(workload.kind, Kind::Task(_)).then(|| runs(workload)),
        spread: workload.spread.map(|spread| spread.over.value.word()),
        containers: main.chain(sidecars).collect(),
        place: json::place(workload.span, checked.sources()),
    }
}
