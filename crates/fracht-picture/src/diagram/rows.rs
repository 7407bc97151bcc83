//! The box of a service or a task, with its rows, and the address of a way in.

use std::collections::BTreeSet;

use fracht_core::grammar::image::Image;
use fracht_core::grammar::schedule::Schedule;
use fracht_core::grammar::word::Word as _;
use fracht_core::model::{
    ConfigId, Container, Kind, Model, Mounted, Part, Protocol, Replicas, SecretId, UseSource, VolumeId,
    Workload, WorkloadId,
};
use fracht_core::plan::external::ExternalAddress;

use super::build::Builder;
use super::{Inner, Node, NodeKind, OPEN_STORE, PortRow, Row, Sign, Text};

impl Builder<'_> {
    pub(super) fn workload(&self, id: WorkloadId, workload: &Workload) -> Node {
        let model = self.model;
        let is_store = model.store(&workload.main).is_some();
        let is_open = model.opened_ports(workload).next().is_some();
        let (kind, tag) = match &workload.kind {
            Kind::Service(_) if is_store && is_open => (NodeKind::Service, Some(OPEN_STORE)),
            Kind::Service(_) if is_store => (NodeKind::Service, Some("data store, not open")),
            Kind::Service(_) => (NodeKind::Service, None),
            Kind::Task(_) => (NodeKind::Task, Some("task")),
        };
        let copies = workload.service().and_then(|service| match service.replicas.value {
            Replicas::Fixed(1) => None,
            Replicas::Fixed(count) => Some(format!("×{count}")),
            Replicas::Growing { min, max, .. } => Some(format!("×{min}–{max}")),
        });
        let ports = workload.ports().iter().map(|port| {
            let number = match port.as_number {
                Some(inner) if inner.value != port.number.value => {
                    format!("{} as {}", port.number.value, inner.value)
                }
                _ => port.number.value.to_string(),
            };
            PortRow {
                name: port.name.to_string(),
                number: match port.protocol {
                    Protocol::Tcp => number,
                    other => format!("{number}/{}", other.word()),
                },
                open: model.is_opened(workload, port),
                used: false,
            }
        });
        let inner = workload.sidecars.iter().map(|sidecar| Inner {
            name: if sidecar.once { format!("{} (once)", sidecar.name) } else { sidecar.name.to_string() },
            line: image(&sidecar.container.image.value),
        });
        let groups = match workload.networks.as_ref() {
            [] if !model.networks.is_empty() => vec![model.networks.len()],
            networks => {
                let set: BTreeSet<usize> = networks.iter().map(|network| network.value.index()).collect();
                set.into_iter().collect()
            }
        };
        let mut rows = Vec::new();
        if let Kind::Task(task) = &workload.kind {
            let when = match task.schedule.as_ref().map(|schedule| &schedule.value) {
                None => "once, for each version".to_owned(),
                Some(Schedule::OnDemand) => "on demand".to_owned(),
                Some(Schedule::Times(times)) => format!("at {times}"),
            };
            rows.push(Row { sign: Sign::Time, name: String::new(), more: when });
        }
        rows.extend(self.rows(workload));
        Node {
            kind,
            name: workload.name.to_string(),
            tag: tag.map(str::to_owned),
            copies,
            line: Some(image(&workload.main.image.value)),
            ports: ports.collect(),
            rows,
            inner: inner.collect(),
            groups,
            wave: self.facts.order.wave(id).filter(|_| !workload.is_scheduled()),
            is_stuck: self.facts.order.wave(id).is_none(),
        }
    }

    fn rows(&self, workload: &Workload) -> Vec<Row> {
        let (model, mut rows) = (self.model, Vec::new());
        for id in volumes(workload).into_iter().filter(|id| !self.shared.contains_key(id)) {
            let volume = &model.volumes[id];
            let each = if volume.each.value { " each" } else { "" };
            rows.push(Row {
                sign: Sign::Volume,
                name: volume.name.to_string(),
                more: size(model, id) + each,
            });
        }
        let mounts = || workload.containers().flat_map(|container| &container.mounts);
        for mount in mounts() {
            if let Mounted::Folder(path) = &mount.what {
                let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                rows.push(Row { sign: Sign::Folder, name, more: "folder".to_owned() });
            }
        }
        let (mut configs, mut secrets) = (BTreeSet::new(), BTreeSet::new());
        for container in workload.containers() {
            sources(container, &mut configs, &mut secrets);
        }
        if self.choice.configs {
            let names = configs.into_iter().map(|id| model.configs[id].name.to_string());
            rows.extend(names.map(|name| Row { sign: Sign::Config, name, more: "config".to_owned() }));
        }
        if self.choice.secrets {
            let names = secrets.into_iter().map(|id| model.secrets[id].name.to_string());
            rows.extend(names.map(|name| Row { sign: Sign::Secret, name, more: "secret".to_owned() }));
        }
        for other in workload.behind() {
            let more = format!("answers at {} as well", model.workloads[other.value].name);
            rows.push(Row { sign: Sign::Behind, name: String::new(), more });
        }
        rows
    }
}

/// A reference to an image without its registry: who reads a picture knows it.
fn image(image: &Image) -> Text {
    let tag = image.tag().map_or_else(String::new, |tag| format!(":{tag}"));
    let digest = image
        .digest()
        .map_or_else(String::new, |digest| format!("@{}…", digest.chars().take(14).collect::<String>()));
    Text { shown: format!("{}{tag}{digest}", image.repository()), whole: image.text().to_string() }
}

/// The volumes that a workload mounts, each once.
pub(super) fn volumes(workload: &Workload) -> BTreeSet<VolumeId> {
    let mounts = workload.containers().flat_map(|container| &container.mounts);
    mounts
        .filter_map(|mount| match mount.what {
            Mounted::Volume(id) => Some(id),
            _ => None,
        })
        .collect()
}

pub(super) fn size(model: &Model, id: VolumeId) -> String {
    let volume = &model.volumes[id];
    match (&volume.size, &volume.present) {
        (Some(size), _) => size.value.to_string(),
        (None, Some(claim)) => format!("claim {}", claim.value),
        (None, None) => String::new(),
    }
}

/// Adds the configs and secrets of a container.
fn sources(container: &Container, configs: &mut BTreeSet<ConfigId>, secrets: &mut BTreeSet<SecretId>) {
    for used in &container.uses {
        match used.source {
            UseSource::Config(id) => _ = configs.insert(id),
            UseSource::Secret(id) => _ = secrets.insert(id),
        }
    }
    for mount in &container.mounts {
        match mount.what {
            Mounted::Config(id, _) => _ = configs.insert(id),
            Mounted::Secret(id, _) => _ = secrets.insert(id),
            _ => {}
        }
    }
    for part in container.texts().flat_map(|(_, text)| &text.parts) {
        match part {
            Part::Config(id, _) => _ = configs.insert(*id),
            Part::Secret(id, _) => _ = secrets.insert(*id),
            _ => {}
        }
    }
}

/// An address of the world, and a line about it.
pub(super) fn address(addresses: &[ExternalAddress], protocol: Protocol) -> (String, String) {
    let protocol = match protocol {
        Protocol::Tcp => String::new(),
        other => format!(", {}", other.word()),
    };
    let range = |first: u16| match addresses.last() {
        Some(ExternalAddress::Machine(last)) if *last != first => format!("–{last}"),
        _ => String::new(),
    };
    match addresses.first() {
        None => ("?".to_owned(), "no address".to_owned()),
        Some(ExternalAddress::Machine(number)) => {
            (format!("localhost:{number}{}", range(*number)), format!("this machine{protocol}"))
        }
        Some(ExternalAddress::Node(Some(number))) => (format!(":{number}"), format!("any node{protocol}")),
        Some(ExternalAddress::Node(None)) => {
            ("a port of the nodes".to_owned(), format!("chosen by the cluster{protocol}"))
        }
        Some(ExternalAddress::Balancer(number)) => {
            (format!(":{number}"), format!("address of its own{protocol}"))
        }
        Some(ExternalAddress::Web { tls, host, path }) => {
            (format!("{}://{host}{path}", if *tls { "https" } else { "http" }), String::new())
        }
    }
}
