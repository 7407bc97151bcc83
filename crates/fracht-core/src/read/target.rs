//! `[target.NAME]`: its own keys.

use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::model::{Place, Target};
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
    target.registry = fields.plain(reader, "registry");
    target.domain = fields.plain(reader, "domain");
    target
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
