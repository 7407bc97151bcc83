//! The rule on unused definitions.

use std::collections::{BTreeMap, BTreeSet};

use super::settings;
use crate::diag::reading::UNUSED;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::reference::RefKind;
use crate::grammar::word::Word;
use crate::model::{Address, Model, Mount, Mounted, Part, Scratch, UseSource};
use crate::source::Span;

pub(super) fn unused(model: &Model, sink: &mut Sink) {
    if model.incomplete {
        return; // what could not be read may be the use
    }
    let (mut volumes, mut configs, mut secrets) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    let (mut networks, mut outsides) = (BTreeSet::new(), BTreeSet::new());
    secrets.extend(model.target.web.tls.as_ref().map(|tls| tls.value));
    // A config may pass an address on.
    for part in settings::all(model).flat_map(|setting| &setting.text.parts) {
        if let Part::Known { address: Some(Address::Outside(id)), .. } = part {
            outsides.insert(*id);
        }
    }
    for workload in &model.workloads {
        for mount in workload.containers().flat_map(|container| &container.mounts) {
            match &mount.what {
                Mounted::Volume(id) => _ = volumes.insert(*id),
                Mounted::Config(id, _) => _ = configs.insert(*id),
                Mounted::Secret(id, _) => _ = secrets.insert(*id),
                Mounted::Scratch(_) | Mounted::Folder(_) => {}
            }
        }
        for used in workload.containers().flat_map(|container| &container.uses) {
            match used.source {
                UseSource::Config(id) => _ = configs.insert(id),
                UseSource::Secret(id) => _ = secrets.insert(id),
            }
        }
        secrets.extend(workload.pull.iter().map(|secret| secret.value));
        for part in workload.texts().flat_map(|(_, text)| &text.parts) {
            match part {
                Part::Config(id, _) => _ = configs.insert(*id),
                Part::Secret(id, _) => _ = secrets.insert(*id),
                _ => {}
            }
        }
        networks.extend(workload.networks.iter().map(|network| network.value));
    }
    shared_by_one(model, sink);
    let mut report = |kind: RefKind, name: &str, span: Span, help: String| {
        sink.push(
            Diagnostic::new(&UNUSED, format!("`{}.{name}` is never used", kind.word()))
                .at(span, "unused")
                .help(help)
                .help("or remove it"),
        );
    };
    for (_, volume) in model.volumes.entries().filter(|(id, _)| !volumes.contains(id)) {
        let help = format!("mount it: `mount.\"/path\" = \"volume.{}\"`", volume.name);
        report(RefKind::Volume, &volume.name, volume.span, help);
    }
    for (_, config) in model.configs.entries().filter(|(id, _)| !configs.contains(id)) {
        let help = format!("refer to a key, `{{config.{}/KEY}}`, or mount it", config.name);
        report(RefKind::Config, &config.name, config.span, help);
    }
    for (_, secret) in model.secrets.entries().filter(|(id, _)| !secrets.contains(id)) {
        let help = format!("refer to a key, `{{secret.{}/KEY}}`, or mount it", secret.name);
        report(RefKind::Secret, &secret.name, secret.span, help);
    }
    for (_, network) in model.networks.entries().filter(|(id, _)| !networks.contains(id)) {
        let help = format!("put a service in it: `network = [\"{}\"]`", network.name);
        report(RefKind::Network, &network.name, network.span, help);
    }
    for (_, outside) in model.outsides.entries().filter(|(id, _)| !outsides.contains(id)) {
        let help = format!("refer to it: `{{outside.{}}}`", outside.name);
        report(RefKind::Outside, &outside.name, outside.span, help);
    }
}

/// Reports a shared scratch folder that only one mount uses.
fn shared_by_one(model: &Model, sink: &mut Sink) {
    for workload in &model.workloads {
        let mut mounts: BTreeMap<&str, Vec<&Mount>> = BTreeMap::new();
        for mount in workload.containers().flat_map(|container| &container.mounts) {
            if let Mounted::Scratch(Scratch { shared: Some(name), .. }) = &mount.what {
                mounts.entry(name).or_default().push(mount);
            }
        }
        for (name, mounts) in mounts {
            let [mount] = mounts.as_slice() else { continue };
            let message =
                format!("`{}` shares the scratch folder `{name}` with no container", workload.reference());
            sink.push(
                Diagnostic::new(&UNUSED, message)
                    .at(mount.origin.span(), "named here only")
                    .help("write the same `shared` in another container of the pod, or remove it"),
            );
        }
    }
}
