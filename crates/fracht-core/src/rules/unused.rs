//! What nothing uses.

use std::collections::BTreeSet;

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Model, Mounted, Part};
use crate::source::Span;

pub(super) static UNUSED: Rule = Rule {
    name: "unused",
    severity: Severity::Hint,
    summary: "A volume, config, secret or network that nothing uses.",
    why: "It is made all the same; often a mount or a variable was forgotten.",
    fails: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n\
             [service.a]\nimage = \"a:1\"\nmount.\"/data\" = \"volume.data\"\n",
    check: Some(unused),
};

fn unused(model: &Model, sink: &mut Sink) {
    let (mut volumes, mut configs, mut secrets, mut networks) =
        (BTreeSet::new(), BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    for workload in &model.workloads {
        if workload.tainted {
            return; // what could not be read may be the use
        }
        for mount in &workload.mounts {
            match &mount.what {
                Mounted::Volume(id) => _ = volumes.insert(*id),
                Mounted::Config(id, _) => _ = configs.insert(*id),
                Mounted::Secret(id, _) => _ = secrets.insert(*id),
                Mounted::Scratch(_) => {}
            }
        }
        for part in workload.texts().flat_map(|(_, text)| &text.parts) {
            match part {
                Part::Config(id, _) => _ = configs.insert(*id),
                Part::Secret(id, _) => _ = secrets.insert(*id),
                _ => {}
            }
        }
        networks.extend(workload.networks.iter().map(|network| network.value));
    }
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
}
