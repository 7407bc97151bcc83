//! What nothing uses.

use std::collections::{BTreeMap, BTreeSet};

use super::{Check, Rule, settings};
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Address, Model, Mount, Mounted, Part, Scratch, UseSource};
use crate::source::Span;

pub(super) static UNUSED: Rule = Rule {
    name: "unused",
    severity: Severity::Hint,
    summary: "Something that is defined and that nothing uses.",
    why: "It is made all the same; often a mount or a variable was forgotten.",
    fails: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n\
             [service.a]\nimage = \"a:1\"\nmount.\"/data\" = \"volume.data\"\n",
    fixed: false,
    check: Check::Model(unused),
};

fn unused(model: &Model, sink: &mut Sink) {
    let (mut volumes, mut configs, mut secrets) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    let (mut networks, mut outsides) = (BTreeSet::new(), BTreeSet::new());
    secrets.extend(model.target.web.tls.as_ref().map(|tls| tls.value));
    // A config may give an address on.
    for part in settings::all(model).flat_map(|setting| &setting.text.parts) {
        if let Part::Known { address: Some(Address::Outside(id)), .. } = part {
            outsides.insert(*id);
        }
    }
    for workload in &model.workloads {
        if workload.tainted {
            return; // what could not be read may be the use
        }
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
    let mut tell = |kind: &str, name: &str, span: Span, use_it: &str| {
        sink.push(
            Diagnostic::new("unused", format!("Nothing uses {kind}.{name}."))
                .at(span, "unused")
                .help(format!("{use_it}, or remove it.")),
        );
    };
    for (_, volume) in model.volumes.entries().filter(|(id, _)| !volumes.contains(id)) {
        let use_it = format!("Mount it: mount.\"/path\" = \"volume.{}\"", volume.name);
        tell("volume", &volume.name, volume.span, &use_it);
    }
    for (_, config) in model.configs.entries().filter(|(id, _)| !configs.contains(id)) {
        let use_it = format!("Refer to a key, {{config.{}/KEY}}, or mount it", config.name);
        tell("config", &config.name, config.span, &use_it);
    }
    for (_, secret) in model.secrets.entries().filter(|(id, _)| !secrets.contains(id)) {
        let use_it = format!("Refer to a key, {{secret.{}/KEY}}, or mount it", secret.name);
        tell("secret", &secret.name, secret.span, &use_it);
    }
    for (_, network) in model.networks.entries().filter(|(id, _)| !networks.contains(id)) {
        let use_it = format!("Put a service in it: network = [\"{}\"]", network.name);
        tell("network", &network.name, network.span, &use_it);
    }
    for (_, outside) in model.outsides.entries().filter(|(id, _)| !outsides.contains(id)) {
        let use_it = format!("Refer to it, {{outside.{}}}", outside.name);
        tell("outside", &outside.name, outside.span, &use_it);
    }
}

/// A scratch folder with a name that only one mount of the pod says.
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
                Diagnostic::new("unused", message)
                    .at(mount.origin.span(), "named here only")
                    .help("write the same `shared` in another container of the pod, or remove it"),
            );
        }
    }
}
