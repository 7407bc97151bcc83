//! The rule on unused definitions.

use std::collections::{BTreeMap, BTreeSet};

use crate::diag::reading::UNUSED;
use crate::diag::{Diagnostic, Sink};
use crate::grammar::reference::RefKind;
use crate::grammar::word::Word;
use crate::model::{
    Address, ConfigKey, Content, Model, Mount, Mounted, Part, Scratch, SecretKey, UseSource, Workload,
};
use crate::source::Span;

pub(super) fn unused(model: &Model, sink: &mut Sink) {
    let (mut volumes, mut configs, mut secrets) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    let (mut networks, mut outsides) = (BTreeSet::new(), BTreeSet::new());
    // The configs and secrets that something takes as a whole, and single keys.
    let (mut whole, mut keys) = (BTreeSet::new(), BTreeSet::new());
    secrets.extend(model.target.web.tls.as_ref().map(|tls| tls.value));
    // A config may pass an address on.
    let all_keys = model.configs.iter().flat_map(|config| config.keys.iter());
    let of_configs = all_keys.filter_map(|key| match &key.content {
        Content::Text(text) => Some(text),
        Content::File { .. } | Content::Present => None,
    });
    let of_workloads = model.workloads.iter().flat_map(Workload::texts).map(|(_, text)| text);
    let mut mentioned = BTreeSet::new();
    for part in of_configs.chain(of_workloads).flat_map(|text| &text.parts) {
        match part {
            Part::Known { address: Some(Address::Outside(id, _)), .. } => _ = outsides.insert(*id),
            Part::Plain(text) => mentions(text, &mut mentioned),
            _ => {}
        }
    }
    outsides.extend(model.secrets.iter().flat_map(|secret| &secret.addresses).filter_map(|found| {
        match found.address {
            Address::Outside(id, _) => Some(id),
            Address::Service(..) => None,
        }
    }));
    for (id, key, _) in model.secrets.iter().flat_map(|secret| &secret.keys).flat_map(SecretKey::contained) {
        secrets.insert(id);
        keys.insert((RefKind::Secret, id.index(), &**key));
    }
    for workload in &model.workloads {
        for login in workload.ports().iter().filter_map(|port| port.login.as_ref()) {
            if let Some((id, key)) = &login.password {
                secrets.insert(*id);
                keys.insert((RefKind::Secret, id.index(), &**key));
            }
            for part in login.user.iter().flat_map(|text| &text.parts) {
                if let Part::Config(id, key) = part {
                    configs.insert(*id);
                    keys.insert((RefKind::Config, id.index(), &**key));
                }
            }
        }
        for mount in workload.containers().flat_map(|container| &container.mounts) {
            match &mount.what {
                Mounted::Volume(id) => _ = volumes.insert(*id),
                Mounted::Config(id, key) => {
                    configs.insert(*id);
                    let key = key.as_deref().or(mount.part.as_deref());
                    match key {
                        Some(key) => _ = keys.insert((RefKind::Config, id.index(), key)),
                        None => _ = whole.insert((RefKind::Config, id.index())),
                    }
                }
                Mounted::Secret(id, key) => {
                    secrets.insert(*id);
                    let key = key.as_deref().or(mount.part.as_deref());
                    match key {
                        Some(key) => _ = keys.insert((RefKind::Secret, id.index(), key)),
                        None => _ = whole.insert((RefKind::Secret, id.index())),
                    }
                }
                Mounted::Scratch(_) | Mounted::Folder(_) => {}
            }
        }
        for used in workload.containers().flat_map(|container| &container.uses) {
            match used.source {
                UseSource::Config(id) => {
                    configs.insert(id);
                    whole.insert((RefKind::Config, id.index()));
                }
                UseSource::Secret(id) => {
                    secrets.insert(id);
                    whole.insert((RefKind::Secret, id.index()));
                }
            }
        }
        secrets.extend(workload.pull.iter().map(|secret| secret.value));
        whole.extend(workload.pull.iter().map(|secret| (RefKind::Secret, secret.value.index())));
        for part in workload.texts().flat_map(|(_, text)| &text.parts) {
            match part {
                Part::Config(id, key) => {
                    configs.insert(*id);
                    keys.insert((RefKind::Config, id.index(), &**key));
                }
                Part::Secret(id, key) => {
                    secrets.insert(*id);
                    keys.insert((RefKind::Secret, id.index(), &**key));
                }
                _ => {}
            }
        }
        networks.extend(workload.networks.iter().map(|network| network.value));
    }
    whole.extend(model.target.web.tls.iter().map(|tls| (RefKind::Secret, tls.value.index())));
    // Of a table of which single keys are used, one that is not.
    for (id, config) in
        model.configs.entries().filter(|(id, config)| configs.contains(id) && config.present.is_none())
    {
        let written = |key: &&ConfigKey| match &key.content {
            // The lines of a file are there as a whole.
            Content::Text(text) => text.origin.span().is_some_and(|span| span.file == config.span.file),
            Content::File { .. } | Content::Present => false,
        };
        let place = (RefKind::Config, id.index());
        for key in config.keys.iter().filter(written).filter(|_| !whole.contains(&place)) {
            if !keys.contains(&(place.0, place.1, &*key.name)) {
                unused_key("config", &config.name, &key.name, key.span, sink);
            }
        }
    }
    for (id, secret) in
        model.secrets.entries().filter(|(id, secret)| secrets.contains(id) && secret.present.is_none())
    {
        let place = (RefKind::Secret, id.index());
        for key in secret.keys.iter().filter(|_| !whole.contains(&place)) {
            if !keys.contains(&(place.0, place.1, &*key.name)) {
                unused_key("secret", &secret.name, &key.name, key.span, sink);
            }
        }
    }
    shared_by_one(model, sink);
    let mut report = |kind: RefKind, name: &str, span: Span, help: String| {
        if mentioned.contains(&(kind, name)) {
            return;
        }
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

/// Adds what a plain text refers to without the braces that it needs, which is a problem of its own.
fn mentions<'t>(text: &'t str, found: &mut BTreeSet<(RefKind, &'t str)>) {
    if !text.contains('.') {
        return;
    }
    let is_part = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
    for word in text.split(|c| !is_part(c)) {
        if let Some((kind, name)) = word.split_once('.')
            && let Some(kind) = RefKind::of(kind)
        {
            found.insert((kind, name));
        }
    }
}

/// Reports a key of a config or a secret that nothing uses.
fn unused_key(kind: &str, name: &str, key: &str, span: Span, sink: &mut Sink) {
    sink.push(
        Diagnostic::new(&UNUSED, format!("`{key}` of `{kind}.{name}` is never used"))
            .at(span, "unused")
            .help(format!("refer to it: `{{{kind}.{name}/{key}}}`"))
            .help("or remove it"),
    );
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
