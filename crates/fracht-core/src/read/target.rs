//! Reads `[target.NAME]`: its own keys.

use std::sync::Arc;

use super::fields::Fields;
use super::{Reader, label};
use crate::diag::Diagnostic;
use crate::diag::reading::BAD_VALUE;
use crate::grammar::image;
use crate::language::target::{
    API, BY, CLASS, DOMAIN, DONE, GATE, GATEWAY, NAMESPACE, NAMESPACE_PRESENT, NODES, NOTE, ON, READY,
    REGISTRY, TARGET_TABLE, TLS, WEB, WITHIN, WITHOUT_TLS,
};
use crate::language::{AnyField, Field, Template, likely};
use crate::layer::Targets;
use crate::model::{EarlierTarget, EntryKind, Gate, Target, TargetKind, Web};
use crate::origin::Sourced;
use crate::resolve::Facts;
use crate::tree::{Entry, Node};

/// Reads the target; `node` is `None` for the default target.
pub(super) fn read(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    node: Option<&Node>,
    stack: &Sourced<Arc<str>>,
) -> Target {
    let default_image =
        |field: &Field<Template>| Sourced::defaulted(image::parse(field.key.default).unwrap_or_default());
    let mut target = Target {
        name: Arc::clone(name),
        on: Sourced::defaulted(TargetKind::default()),
        namespace: Sourced::defaulted(Arc::clone(&stack.value)),
        namespace_present: false,
        registry: None,
        without_tls: Vec::new(),
        domain: None,
        web: Web {
            by: Sourced::defaulted(EntryKind::default()),
            class: None,
            tls: None,
            gateway: None,
            notes: Box::default(),
        },
        gate: Gate {
            ready: default_image(&READY),
            done: default_image(&DONE),
            within: Sourced::defaulted(WITHIN.default().unwrap_or_default()),
        },
        api: Vec::new(),
        nodes: Vec::new(),
        name_span: None,
        has_own_namespace: false,
        earlier: Vec::new(),
    };
    let Some(node) = node else { return target };
    let entry = Entry { key_span: node.span, node: node.clone() };
    let fields = Fields::of(&entry, &TARGET_TABLE, reader);
    if let Some(on) = fields.get(reader, &ON) {
        target.on = on;
    } else if let Some(likely) = kind(node) {
        target.on.value = likely; // what could not be read is tainted
    }
    if let Some(namespace) = fields.get(reader, &NAMESPACE) {
        target.namespace = namespace;
    }
    target.namespace_present = fields.or_default(reader, &NAMESPACE_PRESENT).value;
    // An invalid image is not a missing one.
    target.registry = or_stand_in(reader, &fields, &REGISTRY);
    let plain = fields.list(reader, &WITHOUT_TLS).unwrap_or_default();
    target.without_tls = plain.into_iter().map(|registry| registry.value).collect();
    target.domain = or_stand_in(reader, &fields, &DOMAIN);
    let api = fields.list(reader, &API).unwrap_or_default();
    target.api = api.into_iter().map(|block| block.value).collect();
    target.nodes = fields.list(reader, &NODES).unwrap_or_default();
    target
}

/// Where a target runs, also if its word is misspelt; `None` if that cannot be told.
pub(super) fn kind(target: &Node) -> Option<TargetKind> {
    ON.node(target).map_or(Some(TargetKind::default()), |on| likely(on.text()?))
}

/// What the cluster targets before this one claim.
pub(super) fn read_earlier(target: &mut Target, targets: &Targets, stack: &Arc<str>) {
    for (name, span, tables) in targets.all() {
        if *name == target.name {
            target.name_span = Some(span);
            target.has_own_namespace = tables.last().is_some_and(|own| NAMESPACE.node(own).is_some());
            break;
        }
        // The last one that sets a key counts.
        let text = |field: &dyn AnyField| {
            let key = field.key().name;
            tables.iter().rev().find_map(|table| table.table()?.get(key)?.node.text().map(Arc::clone))
        };
        let Some(on) = text(&ON).map_or(Some(TargetKind::default()), |word| likely(&word)) else {
            continue; // what it is cannot be told
        };
        let is_broken =
            |table: &&Node| table.table().is_none_or(|own| own.values().any(Entry::has_broken_key));
        if on == TargetKind::Cluster && !tables.iter().any(is_broken) {
            let namespace = text(&NAMESPACE).unwrap_or_else(|| Arc::clone(stack));
            target.earlier.push(EarlierTarget {
                name: Arc::clone(name),
                span,
                namespace,
                domain: text(&DOMAIN),
            });
        }
    }
}

/// The value of a key; for one that cannot be read a stand-in, since it is not missing.
fn or_stand_in(
    reader: &mut Reader<'_>,
    fields: &Fields<'_>,
    field: &'static Field<Arc<str>>,
) -> Option<Sourced<Arc<str>>> {
    let value = fields.get(reader, field);
    let unread = value.is_none() && (fields.node(field).is_some() || fields.has_lost_key());
    if unread { Some(reader.stand_in("unread.invalid".into())) } else { value }
}

/// Reads the parts of the target that refer to the stack: its web entry and its gates.
pub(super) fn read_references(reader: &mut Reader<'_>, target: &mut Target, node: Option<&Node>) {
    let Some(node) = node else { return };
    let entry = Entry { key_span: node.span, node: node.clone() };
    let fields = Fields::of(&entry, &TARGET_TABLE, reader);
    if let Some(fields) = fields.table(reader, &WEB) {
        web(reader, target, &fields);
    }
    if let Some(fields) = fields.table(reader, &GATE) {
        if let Some(ready) = reader.parsed(&fields, &READY, image::parse_shared) {
            target.gate.ready = ready.map(|image| reader.pinned(image));
        }
        if let Some(done) = reader.parsed(&fields, &DONE, image::parse_shared) {
            target.gate.done = done.map(|image| reader.pinned(image));
        }
        target.gate.within = fields.or_default(reader, &WITHIN);
    }
}

fn web(reader: &mut Reader<'_>, target: &mut Target, fields: &Fields<'_>) {
    target.web.class = fields.get(reader, &CLASS);
    let tls = fields.get(reader, &TLS);
    target.web.tls = tls.and_then(|tls| reader.secret_with(&tls, &["tls.crt", "tls.key"]));
    target.web.notes = label::notes(reader, &format!("target.{}.web", target.name), fields, &NOTE);
    let gateway = fields.get(reader, &GATEWAY);
    if let Some(gateway) = &gateway {
        target.web.by = Sourced { value: EntryKind::Gateway, origin: gateway.origin };
        target.web.gateway = Some(match gateway.value.split_once('/') {
            Some((namespace, name)) => (Some(namespace.into()), name.into()),
            None => (None, Arc::clone(&gateway.value)),
        });
    }
    let by = fields.get(reader, &BY);
    if fields.has_invalid(reader, &[&BY, &GATEWAY]) {
        return; // what goes with it cannot be told
    }
    if let Some(by) = by {
        target.web.by = by;
    }
    let owner = format!("target.{}", target.name);
    if target.web.by.value == EntryKind::Gateway {
        fields.require(reader, &format!("the web entry of `{owner}`"), &GATEWAY);
    }
    let kinds: [(&'static dyn AnyField, EntryKind); 3] =
        [(&CLASS, EntryKind::Ingress), (&TLS, EntryKind::Ingress), (&GATEWAY, EntryKind::Gateway)];
    for (field, wanted) in kinds {
        let Some(entry) = fields.valid(reader, field).filter(|_| target.web.by.value != wanted) else {
            continue;
        };
        let help = match wanted {
            EntryKind::Ingress => "remove it: a gateway has a class and a certificate of its own",
            EntryKind::Gateway => "write `by = \"gateway\"`, or remove it",
        };
        let key = field.key().name;
        let message = format!("`{key}` has no effect in the web entry of `{owner}`");
        reader.sink.push(Diagnostic::new(&BAD_VALUE, message).at(entry.key_span, "no effect").help(help));
    }
}

/// The values of `{stack.…}` and `{target.…}`.
pub(super) fn facts(stack: &Sourced<Arc<str>>, target: &Target) -> Facts {
    let text = |value: &Option<Sourced<Arc<str>>>| value.as_ref().map(|at| Arc::clone(&at.value));
    Facts {
        stack: Arc::clone(&stack.value),
        target: Arc::clone(&target.name),
        namespace: Arc::clone(&target.namespace.value),
        domain: text(&target.domain),
        registry: text(&target.registry),
        is_machine: target.on.value == TargetKind::Machine,
    }
}
