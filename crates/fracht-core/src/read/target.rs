//! `[target.NAME]`: its own keys.

use std::sync::Arc;
use std::time::Duration;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::grammar::image::{self, Image};
use crate::grammar::{duration, host};
use crate::model::{Entry as EntryBy, Gate, Place, Target, Web};
use crate::origin::At;
use crate::resolve::Facts;
use crate::tree::{Entry, Node};

/// Reads the target; `node` is `None` for the one that a stack has that names none.
pub(super) fn read(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    node: Option<&Node>,
    stack: &At<Arc<str>>,
) -> Target {
    let mut target = Target {
        name: Arc::clone(name),
        on: At::defaulted(Place::Cluster, "the default of a target"),
        namespace: At::defaulted(Arc::clone(&stack.value), "the stack's name"),
        namespace_present: false,
        registry: None,
        domain: None,
        web: Web {
            by: At::defaulted(EntryBy::Ingress, "the default of a web entry"),
            class: None,
            tls: None,
            gateway: None,
        },
        gate: Gate {
            ready: At::defaulted(pinned(READY_IMAGE), "the default of a gate"),
            done: At::defaulted(pinned(DONE_IMAGE), "the default of a gate"),
            within: At::defaulted(Duration::from_secs(600), "the default of a gate"),
        },
        api: Vec::new(),
    };
    let Some(node) = node else { return target };
    let entry = Entry { key_span: node.span, node: node.clone() };
    let fields = Fields::of(&entry, reader);
    if let Some(on) = fields.word(reader, "on", &Place::WORDS) {
        target.on = on;
    }
    if let Some(namespace) = fields.plain(reader, "namespace") {
        target.namespace = namespace;
    }
    target.namespace_present =
        fields.boolean(reader, "namespace-present").is_some_and(|present| present.value);
    // One that can't be read is not one that is missing.
    let unread = |key| fields.node(key).map(|_| At::defaulted("unread.invalid".into(), "nothing else"));
    let registry = |text: &str| image::registry(text).map(|()| Arc::from(text));
    let domain = |text: &str| host::name(text).map(|()| Arc::from(text));
    target.registry = fields.small(reader, "registry", registry).or_else(|| unread("registry"));
    target.domain = fields.small(reader, "domain", domain).or_else(|| unread("domain"));
    let api = fields.plains(reader, "api").unwrap_or_default();
    target.api = api.into_iter().map(|block| block.value).collect();
    target
}

/// Reads what of the target refers to the stack: its web entry and its gates.
pub(super) fn read_references(reader: &mut Reader<'_>, target: &mut Target, node: Option<&Node>) {
    let Some(node) = node else { return };
    let entry = Entry { key_span: node.span, node: node.clone() };
    let fields = Fields::of(&entry, reader);
    if let Some(entry) = fields.entry("web") {
        let fields = Fields::of(entry, reader);
        target.web.class = fields.plain(reader, "class");
        target.web.tls =
            fields.node("tls").and_then(|node| reader.secret_with(node, &["tls.crt", "tls.key"]));
        let gateway = fields.plain(reader, "gateway");
        if let Some(gateway) = &gateway {
            target.web.by = At { value: EntryBy::Gateway, origin: gateway.origin };
            target.web.gateway = Some(match gateway.value.split_once('/') {
                Some((namespace, name)) => (Some(namespace.into()), name.into()),
                None => (None, Arc::clone(&gateway.value)),
            });
        }
        if let Some(by) = fields.word(reader, "by", &EntryBy::WORDS) {
            target.web.by = by;
        }
        if let (EntryBy::Gateway, None) = (target.web.by.value, &gateway) {
            reader.missing("The web entry", fields.span, "gateway", "\"public\"");
        }
        for (key, wanted) in
            [("class", EntryBy::Ingress), ("tls", EntryBy::Ingress), ("gateway", EntryBy::Gateway)]
        {
            let Some(entry) = fields.entry(key).filter(|_| target.web.by.value != wanted) else { continue };
            let help = match wanted {
                EntryBy::Ingress => "A gateway has its own class and its own certificate: remove it.",
                EntryBy::Gateway => "Write by = \"gateway\", or remove it.",
            };
            reader.sink.push(
                Diagnostic::new(
                    "bad-value",
                    format!("The web entry of target.{} has no use for `{key}`.", target.name),
                )
                .at(entry.key_span, "does nothing")
                .help(help),
            );
        }
    }
    if let Some(entry) = fields.entry("gate") {
        let fields = Fields::of(entry, reader);
        let image = |reader: &mut Reader<'_>, key| {
            let node = fields.node(key)?;
            reader.image(node, "The image of the gate")
        };
        if let Some(ready) = image(reader, "ready") {
            target.gate.ready = ready;
        }
        if let Some(done) = image(reader, "done") {
            target.gate.done = done;
        }
        if let Some(within) = fields.small(reader, "within", duration::some) {
            target.gate.within = within;
        }
    }
}

/// Has a shell and `nc`.
const READY_IMAGE: &str = "busybox:1.37.0";
/// Has a shell and `curl`.
const DONE_IMAGE: &str = "curlimages/curl:8.11.1";

/// An image that is known to be one.
fn pinned(text: &str) -> Image {
    image::parse(text).unwrap_or_default()
}

/// What texts can ask of the stack and the target.
pub(super) fn facts(stack: &At<Arc<str>>, target: &Target) -> Facts {
    let text = |value: &Option<At<Arc<str>>>| value.as_ref().map(|at| Arc::clone(&at.value));
    Facts {
        stack: Arc::clone(&stack.value),
        target: Arc::clone(&target.name),
        namespace: Arc::clone(&target.namespace.value),
        domain: text(&target.domain),
        registry: text(&target.registry),
    }
}
