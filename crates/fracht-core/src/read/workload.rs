//! Reads `[service.NAME]` and `[task.NAME]`.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rayon::iter::ParallelIterator as _;
use rayon::slice::ParallelSlice as _;

use super::fields::Fields;
use super::health::PodPorts;
use super::{Cache, Own, Reader, container, label, misspelt, port, right, sidecar};
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, DEFINED_TWICE};
use crate::diag::unknown::Unknown;
use crate::grammar::name::NameKind;
use crate::grammar::reference::RefKind;
use crate::grammar::word::Word;
use crate::language::port::PORT;
use crate::language::service::{
    BEHIND, BESIDE, COUNT, DOWN, LOAD, MAX, MIN, REPLICAS, ROLLOUT, SERVICE_TABLE, SIDECAR_TABLE,
    STABLE_NAMES, SURGE,
};
use crate::language::stack::{SERVICE, TASK};
use crate::language::task::{OVERLAP, RETRIES, SCHEDULE, TASK_TABLE, TIMEOUT, ZONE};
use crate::language::workload::{
    AFTER, LABEL, LIKE, NETWORK, NOTE, OVER, PLACE, PLATFORM, PULL, RENEW, ROLE, SPREAD, STOP_WITHIN, STRICT,
};
use crate::language::{AnyField, Field, Table};
use crate::model::{
    After, Condition, Kind, List, Mount, Mounted, NetworkId, Port, Replicas, Rollout, Scratch, SecretId,
    ServicePart, SidecarIndex, Spread, TaskPart, Unread, Workload, WorkloadId,
};
use crate::origin::Sourced;
use crate::tree::{Entries, Entry, Node, Value};

/// With fewer services and tasks, threads cost more than they save.
const WORTH_THREADS: usize = 500;
/// How many each thread reads per turn.
const PER_THREAD: usize = 250;

/// Reads every service and task, in the order in which their names were gathered.
pub(super) fn read_all(reader: &mut Reader<'_>, root: &Node) -> List<Workload> {
    let tables = |field: &Field<Table>| field.node(root).and_then(Node::table).into_iter().flatten();
    let services = tables(&SERVICE).map(|(name, entry)| (false, name, entry));
    let all: Vec<_> = services.chain(tables(&TASK).map(|(name, entry)| (true, name, entry))).collect();
    if all.len() < WORTH_THREADS {
        return all
            .into_iter()
            .filter_map(|(is_task, name, entry)| one(reader, is_task, name, entry))
            .collect();
    }
    let mut workloads = Vec::with_capacity(all.len());
    // In turns, so that each turn knows the problems of the earlier ones: of very many problems, the last are only
    // counted.
    for turn in all.chunks(rayon::current_num_threads() * PER_THREAD) {
        let lender = &*reader;
        let chunks: Vec<(Vec<Workload>, Own)> = turn
            .par_chunks(PER_THREAD)
            .map(|chunk| {
                let mut own = Own { sink: lender.sink.for_more(), cache: Cache::default() };
                let mut reader = lender.beside(&mut own);
                let read =
                    chunk.iter().filter_map(|(is_task, name, entry)| one(&mut reader, *is_task, name, entry));
                (read.collect(), own)
            })
            .collect();
        for (read, own) in chunks {
            workloads.extend(read);
            reader.sink.absorb(own.sink);
        }
    }
    workloads.into_iter().collect()
}

/// The services that answer at the address of another one, by the name of that one.
pub(super) fn answering(workloads: &List<Workload>) -> BTreeMap<Arc<str>, Vec<WorkloadId>> {
    let mut answering: BTreeMap<Arc<str>, Vec<WorkloadId>> = BTreeMap::new();
    for (id, workload) in workloads.entries() {
        for other in workload.behind() {
            answering.entry(Arc::clone(&workloads[other.value].name)).or_default().push(id);
        }
    }
    answering
}

/// Reads a service or a task; `None` for the second of two with the same name.
fn one(reader: &mut Reader<'_>, is_task: bool, name: &Arc<str>, entry: &Entry) -> Option<Workload> {
    let first = reader.symbols.workload(name).map(|(_, symbol)| symbol.span);
    if first.is_none_or(|first| first == entry.key_span) {
        return Some(match misspelt::misspelt(reader, is_task, name, entry) {
            Some((near, problem)) => {
                // If the other name is the wrong one, that has been reported.
                let is_good = NameKind::Label.check(&near).is_ok();
                ghost(reader, is_task, (name, entry), is_good.then_some(problem))
            }
            None => read(reader, is_task, name, entry),
        });
    }
    let message = format!("a service and a task are both named `{name}`");
    reader.sink.push(
        Diagnostic::new(&DEFINED_TWICE, message)
            .at(entry.key_span, "defined again here")
            .also(first, "first defined here")
            .help("rename one of them: services and tasks share one set of names"),
    );
    None
}

/// In place of a service that is only a misspelt name: one without anything, of which nothing else is said.
fn ghost(
    reader: &mut Reader<'_>,
    is_task: bool,
    (name, entry): (&Arc<str>, &Entry),
    problem: Option<Diagnostic>,
) -> Workload {
    let lost = Entry::with_broken_key(entry.key_span);
    let entries: Entries = [(Arc::from(""), lost)].into_iter().collect();
    let node = Node { value: Value::Table(Arc::new(entries)), ..entry.node.clone() };
    let empty = Entry { key_span: entry.key_span, node };
    let workload = Workload { incomplete: true, ..read(reader, is_task, name, &empty) };
    if let Some(problem) = problem {
        reader.sink.push(problem);
    }
    workload
}

fn read(reader: &mut Reader<'_>, is_task: bool, name: &Arc<str>, entry: &Entry) -> Workload {
    reader.tainted = false;
    let (kind, table) = if is_task { (&TASK, &TASK_TABLE) } else { (&SERVICE, &SERVICE_TABLE) };
    let fields = Fields::of(entry, table, reader);
    let owner = [kind.name(), ".", name].concat();
    reader.no_local_name(name, entry.key_span);
    let sidecars: Vec<(&Arc<str>, &Entry)> =
        if is_task { Vec::new() } else { fields.named(reader, &BESIDE).collect() };
    let ports = if is_task { Box::default() } else { ports(reader, &owner, &fields, &sidecars) };
    let incomplete = reader.tainted;
    let has_nameless = reader.symbols.is_incomplete(RefKind::Service, name);
    let own = PodPorts { all: &ports, incomplete, has_nameless, of: None };
    let mut unread = Unread::default();
    if fields.has_lost_key() || fields.node(&LIKE).is_some_and(|like| matches!(like.value, Value::Tainted)) {
        unread.add_any();
    }
    let main = container::read(reader, &owner, &fields, (!is_task).then_some(own), &mut unread);
    let sidecars = sidecars
        .into_iter()
        .enumerate()
        .map(|(index, named)| {
            let own = PodPorts { of: Some(SidecarIndex::new(index)), ..own };
            sidecar::read(reader, name, named, own, &mut unread)
        })
        .collect();
    let networks = reader.noting(&mut unread, &NETWORK, |reader| networks(reader, &fields));
    let after = reader.noting(&mut unread, &AFTER, |reader| after(reader, name, &fields));
    let workload = Workload {
        name: Arc::clone(name),
        span: fields.span,
        tainted: false,
        incomplete,
        kind: if is_task {
            task(reader, &owner, &fields)
        } else {
            service(reader, &owner, &fields, ports, &mut unread)
        },
        main,
        sidecars,
        networks,
        after,
        renew: fields.entry(&RENEW).and_then(|entry| reader.text(&entry.node, &RENEW.takes, &"`renew`")),
        // The pods of a task run one after the other.
        spread: if is_task { None } else { spread(reader, &fields) },
        place: reader.noting(&mut unread, &PLACE, |reader| label::place(reader, &fields)),
        platform: fields.get(reader, &PLATFORM),
        rights: right::read_all(reader, &owner, &fields),
        role: reader.noting(&mut unread, &ROLE, |reader| fields.get(reader, &ROLE)),
        labels: reader.noting(&mut unread, &LABEL, |reader| label::labels(reader, &fields)),
        notes: label::notes(reader, &owner, &fields, &NOTE),
        pull: pull(reader, &fields),
        stop_within: reader.noting(&mut unread, &STOP_WITHIN, |reader| fields.get(reader, &STOP_WITHIN)),
        unread,
    };
    shared_folders(reader, &workload);
    Workload { tainted: reader.tainted, ..workload }
}

/// The ports of a service, followed by those of its sidecars.
fn ports(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    sidecars: &[(&Arc<str>, &Entry)],
) -> Box<[Port]> {
    let own = fields.named(reader, &PORT);
    let mut ports = Vec::with_capacity(own.len());
    ports.extend(own.map(|(name, entry)| port::read(reader, owner, name, entry)));
    for (index, (sidecar, entry)) in sidecars.iter().enumerate() {
        let owner = format!("{owner}.beside.{sidecar}");
        let fields = Fields::of(entry, &SIDECAR_TABLE, reader);
        for (name, entry) in fields.named(reader, &PORT) {
            let sidecar = Some(SidecarIndex::new(index));
            let port = Port { sidecar, ..port::read(reader, &owner, name, entry) };
            if let Some(first) = ports.iter().find(|known: &&Port| known.name == port.name) {
                reader.taint();
                reader.sink.push(
                    Diagnostic::new(&DEFINED_TWICE, format!("two ports of one pod are both named `{name}`"))
                        .at(port.span, "defined again here")
                        .also(first.span, "first defined here")
                        .help("rename one of them: a service and its sidecars share port names"),
                );
            }
            ports.push(port);
        }
    }
    ports.into()
}

fn service(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    ports: Box<[Port]>,
    unread: &mut Unread,
) -> Kind {
    let rollout = match fields.table(reader, &ROLLOUT) {
        Some(inner) => Rollout { surge: inner.get(reader, &SURGE), down: inner.get(reader, &DOWN) },
        None => Rollout::default(),
    };
    if let (Some(surge), Some(down)) = (rollout.surge, rollout.down)
        && surge.value.is_zero()
        && down.value.is_zero()
    {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(
                &BAD_VALUE,
                format!("the rollout of `{owner}` can never start: `surge` and `down` are both 0"),
            )
            .at(down.span(), "none may be unavailable")
            .also(surge.span(), "none may be added")
            .help("allow one more, `surge = 1`")
            .help("or one fewer, `down = 1`"),
        );
    }
    Kind::Service(ServicePart {
        ports,
        replicas: reader.noting(unread, &REPLICAS, |reader| replicas(reader, owner, fields)),
        rollout,
        stable_names: fields.or_default(reader, &STABLE_NAMES),
        behind: reader.noting(unread, &BEHIND, |reader| behind(reader, owner, fields)),
    })
}

fn replicas(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Sourced<Replicas> {
    let one = Sourced::defaulted(Replicas::Fixed(1));
    let (Some(entry), Some(inner)) = (fields.entry(&REPLICAS), fields.table(reader, &REPLICAS)) else {
        return one;
    };
    if let Some(node) = inner.short() {
        return reader.value(node, &COUNT).map_or(one, |count| count.map(Replicas::Fixed));
    }
    if !inner.is_table() {
        return one;
    }
    let (min, max) = (inner.or_default(reader, &MIN), inner.get(reader, &MAX));
    let cpu = inner.or_default(reader, &LOAD).value;
    inner.require(reader, &format!("the replicas of `{owner}`"), &MAX);
    let (least, most) = (min.value, max.map_or(1, |max| max.value));
    if let (true, Some(max)) = (least > most, max) {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(
                &BAD_VALUE,
                format!("`min` ({least}) is higher than `max` ({most}) in `{owner}`"),
            )
            .at(max.span(), "lower than `min`")
            .also(min.span(), "higher than `max`")
            .help(format!("write `max = {least}` or more")),
        );
    }
    Sourced { value: Replicas::Growing { min: least, max: most, cpu }, origin: entry.node.origin() }
}

fn task(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Kind {
    let of_schedule: [&'static dyn AnyField; 2] = [&ZONE, &OVERLAP];
    for field in of_schedule {
        if let (Some(entry), None) = (fields.valid(reader, field), fields.node(&SCHEDULE)) {
            let key = field.key().name;
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{key}` has no effect: `{owner}` has no `schedule`"))
                    .at(entry.key_span, "no effect")
                    .help(format!("add one, for example `schedule = {}`", SCHEDULE.key.example))
                    .help(format!("or remove `{key}`")),
            );
        }
    }
    Kind::Task(TaskPart {
        retries: fields.or_default(reader, &RETRIES),
        timeout: fields.get(reader, &TIMEOUT),
        schedule: fields.get(reader, &SCHEDULE),
        zone: fields.get(reader, &ZONE),
        overlap: fields.or_default(reader, &OVERLAP),
    })
}

fn spread(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Spread> {
    let inner = fields.table(reader, &SPREAD)?;
    inner.require(reader, "a spread table", &OVER);
    Some(Spread { over: inner.get(reader, &OVER)?, strict: inner.or_default(reader, &STRICT) })
}

/// Reports a shared scratch folder that two containers of a pod define with different sizes.
fn shared_folders(reader: &mut Reader<'_>, workload: &Workload) {
    let mut known: Vec<(&Arc<str>, &Mount, &Scratch)> = Vec::new();
    for mount in workload.containers().flat_map(|container| &container.mounts) {
        let Mounted::Scratch(scratch) = &mount.what else { continue };
        let Some(name) = &scratch.shared else { continue };
        let Some((_, first, size)) = known.iter().find(|(other, ..)| *other == name) else {
            known.push((name, mount, scratch));
            continue;
        };
        let sizes = (&size.size, &scratch.size);
        let (Some(one), Some(other)) = sizes else { continue };
        if one.size == other.size {
            continue;
        }
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, format!("the shared folder `{name}` has two sizes"))
                .at(mount.origin.span(), format!("{other} here"))
                .also(first.origin.span(), format!("{one} here"))
                .help(format!("write one size in both: `{{ scratch = \"{one}\", shared = \"{name}\" }}`"))
                .help("or remove `shared`: each container then has a folder of its own"),
        );
    }
}

fn pull(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[Sourced<SecretId>]> {
    let secrets = fields.list(reader, &PULL).unwrap_or_default();
    secrets.iter().filter_map(|secret| reader.secret_with(secret, &[".dockerconfigjson"])).collect()
}

/// The network of services and tasks that name none.
const DEFAULT_NETWORK: &str = "default";

fn networks(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[Sourced<NetworkId>]> {
    let names = fields.list(reader, &NETWORK).unwrap_or_default();
    if names.is_empty() && !fields.has_invalid(reader, &[&NETWORK]) {
        // The stack may have a table for the default network.
        return reader.symbols.network(DEFAULT_NETWORK).map(Sourced::defaulted).into_iter().collect();
    }
    let mut networks: Vec<Sourced<NetworkId>> = Vec::with_capacity(names.len());
    // Most have one, of which there is nothing to note.
    let several = names.len() > 1;
    let mut known = BTreeSet::new();
    for name in names {
        match (reader.symbols.network(&name.value), name.span()) {
            (Some(id), _) => {
                if !several || known.insert(id) {
                    networks.push(Sourced { value: id, origin: name.origin });
                }
            }
            (None, Some(span)) => {
                reader.unknown(RefKind::Network, &name.value, span);
            }
            (None, None) => {}
        }
    }
    networks.into()
}

/// The services at whose address a service answers as well.
fn behind(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Box<[Sourced<WorkloadId>]> {
    let mut services: Vec<Sourced<WorkloadId>> = Vec::new();
    for name in fields.list(reader, &BEHIND).unwrap_or_default() {
        let Some(span) = name.span() else { continue };
        let found = reader.symbols.workload(&name.value).map(|(id, symbol)| (id, symbol.is_task));
        let problem = match found {
            None => {
                reader.unknown(RefKind::Service, &name.value, span);
                continue;
            }
            Some((_, true)) => (format!("`task.{}` has no address", name.value), "a task"),
            Some(_) if *owner == *format!("service.{}", name.value) => {
                (format!("`{owner}` cannot be behind itself"), "its own name")
            }
            Some((id, false)) => {
                if services.iter().all(|known| known.value != id) {
                    services.push(Sourced { value: id, origin: name.origin });
                }
                continue;
            }
        };
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, problem.0)
                .at(span, problem.1)
                .help("name the service at whose address this one answers as well"),
        );
    }
    services.into()
}

fn after(reader: &mut Reader<'_>, own: &str, fields: &Fields<'_>) -> Box<[After]> {
    let entries = fields.named(reader, &AFTER);
    let mut list = Vec::with_capacity(entries.len());
    for (name, entry) in entries {
        let span = entry.key_span;
        let Some(condition) = reader.value(&entry.node, &AFTER.takes).map(|condition| condition.value) else {
            continue;
        };
        let Some((on, symbol)) = reader.symbols.workload(name) else {
            reader.taint();
            if !reader.symbols.is_unread(RefKind::Service) && !reader.symbols.is_unread(RefKind::Task) {
                let unknown = Unknown { exact: true, ..Unknown::table("service or task", name, span) };
                let others = || reader.symbols.workload_names().filter(|other| *other != own);
                unknown.report(others, reader.sink);
            }
            continue;
        };
        if symbol.is_scheduled {
            reader.taint();
            reader.sink.push(
                Diagnostic::new(
                    &BAD_VALUE,
                    format!("cannot wait for `task.{name}`: it does not run at the start"),
                )
                .at(span, "runs on demand or at times")
                .help("remove this wait, or move the work into a task without a `schedule`"),
            );
            continue;
        }
        let right = match condition {
            Condition::Started => true,
            Condition::Done => symbol.is_task,
            Condition::Ready | Condition::Current => !symbol.is_task,
        };
        if right {
            list.push(After { on, condition, span });
            continue;
        }
        let (kind, instead) = if symbol.is_task { ("task", "done") } else { ("service", "ready") };
        let message = format!("a {kind} cannot be `{}`", condition.word());
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, message).at(entry.node.span, format!("`{name}` is a {kind}")).fix(
                entry.node.span,
                format!("\"{instead}\""),
                format!("write `{instead}`"),
            ),
        );
    }
    list.into()
}
