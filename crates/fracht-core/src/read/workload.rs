//! `[service.NAME]` and `[task.NAME]`.

use std::sync::Arc;

use super::fields::{Fields, one_of};
use super::{Reader, health, mount, port};
use crate::diag::Diagnostic;
use crate::grammar::image::{self, Image};
use crate::grammar::{duration, quantity, user};
use crate::model::{After, Condition, Kind, List, NetworkId, ServicePart, TaskPart, Variable, Workload};
use crate::origin::At;
use crate::resolve::{Allow, Unknown};
use crate::tree::{Entry, Node};

/// Reads every service and task. The order is that in which the names were gathered.
pub(super) fn read_all(reader: &mut Reader<'_>, root: &Node) -> List<Workload> {
    let mut workloads = Vec::new();
    for kind in ["service", "task"] {
        for (name, entry) in root.at(&[kind]).and_then(Node::table).into_iter().flatten() {
            let first = reader.symbols.workload(name).map(|(_, symbol)| symbol.span);
            if first.is_none_or(|first| first == entry.key_span) {
                workloads.push(read(reader, kind == "task", name, entry));
            } else {
                let message = format!("A service and a task are both called `{name}`.");
                reader.sink.push(
                    Diagnostic::new("defined-twice", message)
                        .at(entry.key_span, "defined again here")
                        .also(first, "first defined here")
                        .help("Services and tasks share one set of names; rename one of the two."),
                );
            }
        }
    }
    workloads.into_iter().collect()
}

fn read(reader: &mut Reader<'_>, is_task: bool, name: &Arc<str>, entry: &Entry) -> Workload {
    reader.tainted = false;
    let fields = Fields::of(entry, reader);
    let owner = format!("{}.{name}", if is_task { "task" } else { "service" });
    let kind = if is_task { task(reader, &fields) } else { service(reader, &owner, &fields) };
    let workload = Workload {
        name: Arc::clone(name),
        span: fields.span,
        tainted: false,
        kind,
        image: read_image(reader, &owner, &fields),
        program: fields.texts(reader, "program"),
        args: fields.texts(reader, "args"),
        workdir: fields.plain(reader, "workdir"),
        user: fields.small(reader, "user", user::parse),
        env: env(reader, &fields),
        mounts: mounts(reader, &fields),
        networks: networks(reader, &fields),
        after: after(reader, name, &fields),
        cpu: fields.small(reader, "cpu", quantity::cpu_bounds),
        memory: fields.small(reader, "memory", quantity::byte_bounds),
    };
    Workload { tainted: reader.tainted, ..workload }
}

fn service(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Kind {
    let ports: Vec<_> =
        fields.map(reader, "port").map(|(name, entry)| port::read(reader, owner, name, entry)).collect();
    let replicas = fields.number(reader, "replicas", 0..=100_000);
    let health = fields.entry("health").map(|entry| health::read(reader, owner, entry, &ports));
    Kind::Service(ServicePart {
        ports,
        replicas: replicas.unwrap_or(At::defaulted(1, "the default of a service")),
        health,
    })
}

fn task(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Kind {
    let retries = fields.number(reader, "retries", 0..=100);
    Kind::Task(TaskPart {
        retries: retries.unwrap_or(At::defaulted(3, "the default of a task")),
        timeout: fields.small(reader, "timeout", duration::parse),
    })
}

fn read_image(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> At<Image> {
    let none = || At::defaulted(Image::default(), "nothing else");
    if let Some(build) = fields.plain(reader, "build") {
        if let Some(entry) = fields.entry("image") {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} has an image and a build."))
                    .at(entry.key_span, "`build` is given as well")
                    .help("Keep one of the two."),
            );
        }
        let image = reader.builds.get(&build.value).cloned();
        if let (None, Some(span)) = (&image, build.span()) {
            let unknown = Unknown { what: "build", name: &build.value, span, exact: false };
            reader.tainted = true;
            reader.sink.push(unknown.among(reader.builds.keys().map(|name| &**name)));
        }
        return image.map_or_else(none, |value| At { value, origin: build.origin });
    }
    if fields.node("image").is_none() {
        // A target that lays something over a name that there is not looks like this.
        let names = reader.symbols.names("workload");
        let name = owner.split_once('.').map_or(owner, |(_, name)| name);
        let others: Vec<&str> = names.into_iter().filter(|other| *other != name).collect();
        let near = crate::diag::suggest::nearest(name, others).map(str::to_owned);
        reader.tainted = true;
        let mut problem = Diagnostic::new("missing-key", format!("{owner} has no `image`."))
            .at(fields.span, "`image` is missing")
            .help("Add it, for example: image = \"registry.example/tidedesk/gateway:2.1\"");
        if let Some(near) = near {
            problem = problem.help(format!("Or did you mean `{near}`?"));
        }
        reader.sink.push(problem);
    }
    let Some(text) = fields.node("image").and_then(|node| reader.text(node, Allow::Names)) else {
        return none();
    };
    let plain = text.plain();
    match image::parse(&plain) {
        Ok(value) => At { value, origin: text.origin },
        // Without references the check of shapes has said so.
        Err(_) if text.is_plain() => none(),
        Err(reason) => {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new(
                    "bad-value",
                    format!("The image of {owner} comes to `{plain}`, which is none."),
                )
                .at(text.origin.span(), "with its references resolved")
                .help(format!("Here {reason}.")),
            );
            none()
        }
    }
}

fn env(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<Variable> {
    fields
        .map(reader, "env")
        .filter_map(|(name, entry)| {
            let value = reader.text(&entry.node, Allow::All)?;
            Some(Variable { name: Arc::clone(name), name_span: entry.key_span, value })
        })
        .collect()
}

fn mounts(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<crate::model::Mount> {
    fields.map(reader, "mount").filter_map(|(path, entry)| mount::read(reader, path, entry)).collect()
}

fn networks(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<At<NetworkId>> {
    let names = fields.plains(reader, "network").unwrap_or_default();
    let mut networks: Vec<At<NetworkId>> = Vec::new();
    for name in names {
        match (reader.symbols.network(&name.value), name.span()) {
            (Some(id), _) => {
                if !networks.iter().any(|known| known.value == id) {
                    networks.push(At { value: id, origin: name.origin });
                }
            }
            (None, Some(span)) => {
                reader.tainted = true;
                let unknown = Unknown { what: "network", name: &name.value, span, exact: false };
                let problem = unknown.among(reader.symbols.names("network"));
                reader.sink.push(problem);
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
            let others = reader.symbols.names("workload");
            let problem = unknown.among(others.into_iter().filter(|other| *other != own));
            reader.tainted = true;
            reader.sink.push(problem);
            continue;
        };
        let Some(condition) = one_of(&entry.node, &Condition::WORDS) else {
            reader.lose(entry.node.span);
            continue;
        };
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
