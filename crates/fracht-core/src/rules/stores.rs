//! Rules on data stores: widely used open-source ones, which `model/store` lists, and those of `[store.NAME]`.

use super::Rule;
use super::written::Owner;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{
    Access, Address, Container, Model, Mounted, Part, Reach, Store, TargetKind, Text, Workload,
    is_port_of_store,
};

/// The containers of services that run a data store. One that runs once uses its client.
fn stores(model: &Model) -> impl Iterator<Item = (Owner<'_>, &Workload, &Container, Store<'_>)> {
    let runs =
        |workload: &&Workload| workload.service().is_some_and(|service| service.replicas.value.most() > 0);
    model.workloads.iter().filter(runs).flat_map(move |workload| {
        Owner::of(workload)
            .filter(|(owner, _)| !matches!(owner, Owner::Container(_, Some(sidecar)) if sidecar.once))
            .filter_map(move |(owner, container)| Some((owner, workload, container, model.store(container)?)))
    })
}

pub(super) static STORE_EXPOSED: Rule = Rule {
    name: "store-exposed",
    severity: Severity::Warning,
    summary: "The port of a data store is open to the outside",
    why: "Everybody who reaches the cluster can try passwords on it; only the entry of a stack should be open.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
            port.sql = { number = 5432, reach = \"node\" }\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
             port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\n",
    ..Rule::BASE
};

pub(super) fn store_exposed(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return; // on a machine, open ports are on localhost
    }
    for workload in &model.workloads {
        let store = model.store(&workload.main);
        for port in workload.open_ports() {
            let of_store = port.sidecar.is_none()
                && store
                    .as_ref()
                    .is_some_and(|store| store.ports.is_empty() || store.ports.contains(&port.number.value));
            if !of_store && !is_port_of_store(port.number.value) {
                continue;
            }
            let place = match port.reach.value {
                Reach::Node => "on every node",
                Reach::Balancer => "at an address of its own",
                Reach::Web | Reach::Stack => "on the web",
            };
            let message = format!("the data store `{}` is open {place}", workload.reference());
            let problem = Diagnostic::new(&STORE_EXPOSED, message)
                .at(
                    port.reach.span().unwrap_or(port.span),
                    format!("port {} of a data store", port.number.value),
                )
                .help("remove `reach`: services of the stack reach it anyway")
                .help("or if it is meant, say why: `allow.store-exposed = \"REASON\"` in its table");
            sink.push(problem.of(workload.span));
        }
    }
}

pub(super) static DATA_UNKEPT: Rule = Rule {
    name: "data-unkept",
    severity: Severity::Warning,
    summary: "A data store keeps its data in the container",
    why: "A container that is replaced takes its data with it: after the next update the store is empty.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\nport.sql = 5432\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
             port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\n",
    ..Rule::BASE
};

/// Whether one path is the other, or above or below it.
fn meet(one: &str, other: &str) -> bool {
    let within = |inner: &str, outer: &str| {
        inner
            .strip_prefix(outer.trim_end_matches('/'))
            .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    };
    within(one, other) || within(other, one)
}

/// The folders that have the data of a store, with that of its variable.
fn data<'m>(container: &'m Container, store: &Store<'m>) -> Vec<String> {
    let of_variable =
        container.env.iter().filter(|variable| ["PGDATA", "MYSQL_DATADIR"].contains(&&*variable.name));
    let of_variable = of_variable.map(|variable| variable.value.plain());
    store.data.iter().map(ToString::to_string).chain(of_variable).collect()
}

pub(super) fn data_unkept(model: &Model, sink: &mut Sink) {
    for (owner, workload, container, store) in stores(model) {
        if store.data.is_empty() || workload.unread.has(&["mount", "image", "build"]) {
            continue;
        }
        let data = data(container, &store);
        if container.mounts.iter().any(|mount| data.iter().any(|path| meet(&mount.path, path))) {
            continue;
        }
        let path = store.data.first().copied().unwrap_or_default();
        let message = format!("the data of `{}` is in the container", owner.reference());
        let problem = Diagnostic::new(&DATA_UNKEPT, message)
            .at(container.image.span().unwrap_or(owner.span()), format!("keeps its data at `{path}`"))
            .help(format!(
                "mount a volume there: `mount.\"{path}\" = \"volume.NAME\"`, and define `[volume.NAME]`"
            ))
            .help("or if it may be lost, mount `{ scratch = \"1Gi\" }`");
        sink.push(owner.owns(problem));
    }
}

pub(super) static FIRST_START_ONLY: Rule = Rule {
    name: "first-start-only",
    severity: Severity::Hint,
    summary: "A variable that counts only while the data is empty",
    why: "The store reads it when it creates its data. Later, or with data that exists already, it changes nothing.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\npresent = \"tides\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
            port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\nenv.POSTGRES_DB = \"tides\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
             port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\nenv.POSTGRES_DB = \"tides\"\n",
    ..Rule::BASE
};

pub(super) fn first_start_only(model: &Model, sink: &mut Sink) {
    for (owner, _, container, store) in stores(model) {
        let data = data(container, &store);
        let volume = container.mounts.iter().find_map(|mount| match mount.what {
            Mounted::Volume(id) if data.iter().any(|path| meet(&mount.path, path)) => {
                Some(&model.volumes[id])
            }
            _ => None,
        });
        let Some(volume) = volume else { continue };
        let exists = volume.present.as_ref().and_then(super::super::origin::Sourced::span);
        let exists = exists.or(volume.node_folder.as_ref().and_then(super::super::origin::Sourced::span));
        for variable in container.env.iter().filter(|variable| store.first_start.contains(&&*variable.name)) {
            let in_target = variable.value.origin.is_in_target();
            // A secret that differs is read from outside.
            let plain = variable.value.is_plain();
            let label = match (exists, in_target && plain) {
                (Some(_), _) => "counts only while the volume is empty",
                (None, true) => "a change counts only while the volume is empty",
                (None, false) => continue,
            };
            let message =
                format!("`{}` of `{}` counts at the first start only", variable.name, owner.reference());
            let problem = Diagnostic::new(&FIRST_START_ONLY, message)
                .at(variable.value.origin.span().unwrap_or(variable.name_span), label)
                .also(exists, "already exists")
                .help("change it in the store itself, and keep this value as it was at the first start")
                .help(
                    "or if the data is new here, say so: `allow.first-start-only = \"REASON\"` in its table",
                );
            sink.push(owner.owns(problem));
        }
    }
}

pub(super) static STORE_REPLICATED: Rule = Rule {
    name: "store-replicated",
    severity: Severity::Warning,
    summary: "Several replicas of a data store that knows nothing of the others",
    why: "Each replica is a store of its own: what is written to one is missing in the others.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\neach = true\n[service.db]\n\
            image = \"registry.example/postgres:16.4\"\nreplicas = 3\nport.sql = 5432\n\
            mount.\"/var/lib/postgresql/data\" = \"volume.v\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\n\
             image = \"registry.example/postgres:16.4\"\nport.sql = 5432\n\
             mount.\"/var/lib/postgresql/data\" = \"volume.v\"\n",
    ..Rule::BASE
};

/// Whether a text says that replicas form one store.
fn says_cluster(text: &str) -> bool {
    let small = text.to_ascii_lowercase();
    [
        "cluster", "replica", "replset", "sentinel", "galera", "primary", "leader", "patroni", "master",
        "slave", "seed", "peer", "join", "quorum",
    ]
    .iter()
    .any(|word| small.contains(word))
}

/// Whether the settings of a container have an address of its own service: its replicas know each other.
fn names_itself(model: &Model, workload: &Workload, container: &Container) -> bool {
    let is_own = |address: &Address| matches!(address, Address::Service(id, _) if model.workloads[*id].name == workload.name);
    let in_texts = container.texts().flat_map(|(_, text)| &text.parts);
    let in_secrets = container.mounts.iter().filter_map(|mount| match mount.what {
        Mounted::Secret(id, _) => Some(&model.secrets[id].addresses),
        _ => None,
    });
    in_texts.filter_map(Part::address).any(|address| is_own(&address))
        || in_secrets.flatten().any(|found| is_own(&found.address))
}

pub(super) fn store_replicated(model: &Model, sink: &mut Sink) {
    for (owner, workload, container, store) in stores(model).filter(|(.., store)| store.is_single) {
        let Some(service) = workload.service() else { continue };
        let count = service.replicas.value.most();
        let texts = || {
            container
                .texts()
                .map(|(variable, text)| (variable.map_or("", |one| &*one.name), text.plain_text()))
        };
        let configured = texts().any(|(name, text)| says_cluster(name) || says_cluster(&text));
        // Its own files, and those of what prepares its pod.
        let before =
            workload.sidecars.iter().filter(|sidecar| sidecar.once).map(|sidecar| &sidecar.container);
        let mut mounts = std::iter::once(container).chain(before).flat_map(|one| &one.mounts);
        let by_files = mounts.any(|mount| matches!(mount.what, Mounted::Config(..)));
        if count < 2 || configured || by_files || names_itself(model, workload, container) {
            continue;
        }
        // Two pods that share its files are reported as such.
        let shared = container.mounts.iter().any(|mount| match mount.what {
            Mounted::Volume(id) => {
                let volume = &model.volumes[id];
                !volume.each.value && matches!(volume.access.value, Access::OneNode | Access::OnePod)
            }
            _ => false,
        });
        if shared && model.target.on.value == TargetKind::Cluster {
            continue;
        }
        let message =
            format!("the {count} replicas of `{}` are {count} separate data stores", owner.reference());
        let problem = Diagnostic::new(&STORE_REPLICATED, message)
            .at(service.replicas.span().unwrap_or(workload.span), format!("`{}` does not copy by itself", store.name))
            .also(container.image.span(), "the data store")
            .help("run one: `replicas = 1`")
            .help("or if they are joined by other means, say how: `allow.store-replicated = \"REASON\"` in its table");
        sink.push(owner.owns(problem));
    }
}

pub(super) static LOGIN_MISSING: Rule = Rule {
    name: "login-missing",
    severity: Severity::Warning,
    summary: "A login that the data store never creates",
    why: "The store refuses the connection: it has another user.",
    fails: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
            port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\nenv.POSTGRES_USER = \"tide\"\n\
            [service.a]\nimage = \"a:1.0\"\nenv.DB = \"postgres://tides@{service.db/sql}/x\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.v]\nsize = \"1Gi\"\n[service.db]\nimage = \"registry.example/postgres:16.4\"\n\
             port.sql = 5432\nmount.\"/var/lib/postgresql/data\" = \"volume.v\"\nenv.POSTGRES_USER = \"tide\"\n\
             [service.a]\nimage = \"a:1.0\"\nenv.DB = \"postgres://tide@{service.db/sql}/x\"\n",
    ..Rule::BASE
};

/// The user in an address, and the service that it leads to: `scheme://USER:…@{service.NAME/PORT}`.
fn login(text: &Text) -> Option<(String, crate::model::WorkloadId)> {
    let mut before = String::new();
    for part in &text.parts {
        match part {
            Part::Known { address: Some(Address::Service(id, _)), .. } if before.ends_with('@') => {
                let (_, login) = before.rsplit_once("://")?;
                let user = login.trim_end_matches('@').split(':').next()?;
                let plain = !user.is_empty() && !user.contains('\0');
                return plain.then(|| (user.to_owned(), *id));
            }
            Part::Plain(text) | Part::Known { text, .. } => before.push_str(text),
            // Not known here.
            Part::Config(..) | Part::Secret(..) | Part::Pod(_) | Part::Unresolved => before.push('\0'),
        }
    }
    None
}

pub(super) fn login_missing(model: &Model, sink: &mut Sink) {
    for (owner, container) in Owner::containers(model) {
        for (_, text) in container.texts() {
            let Some((user, id)) = login(text) else { continue };
            let other = &model.workloads[id];
            let Some(store) = model.store(&other.main) else { continue };
            let Some((variable, default)) = store.login else { continue };
            // Scripts of the first start, and data that exists already, may have any user.
            let has_scripts = other.main.mounts.iter().any(|mount| {
                mount.path.contains("initdb")
                    || matches!(mount.what, Mounted::Volume(id) if model.volumes[id].present.is_some())
            });
            if has_scripts || user == "root" || other.unread.has(&["use", "env"]) {
                continue;
            }
            let used = other.main.uses.iter().any(|used| {
                model.used_keys(used).iter().any(|part| match part {
                    Part::Config(_, key) | Part::Secret(_, key) => used.variable(key) == variable,
                    _ => false,
                })
            });
            let set = other.main.env.iter().find(|one| *one.name == *variable);
            let (own, span) = match (set, default) {
                (Some(set), _) if set.value.parts.iter().all(|part| part.known().is_some()) => {
                    (set.value.plain(), set.value.origin.span())
                }
                (None, Some(default)) if !used => (default.to_owned(), None),
                _ => continue,
            };
            if own == user {
                continue;
            }
            let label = format!("the user of `{}` is `{own}`", other.reference());
            let problem = Diagnostic::new(
                &LOGIN_MISSING,
                format!(
                    "`{}` logs in to `{}` as `{user}`, which it does not create",
                    owner.reference(),
                    other.reference()
                ),
            )
            .at(text.origin.span(), label)
            .also(span, "creates this one")
            .help(format!(
                "use that user, or set `env.{variable} = \"{user}\"` in `[{}]`",
                other.reference()
            ));
            sink.push(owner.owns(problem));
        }
    }
}
