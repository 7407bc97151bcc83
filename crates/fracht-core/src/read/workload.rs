//! `[service.NAME]` and `[task.NAME]`.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rayon::iter::ParallelIterator as _;
use rayon::slice::ParallelSlice as _;

use super::fields::{Fields, one_of};
use super::health::PodPorts;
use super::{Own, Reader, container, port, right};
use crate::diag::Diagnostic;
use crate::diag::suggest::Unknown;
use crate::grammar::name::{is_label_of_cluster, is_label_value};
use crate::grammar::{duration, platform, schedule, share};
use crate::model::{
    After, Condition, Helper, Kind, List, Mount, Mounted, NetworkId, Over, Overlap, Port, Replicas, Rollout,
    Scratch, SecretId, ServicePart, Spread, TaskPart, Text, Workload,
};
use crate::origin::At;
use crate::resolve::Allow;
use crate::source::Span;
use crate::tree::{Entry, Node, Value};

/// Below this many services and tasks threads cost more than they save.
const WORTH_THREADS: usize = 500;
/// How many each thread reads at a turn.
const PER_THREAD: usize = 250;

/// Reads every service and task. The order is that in which the names were gathered.
pub(super) fn read_all(reader: &mut Reader<'_>, root: &Node) -> List<Workload> {
    let tables = |kind| root.at(&[kind]).and_then(Node::table).into_iter().flatten();
    let services = tables("service").map(|(name, entry)| (false, name, entry));
    let all: Vec<_> = services.chain(tables("task").map(|(name, entry)| (true, name, entry))).collect();
    if all.len() < WORTH_THREADS {
        return all
            .into_iter()
            .filter_map(|(is_task, name, entry)| one(reader, is_task, name, entry))
            .collect();
    }
    let mut workloads = Vec::with_capacity(all.len());
    // By turns, so that each knows what has been found before it: of very many mistakes the last are only counted.
    for turn in all.chunks(rayon::current_num_threads() * PER_THREAD) {
        let lender = &*reader;
        let chunks: Vec<(Vec<Workload>, Own)> = turn
            .par_chunks(PER_THREAD)
            .map(|chunk| {
                let mut own = Own { sink: lender.sink.for_more(), cache: BTreeMap::new() };
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

/// Reads a service or a task; `None` for the second of two with one name.
fn one(reader: &mut Reader<'_>, is_task: bool, name: &Arc<str>, entry: &Entry) -> Option<Workload> {
    let first = reader.symbols.workload(name).map(|(_, symbol)| symbol.span);
    if first.is_none_or(|first| first == entry.key_span) {
        return Some(read(reader, is_task, name, entry));
    }
    let message = format!("A service and a task are both called `{name}`.");
    reader.sink.push(
        Diagnostic::new("defined-twice", message)
            .at(entry.key_span, "defined again here")
            .also(first, "first defined here")
            .help("Services and tasks share one set of names; rename one of the two."),
    );
    None
}

fn read(reader: &mut Reader<'_>, is_task: bool, name: &Arc<str>, entry: &Entry) -> Workload {
    reader.tainted = false;
    let fields = Fields::of(entry, reader);
    let owner = format!("{}.{name}", if is_task { "task" } else { "service" });
    reader.no_local_name(name, entry.key_span);
    let helpers: Vec<(&Arc<str>, &Entry)> =
        if is_task { Vec::new() } else { fields.map(reader, "beside").collect() };
    let ports = if is_task { Vec::new() } else { ports(reader, &owner, &fields, &helpers) };
    let main =
        container::read(reader, &owner, &fields, (!is_task).then_some(PodPorts { all: &ports, of: None }));
    let helpers = helpers
        .into_iter()
        .enumerate()
        .map(|(index, (helper, entry))| {
            check_name(reader, name, helper, entry.key_span);
            let fields = Fields::of(entry, reader);
            let own = PodPorts { all: &ports, of: Some(index) };
            let container = container::read(reader, &format!("{owner}.beside.{helper}"), &fields, Some(own));
            Helper { name: Arc::clone(helper), span: entry.key_span, container }
        })
        .collect();
    let workload = Workload {
        name: Arc::clone(name),
        span: fields.span,
        tainted: false,
        kind: if is_task { task(reader, &owner, &fields) } else { service(reader, &owner, &fields, ports) },
        main,
        helpers,
        networks: networks(reader, &fields),
        after: after(reader, name, &fields),
        // The pods of a task are one after the other.
        spread: if is_task { None } else { spread(reader, &fields) },
        place: place(reader, &fields),
        platform: fields.small(reader, "platform", platform::parse),
        rights: right::read_all(reader, &owner, &fields),
        role: fields.plain(reader, "role"),
        labels: labels(reader, &fields),
        notes: notes(reader, &owner, &fields),
        pull: pull(reader, &fields),
        stop_within: fields.small(reader, "stop-within", duration::parse),
    };
    shared_folders(reader, &workload);
    Workload { tainted: reader.tainted, ..workload }
}

/// The containers of a pod have names of their own: that of the service, of its helpers, of its gates.
fn check_name(reader: &mut Reader<'_>, service: &str, helper: &str, span: Span) {
    if helper != service && !helper.starts_with("wait-for-") {
        return;
    }
    reader.tainted = true;
    reader.sink.push(
        Diagnostic::new("bad-name", format!("A helper of service.{service} can't be called `{helper}`."))
            .at(span, "another container of the pod has that name")
            .help("Name it after what it does; names that begin with wait-for- are those of start gates."),
    );
}

/// The ports of a service and, behind them, those of its helpers.
fn ports(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    helpers: &[(&Arc<str>, &Entry)],
) -> Vec<Port> {
    let mut ports: Vec<Port> =
        fields.map(reader, "port").map(|(name, entry)| port::read(reader, owner, name, entry)).collect();
    for (index, (helper, entry)) in helpers.iter().enumerate() {
        let owner = format!("{owner}.beside.{helper}");
        let fields = Fields::of(entry, reader);
        for (name, entry) in fields.map(reader, "port") {
            let port = Port { helper: Some(index), ..port::read(reader, &owner, name, entry) };
            if let Some(first) = ports.iter().find(|known| known.name == port.name) {
                reader.tainted = true;
                reader.sink.push(
                    Diagnostic::new(
                        "defined-twice",
                        format!("Two ports of one pod are both called `{name}`."),
                    )
                    .at(port.span, "defined again here")
                    .also(first.span, "first defined here")
                    .help("A service and its helpers share one set of names of ports; rename one."),
                );
            }
            ports.push(port);
        }
    }
    ports
}

fn service(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>, ports: Vec<Port>) -> Kind {
    let rollout = match fields.entry("rollout") {
        Some(entry) => {
            let inner = Fields::of(entry, reader);
            let share = |reader: &mut Reader<'_>, key| inner.small(reader, key, share::parse);
            Rollout { surge: share(reader, "surge"), down: share(reader, "down") }
        }
        None => Rollout::default(),
    };
    if let (Some(surge), Some(down)) = (rollout.surge, rollout.down)
        && surge.value.is_zero()
        && down.value.is_zero()
    {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", format!("A rollout of {owner} can't begin."))
                .at(down.span(), "none fewer")
                .also(surge.span(), "none more")
                .help("Allow one more, surge = 1, or one fewer, down = 1."),
        );
    }
    let names = fields.boolean(reader, "stable-names");
    Kind::Service(ServicePart {
        ports,
        replicas: replicas(reader, owner, fields),
        rollout,
        stable_names: names.unwrap_or(At::defaulted(false, "the default of a service")),
    })
}

fn replicas(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> At<Replicas> {
    let one = At::defaulted(Replicas::Fixed(1), "the default of a service");
    let Some(entry) = fields.entry("replicas") else { return one };
    if !matches!(entry.node.value, Value::Table(_)) {
        let count = fields.number(reader, "replicas", 0..=100_000);
        return count.map_or(one, |count| count.map(Replicas::Fixed));
    }
    let inner = Fields::of(entry, reader);
    let count = |reader: &mut Reader<'_>, key| inner.number(reader, key, 1..=100_000);
    let (min, max) = (count(reader, "min"), count(reader, "max"));
    let cpu = inner.small(reader, "cpu", share::percent).map_or(80, |cpu| cpu.value);
    if max.is_none() && inner.lacks("max") {
        reader.missing(&format!("replicas of {owner}"), entry.key_span, "max", "8");
    }
    let (least, most) = (min.map_or(1, |min| min.value), max.map_or(1, |max| max.value));
    if let (true, Some(max)) = (least > most, max) {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new(
                "bad-value",
                format!("{owner} has at least {least} and at the most {most} replicas."),
            )
            .at(max.span(), "less than `min`")
            .help("Let `max` be at least `min`."),
        );
    }
    At { value: Replicas::Growing { min: least, max: most, cpu }, origin: entry.node.origin() }
}

fn task(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Kind {
    let retries = fields.number(reader, "retries", 0..=100);
    let schedule = fields.small(reader, "schedule", schedule::parse);
    let overlap = fields.word(reader, "overlap", &Overlap::WORDS);
    for key in ["zone", "overlap"] {
        if let (Some(entry), None) = (fields.entry(key), fields.node("schedule")) {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} has no schedule that `{key}` could be for."))
                    .at(entry.key_span, "does nothing")
                    .help("Add one, such as schedule = \"15 3 * * *\", or remove it."),
            );
        }
    }
    Kind::Task(TaskPart {
        retries: retries.unwrap_or(At::defaulted(3, "the default of a task")),
        timeout: fields.small(reader, "timeout", duration::some),
        schedule,
        zone: fields.plain(reader, "zone"),
        overlap: overlap.unwrap_or(At::defaulted(Overlap::Skip, "the default of a task")),
    })
}

fn spread(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Spread> {
    let entry = fields.entry("spread")?;
    let avoided = At::defaulted(false, "the default of a spread");
    if !matches!(entry.node.value, Value::Table(_)) {
        return fields.word(reader, "spread", &Over::WORDS).map(|over| Spread { over, strict: avoided });
    }
    let inner = Fields::of(entry, reader);
    if inner.lacks("over") {
        reader.missing("This spread", entry.key_span, "over", "\"node\"");
    }
    let over = inner.word(reader, "over", &Over::WORDS)?;
    Some(Spread { over, strict: inner.boolean(reader, "strict").unwrap_or(avoided) })
}

/// A table of names and texts that are known when objects are made.
fn settings(reader: &mut Reader<'_>, fields: &Fields<'_>, key: &str) -> Vec<(Arc<str>, Text)> {
    let entries = fields.map(reader, key);
    entries
        .filter_map(|(name, entry)| Some((Arc::clone(name), reader.text(&entry.node, Allow::Names)?)))
        .collect()
}

/// Labels: their values are label values, and those that Fracht makes are its own.
fn labels(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<(Arc<str>, Text)> {
    let labels = settings(reader, fields, "label");
    let own = |name: &str| name.starts_with("app.kubernetes.io/") || name.starts_with("fracht/");
    refuse(
        reader,
        fields,
        "label",
        own,
        "set by Fracht",
        "take another name; for `component` the key is `role`",
    );
    refuse(reader, fields, "label", is_label_of_cluster, "set by the cluster", "take another name");
    label_values(reader, &labels);
    labels
}

/// Notes are annotations; those that Fracht makes are its own.
fn notes(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Vec<(Arc<str>, Text)> {
    refuse(reader, fields, "note", |name| name.starts_with("fracht/"), "set by Fracht", "take another name");
    let notes = settings(reader, fields, "note");
    let size: usize = notes.iter().map(|(name, text)| name.len() + text.plain().len()).sum();
    let largest = notes.iter().map(|(_, text)| text).max_by_key(|text| text.plain().len());
    if let (Some(largest), true) = (largest, size > MOST_OF_NOTES) {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", format!("the notes of `{owner}` have {size} bytes"))
                .at(largest.origin.span(), format!("at most {MOST_OF_NOTES} bytes together"))
                .help("keep long texts in a config"),
        );
    }
    notes
}

/// The bytes that a cluster takes for the annotations of an object (262144), less room for the digests of configs.
const MOST_OF_NOTES: usize = (256 << 10) - (4 << 10);

/// Labels of nodes: what `platform` says of a node is not said here as well.
fn place(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<(Arc<str>, Text)> {
    let place = settings(reader, fields, "place");
    if fields.node("platform").is_some() {
        let of_platform = |name: &str| matches!(name, "kubernetes.io/os" | "kubernetes.io/arch");
        let help = "remove it, or remove `platform`";
        refuse(reader, fields, "place", of_platform, "set by `platform`", help);
    }
    label_values(reader, &place);
    place
}

/// Reports names in a table that somebody else sets.
fn refuse(
    reader: &mut Reader<'_>,
    fields: &Fields<'_>,
    key: &str,
    is_taken: impl Fn(&str) -> bool,
    by: &str,
    help: &str,
) {
    let names: Vec<_> = fields.map(reader, key).filter(|(name, _)| is_taken(name)).collect();
    for (name, entry) in names {
        reader.tainted = true;
        let message = format!("the {key} `{name}` cannot be set");
        reader.sink.push(Diagnostic::new("bad-value", message).at(entry.key_span, by).help(help));
    }
}

fn label_values(reader: &mut Reader<'_>, labels: &[(Arc<str>, Text)]) {
    for (_, value) in labels.iter().filter(|(_, value)| value.is_resolved()) {
        let plain = value.plain();
        if is_label_value(&plain) {
            continue;
        }
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", format!("`{plain}` is not the value of a label"))
                .at(value.origin.span(), "too long, or other characters")
                .help("use at most 63 letters, digits, -, _ and ., with a letter or digit at both ends"),
        );
    }
}

/// What containers of one pod share is one folder, of one size.
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
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", format!("the shared folder `{name}` has two sizes"))
                .at(mount.origin.span(), format!("{other} here"))
                .also(first.origin.span(), format!("{one} here"))
                .help(format!("write one size in both: `{{ scratch = \"{one}\", shared = \"{name}\" }}`"))
                .help("or remove `shared`: each container then has a folder of its own"),
        );
    }
}

fn pull(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<At<SecretId>> {
    let Some(node) = fields.node("pull") else { return Vec::new() };
    let items: &[Node] =
        if let Value::List(items) = &node.value { items } else { std::slice::from_ref(node) };
    items.iter().filter_map(|item| reader.secret_with(item, &[".dockerconfigjson"])).collect()
}

fn networks(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<At<NetworkId>> {
    let names = fields.plains(reader, "network").unwrap_or_default();
    let mut networks: Vec<At<NetworkId>> = Vec::new();
    let mut known = BTreeSet::new();
    for name in names {
        match (reader.symbols.network(&name.value), name.span()) {
            (Some(id), _) => {
                if known.insert(id) {
                    networks.push(At { value: id, origin: name.origin });
                }
            }
            (None, Some(span)) => {
                reader.tainted = true;
                let unknown = Unknown { what: "network", name: &name.value, span, exact: false };
                unknown.report(|| reader.symbols.names("network"), reader.sink);
            }
            (None, None) => {}
        }
    }
    networks
}

fn after(reader: &mut Reader<'_>, own: &str, fields: &Fields<'_>) -> Vec<After> {
    let mut list = Vec::new();
    for (name, entry) in fields.map(reader, "after") {
        let span = entry.key_span;
        let Some((on, symbol)) = reader.symbols.workload(name) else {
            let unknown = Unknown { what: "service or task", name, span, exact: true };
            let others = || reader.symbols.names("workload").into_iter().filter(|other| *other != own);
            unknown.report(others, reader.sink);
            reader.tainted = true;
            continue;
        };
        let Some(condition) = one_of(&entry.node, &Condition::WORDS) else {
            reader.lose(entry.node.span);
            continue;
        };
        if symbol.is_scheduled {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new(
                    "bad-value",
                    format!("{name} runs at times of its own: nobody can wait for it."),
                )
                .at(span, "has a schedule")
                .help("Take the wait away, or move what is needed into a task without a schedule."),
            );
            continue;
        }
        let right = if symbol.is_task { condition != Condition::Ready } else { condition != Condition::Done };
        if right {
            list.push(After { on, condition, span });
            continue;
        }
        let (kind, instead) = if symbol.is_task { ("task", "done") } else { ("service", "ready") };
        let message = format!("A {kind} is never `{}`.", condition.word());
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", message)
                .at(entry.node.span, format!("{name} is a {kind}"))
                .help("Services are `started` and then `ready`; tasks are `started` and then `done`.")
                .fix(entry.node.span, format!("\"{instead}\""), format!("write `{instead}`")),
        );
    }
    list
}
