//! Merges one layer into another, on the tree.
//!
//! Tables are merged key by key; a list or a plain value replaces. A short form is expanded first, so that
//! `port.web = 8000` and `port.web.at = 9000` can be in different layers, in any order.

use std::sync::Arc;

use crate::language::{Shape, Short, Sides};
use crate::origin::Layer;
use crate::tree::{Entries, Entry, Node, Value};

/// Merges `over` into `base`; `shape` is the shape of both.
pub(super) fn merge(base: &mut Entries, over: &Entries, shape: Option<Shape>) {
    let one_of = shape.and_then(|shape| shape.table()).map_or(&[][..], |table| table.one_of);
    let is_one_of = |name: &str| one_of.iter().any(|field| field.key().name == name);
    if over.keys().any(|name| is_one_of(name)) {
        // Of keys that exclude each other, the one of the later layer stays.
        base.retain(|name, _| !is_one_of(name) || over.contains_key(name));
    }
    if let Some(sides) = shape.and_then(|shape| shape.table()).and_then(Sides::of) {
        change_sides(sides, base, over);
    }
    for (name, entry) in over {
        match base.get_mut(name) {
            None => _ = base.insert(Arc::clone(name), entry.clone()),
            Some(under) => {
                let shape = shape.and_then(|shape| shape.below(name));
                merge_node(&mut under.node, &entry.node, shape);
            }
        }
    }
}

fn merge_node(base: &mut Node, over: &Node, shape: Option<Shape>) {
    // A value of the wrong type has been reported. It stays, so that readers skip the value as a whole.
    if let Some(shape @ (Shape::Table(_) | Shape::Named(..))) = shape
        && !shape.fits_type(&base.value)
    {
        return;
    }
    let both_short = base.table().is_none() && over.table().is_none();
    if !both_short
        && let (Some(long_base), Some(long_over)) = (long_form(base, shape), long_form(over, shape))
    {
        *base = long_base;
        if let (Value::Table(entries), Some(over)) = (&mut base.value, long_over.table()) {
            merge(Arc::make_mut(entries), over, shape);
            return;
        }
    }
    let under = std::mem::replace(base, over.clone());
    base.under = Some(Arc::new(under));
}

/// Removes what gives way to a later layer that generates what existed, or the other way round. The names of keys that were
/// generated stay, since references use them.
fn change_sides(sides: &Sides, base: &mut Entries, over: &Entries) {
    let (present, keys) = (sides.present.key().name, sides.listed.key().name);
    let generates = sides.generated.iter().any(|field| over.contains_key(field.key().name));
    let is_generated = |name: &str| sides.generated.iter().any(|field| field.key().name == name);
    if over.contains_key(present) && !generates {
        let named = base.get(sides.named.key().name).cloned();
        if let Some(entry) = named.filter(|_| !over.contains_key(keys)) {
            let key = |(name, key): (&Arc<str>, &Entry)| Node {
                value: Value::Text(Arc::clone(name)),
                span: key.key_span,
                layer: key.node.layer,
                under: None,
            };
            let named = entry.node.table().into_iter().flatten().map(key);
            let listed = base.get(keys).map_or_else(Vec::new, |listed| listed.node.items().to_vec());
            let value = Value::List(listed.into_iter().chain(named).collect());
            base.insert(keys.into(), Entry { node: Node { value, ..entry.node.clone() }, ..entry });
        }
        base.retain(|name, _| !is_generated(name));
    } else if generates && base.contains_key(present) {
        base.retain(|name, _| **name != *present && (**name != *keys || over.contains_key(keys)));
    }
}

/// The table that a value is, or is the short form of; `None` for any other value.
fn long_form(node: &Node, shape: Option<Shape>) -> Option<Node> {
    if node.table().is_some() {
        return Some(node.clone());
    }
    let Some(Short::Key(field)) = shape?.table()?.short else { return None };
    if !matches!(node.value, Value::Text(_) | Value::Integer(_) | Value::Boolean(_)) {
        return None;
    }
    let entry = (Arc::from(field.key().name), Entry { key_span: node.span, node: node.clone() });
    let value = Value::Table(Arc::new([entry].into_iter().collect()));
    Some(Node { value, ..node.clone() })
}

/// The value, marked as set by `layer`.
pub(super) fn stamped(node: &Node, layer: Layer) -> Node {
    let value = match &node.value {
        Value::Table(entries) => {
            let entry = |(name, entry): (&Arc<str>, &Entry)| {
                let node = stamped(&entry.node, layer);
                (Arc::clone(name), Entry { key_span: entry.key_span, node })
            };
            Value::Table(Arc::new(entries.iter().map(entry).collect()))
        }
        Value::List(items) => Value::List(items.iter().map(|item| stamped(item, layer)).collect()),
        other => other.clone(),
    };
    Node { value, span: node.span, layer, under: node.under.clone() }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::diag::Sink;
    use crate::layer::drop::{drops_of, remove};
    use crate::layer::like::WORKLOAD;
    use crate::source::Sources;
    use crate::syntax;

    fn tree(text: &str) -> Node {
        let mut sources = Sources::default();
        let file = sources.add("/s/f.toml".as_ref(), "f.toml", text.into(), crate::source::Syntax::Stack);
        syntax::parse(text, file, &mut Sink::default())
    }

    /// The values without places and layers, with short forms expanded.
    fn plain(node: &Node, shape: Option<Shape>) -> String {
        let long = long_form(node, shape);
        match (&node.value, long.as_ref().and_then(Node::table)) {
            (_, Some(entries)) => {
                let field = |(name, entry): (&Arc<str>, &Entry)| {
                    format!("{name}:{}", plain(&entry.node, shape.and_then(|shape| shape.below(name))))
                };
                let mut fields: Vec<String> = entries.iter().map(field).collect();
                fields.sort();
                format!("{{{}}}", fields.join(","))
            }
            (Value::List(items), _) => items.iter().map(|item| plain(item, None) + ";").collect(),
            (other, _) => format!("{other:?}"),
        }
    }

    fn merged(base: &Node, over: &Node) -> Node {
        let mut base = base.clone();
        if let (Value::Table(entries), Some(over)) = (&mut base.value, over.table()) {
            merge(Arc::make_mut(entries), over, Some(WORKLOAD));
        }
        base
    }

    /// Some keys of a service, in their short and long forms.
    fn layer() -> impl Strategy<Value = Node> {
        let lines = prop::sample::subsequence(
            vec![
                "replicas = 1",
                "env.A = '1'",
                "env.B = 2",
                "args = ['x']",
                "port.web = 8000",
                "port.api = { number = 1, reach = 'node' }",
                "port.api.at = 30000",
                "port.x.number = 5",
                "health = { http = '/a', every = '1s' }",
                "health = { tcp = 'web' }",
                "health.boot = '9s'",
                "mount.'/a' = 'volume.v'",
                "cpu = 1",
                "user = 7",
                "memory = '1Mi'",
            ],
            0..9,
        );
        (lines, 0..100_u32).prop_map(|(lines, number)| {
            let mut seen: Vec<&str> = Vec::new();
            let mut text = String::new();
            for line in lines {
                let key = line.split([' ', '.']).next().unwrap();
                let whole = line.starts_with("health =") || line.starts_with("port.api =");
                if !(whole && seen.contains(&key) || seen.contains(&"health") && key == "health") {
                    text += &line.replace('1', &number.to_string());
                    text.push('\n');
                }
                seen.push(key);
            }
            tree(&text)
        })
    }

    proptest! {
        #[test]
        fn merging_is_associative(a in layer(), b in layer(), c in layer()) {
            let first = merged(&merged(&a, &b), &c);
            let second = merged(&a, &merged(&b, &c));
            prop_assert_eq!(plain(&first, Some(WORKLOAD)), plain(&second, Some(WORKLOAD)));
        }

        /// Dropping a value and setting it has the same result as setting it.
        #[test]
        fn a_value_set_after_a_drop_is_kept(base in layer(), over in layer()) {
            let Some(names) = over.table().map(|table| table.keys().cloned().collect::<Vec<_>>()) else {
                return Ok(());
            };
            let mut dropped = base.clone();
            let set = tree(&format!("drop = {names:?}"));
            let known = |name: &Arc<str>| base.at(&[&**name]).is_some();
            let mut sink = Sink::default();
            if let Value::Table(entries) = &mut dropped.value {
                remove(Arc::make_mut(entries), &drops_of(&set), &mut sink);
            }
            prop_assert_eq!(sink.take().len(), names.iter().filter(|name| !known(name)).count());
            let whole = merged(&dropped, &over);
            for name in &names {
                let (got, set) = (whole.at(&[&**name]).unwrap(), over.at(&[&**name]).unwrap());
                let shape = WORKLOAD.below(name);
                prop_assert_eq!(plain(got, shape), plain(set, shape));
            }
        }
    }

    #[test]
    fn a_value_keeps_the_one_it_overrides() {
        let whole = merged(&merged(&tree("replicas = 1"), &tree("replicas = 2")), &tree("replicas = 3"));
        let mut values = Vec::new();
        let mut next = whole.at(&["replicas"]);
        while let Some(node) = next {
            values.push(format!("{:?}", node.value));
            next = node.under.as_deref();
        }
        assert_eq!(values, ["Integer(3)", "Integer(2)", "Integer(1)"]);
    }

    #[test]
    fn a_later_layer_replaces_a_key_and_its_alternatives() {
        let whole = merged(&tree("health = { http = '/', every = '1s' }"), &tree("health.tcp = 'x'"));
        let health = whole.at(&["health"]).unwrap();
        let names: Vec<&str> = health.table().unwrap().keys().map(|name| &**name).collect();
        assert_eq!(names, ["every", "tcp"]);
    }
}
