//! Compares two sets of objects, object by object and field by field.
//!
//! Items of lists are matched by name if they have names, as a cluster does when it merges, not by position. Fields
//! that only a cluster writes are ignored. In objects from a cluster, only fields that Fracht can set are compared.

mod live;
mod replace;
mod secret;

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use self::secret::{HIDDEN, Secrets, is_secret_flag};
use crate::object::text_at;

/// The differences between two sets of objects.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Difference {
    /// The old and the new namespace of all objects, if they differ. It is not repeated for each object.
    pub namespace: Option<(String, String)>,
    /// The objects that differ: those of the new set in its order, then the removed ones.
    pub objects: Vec<ObjectChange>,
    /// The number of unchanged objects.
    pub same: usize,
    /// The number of objects of others in the cluster, by kind, which are not compared.
    pub left_out: BTreeMap<String, usize>,
}

/// An object that differs.
#[derive(Clone, Debug, PartialEq)]
pub struct ObjectChange {
    /// Its kind.
    pub kind: String,
    /// Its name; the new one if it changes.
    pub name: String,
    /// Its namespace; empty if it has none.
    pub namespace: String,
    /// The difference.
    pub change: ChangeKind,
    /// What to do by hand, if a field differs that cannot be changed in a cluster.
    pub replace: Option<Replacement>,
}

/// How an object differs.
#[derive(Clone, Debug, PartialEq)]
pub enum ChangeKind {
    /// It is only in the new set.
    Added,
    /// It is only in the old set.
    Removed,
    /// It is in both, and some fields differ.
    Changed(Vec<FieldChange>),
}

/// A field that differs.
#[derive(Clone, Debug, PartialEq)]
pub struct FieldChange {
    /// Its path; items of lists by their names, in square brackets.
    pub path: String,
    /// The old value; `None` if it is new.
    pub old: Option<Value>,
    /// The new value; `None` if it is removed.
    pub new: Option<Value>,
    /// Set if it looks secret. Its values are then left out.
    pub secret: bool,
}

pub use replace::Replacement;

/// Compares two sets of objects.
pub fn compare(old: &[Value], new: &[Value]) -> Difference {
    let mut difference = Difference::default();
    let secrets = Secrets::of(old.iter().chain(new));
    let old = of_stacks(old, new, &mut difference.left_out);
    let mut old_by: BTreeMap<Identity, &Value> = BTreeMap::new();
    for object in old {
        insert(&mut old_by, object);
    }
    let mut new_by: BTreeMap<Identity, &Value> = BTreeMap::new();
    let order: Vec<Identity> = new.iter().map(|object| insert(&mut new_by, object)).collect();
    difference.namespace = moved(&old_by, &new_by);
    for identity in &order {
        let Some(object) = new_by.get(identity) else { continue };
        let change = match old_by.get(identity) {
            None => ChangeKind::Added,
            Some(before) => {
                let mut fields = Vec::new();
                let walk = Walk {
                    kind: text_at(object, "/kind"),
                    namespace: difference.namespace.as_ref(),
                    live: live::is_live(before),
                    secrets: &secrets,
                };
                walk.values("", Some(before), Some(object), &mut fields);
                if fields.is_empty() {
                    difference.same += 1;
                    continue;
                }
                ChangeKind::Changed(fields)
            }
        };
        difference.objects.push(changed(object, change));
    }
    for identity in old_by.keys().filter(|identity| !new_by.contains_key(*identity)) {
        if let Some(object) = old_by.get(identity) {
            difference.objects.push(changed(object, ChangeKind::Removed));
        }
    }
    // Objects in different namespaces are different objects.
    if difference.namespace.is_none() {
        for object in &mut difference.objects {
            let ChangeKind::Changed(fields) = &object.change else { continue };
            object.replace = replace::needed(&object.kind, &object.name, &object.namespace, fields);
        }
    }
    difference
}

/// The old objects to compare. From a cluster, these are the objects of the same stacks, and any object with the kind
/// and name of a new one. The others are counted.
fn of_stacks<'v>(old: &'v [Value], new: &[Value], left_out: &mut BTreeMap<String, usize>) -> Vec<&'v Value> {
    if !old.iter().any(live::is_live) {
        return old.iter().collect();
    }
    let label = "/metadata/labels/app.kubernetes.io~1part-of";
    let stacks: Vec<&str> =
        new.iter().map(|object| text_at(object, label)).filter(|stack| !stack.is_empty()).collect();
    let by_name = |object: &'_ Value| {
        (text_at(object, "/kind").to_owned(), text_at(object, "/metadata/name").to_owned())
    };
    let names: BTreeSet<(String, String)> = new.iter().map(by_name).collect();
    // A cluster keeps the Jobs of earlier versions of a task. Only one is compared: the same one, or the last.
    let task = |object: &'_ Value| text_at(object, "/metadata/labels/app.kubernetes.io~1name").to_owned();
    let mut jobs: BTreeMap<String, &Value> = BTreeMap::new();
    for job in old.iter().filter(|object| text_at(object, "/kind") == "Job") {
        let known = jobs.entry(task(job)).or_insert(job);
        if !names.contains(&by_name(known)) {
            *known = job;
        }
    }
    let is_compared = |object: &&Value| {
        let earlier = text_at(object, "/kind") == "Job"
            && !jobs.get(&task(object)).is_some_and(|job| std::ptr::eq(*job, *object));
        names.contains(&by_name(object)) || !earlier && !live::is_foreign(object, &stacks)
    };
    let (compared, others): (Vec<&Value>, Vec<&Value>) = old.iter().partition(is_compared);
    for object in others {
        *left_out.entry(text_at(object, "/kind").to_owned()).or_default() += 1;
    }
    compared
}

fn changed(object: &Value, change: ChangeKind) -> ObjectChange {
    ObjectChange {
        kind: text_at(object, "/kind").to_owned(),
        name: text_at(object, "/metadata/name").to_owned(),
        namespace: text_at(object, "/metadata/namespace").to_owned(),
        change,
        replace: None,
    }
}

/// The identity of an object in both sets: its kind, its name, and a number if there are several.
type Identity = (String, String, usize);

fn insert<'v>(known: &mut BTreeMap<Identity, &'v Value>, object: &'v Value) -> Identity {
    let kind = text_at(object, "/kind");
    // The names of these depend on their content or namespace; a label has their purpose. There is only one namespace.
    let derived = ["Job", "PersistentVolume"].contains(&kind);
    let made_here = text_at(object, "/metadata/labels/app.kubernetes.io~1managed-by") == "fracht";
    let name = match made_here {
        true if kind == "Namespace" => "",
        true if derived => text_at(object, "/metadata/labels/app.kubernetes.io~1name"),
        _ => text_at(object, "/metadata/name"),
    };
    let mut identity = (kind.to_owned(), name.to_owned(), 0);
    while known.contains_key(&identity) {
        identity.2 += 1;
    }
    known.insert(identity.clone(), object);
    identity
}

/// The old and the new namespace, if all objects that are in both sets moved.
fn moved(old: &BTreeMap<Identity, &Value>, new: &BTreeMap<Identity, &Value>) -> Option<(String, String)> {
    let both = new.iter().filter_map(|(identity, object)| Some((*old.get(identity)?, *object)));
    let pairs: BTreeSet<(&str, &str)> = both
        .map(|(old, new)| (text_at(old, "/metadata/namespace"), text_at(new, "/metadata/namespace")))
        .filter(|(old, new)| !old.is_empty() || !new.is_empty())
        .collect();
    let mut pairs = pairs.into_iter();
    match (pairs.next(), pairs.next()) {
        (Some((old, new)), None) if old != new && !old.is_empty() && !new.is_empty() => {
            Some((old.to_owned(), new.to_owned()))
        }
        _ => None,
    }
}

struct Walk<'a> {
    kind: &'a str,
    namespace: Option<&'a (String, String)>,
    /// Set if the old object is from a cluster.
    live: bool,
    secrets: &'a Secrets,
}

impl Walk<'_> {
    fn values(&self, path: &str, old: Option<&Value>, new: Option<&Value>, out: &mut Vec<FieldChange>) {
        match (old, new) {
            (Some(Value::Object(old)), Some(Value::Object(new))) => {
                let fresh = new.keys().filter(|name| !old.contains_key(*name));
                for name in old.keys().chain(fresh) {
                    let path = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
                    if !is_of_the_cluster(&path) {
                        self.values(&path, old.get(name), new.get(name), out);
                    }
                }
            }
            (Some(Value::Array(old)), Some(Value::Array(new))) => self.lists(path, old, new, out),
            (old, new) if old == new => {}
            // Servers leave out empty values.
            (None, Some(new)) if self.live && (*new == "" || *new == serde_json::json!([])) => {}
            (Some(old), None) if self.live && live::is_filled_in(path, old) => {}
            (Some(old), Some(new)) if self.live && live::is_same_quantity(path, old, new) => {}
            // For a Secret whose data is added or removed as a whole, the keys are listed.
            (Some(Value::Object(fields)), None) if self.is_data(path) => {
                let none = serde_json::Map::new();
                self.values(path, Some(&fields.clone().into()), Some(&none.into()), out);
            }
            (None, Some(Value::Object(fields))) if self.is_data(path) => {
                let none = serde_json::Map::new();
                self.values(path, Some(&none.into()), Some(&fields.clone().into()), out);
            }
            (old, new) => {
                if !self.is_move(path, old, new) {
                    out.push(self.field(path, old, new));
                }
            }
        }
    }

    fn lists(&self, path: &str, old: &[Value], new: &[Value], out: &mut Vec<FieldChange>) {
        let Some(key) = key_of(path, old, new) else {
            for index in 0..old.len().max(new.len()) {
                let before = index.checked_sub(1);
                let flag = |items: &[Value]| {
                    before.and_then(|at| items.get(at)?.as_str()).is_some_and(is_secret_flag)
                };
                let from = out.len();
                self.values(&format!("{path}[{index}]"), old.get(index), new.get(index), out);
                if flag(old) || flag(new) {
                    out.iter_mut().skip(from).for_each(FieldChange::hide);
                }
            }
            return;
        };
        let name = |item: &Value| match &item[key] {
            Value::String(name) => name.clone(),
            other => other.to_string(),
        };
        let find = |items: &[Value], wanted: &str| items.iter().position(|item| name(item) == wanted);
        let old_names: Vec<String> = old.iter().map(name).collect();
        let fresh = new.iter().map(name).filter(|name| !old_names.contains(name));
        for item in old_names.iter().cloned().chain(fresh) {
            let (before, after) = (find(old, &item), find(new, &item));
            let get = |items: &'_ [Value], at: Option<usize>| at.and_then(|at| items.get(at)).cloned();
            let path = format!("{path}[{item}]");
            self.values(&path, get(old, before).as_ref(), get(new, after).as_ref(), out);
        }
        // The order of some lists has a meaning, so that a changed order is a difference.
        let ordered = ["env", "initContainers"].iter().any(|field| path.ends_with(field));
        let both = |items: &[Value], others: &[Value]| -> Vec<String> {
            items.iter().map(name).filter(|name| find(others, name).is_some()).collect()
        };
        let (before, after) = (both(old, new), both(new, old));
        if ordered && before != after {
            let list = |names: Vec<String>| Value::Array(names.into_iter().map(Value::String).collect());
            out.push(self.field(&format!("{path} (order)"), Some(&list(before)), Some(&list(after))));
        }
    }

    /// Whether a field differs only because all objects moved to another namespace.
    fn is_move(&self, path: &str, old: Option<&Value>, new: Option<&Value>) -> bool {
        let Some((from, to)) = self.namespace else { return false };
        let names_it = path.ends_with(".namespace") || self.kind == "Namespace" && path == "metadata.name";
        names_it && old.is_some_and(|old| old == from.as_str()) && new.is_some_and(|new| new == to.as_str())
    }

    fn field(&self, path: &str, old: Option<&Value>, new: Option<&Value>) -> FieldChange {
        let name = own_name(path);
        let shown = |value: Option<&Value>| value.map(|value| self.secrets.covered(value, name));
        let (shown_old, shown_new) = (shown(old), shown(new));
        let is_hidden = |value: &Option<Value>| value.as_ref().is_some_and(|value| value == HIDDEN);
        // A difference in a hidden part is reported without values.
        let secret = self.is_of_secret(path)
            || is_hidden(&shown_old)
            || is_hidden(&shown_new)
            || shown_old == shown_new && old != new;
        let mut change = FieldChange { path: path.to_owned(), old: shown_old, new: shown_new, secret };
        if secret {
            change.hide();
        }
        change
    }

    /// Whether a path is to the keys of a Secret.
    fn is_data(&self, path: &str) -> bool {
        self.kind == "Secret" && (path == "data" || path == "stringData")
    }

    /// Whether the value at a path is hidden, since it is in a Secret.
    fn is_of_secret(&self, path: &str) -> bool {
        let open = ["apiVersion", "kind", "type", "metadata.name", "metadata.namespace"];
        self.kind == "Secret" && !open.contains(&path)
    }
}

impl FieldChange {
    /// Removes the values.
    fn hide(&mut self) {
        let hidden = |value: &mut Option<Value>| {
            if value.is_some() {
                *value = Some(Value::String(HIDDEN.into()));
            }
        };
        hidden(&mut self.old);
        hidden(&mut self.new);
        self.secret = true;
    }
}

/// The name at the end of a path that the author chose: of a variable or a key.
fn own_name(path: &str) -> Option<&str> {
    let item = |path: &'_ str| path.strip_suffix(']').and_then(|path| path.rfind('['));
    if let Some(path) = path.strip_suffix(".value")
        && let Some(at) = item(path)
    {
        return path.get(at + 1..path.len() - 1);
    }
    let maps =
        ["data.", "stringData.", "binaryData.", "metadata.annotations.", "template.metadata.annotations."];
    maps.iter()
        .find_map(|map| path.strip_prefix(map).or_else(|| Some(path.split_once(&format!(".{map}"))?.1)))
}

/// Fields that only the cluster writes.
fn is_of_the_cluster(path: &str) -> bool {
    let of_meta = ["uid", "resourceVersion", "creationTimestamp", "generation", "managedFields", "selfLink"];
    path == "status"
        || path == "metadata.annotations.kubectl.kubernetes.io/last-applied-configuration"
        || path.strip_prefix("metadata.").is_some_and(|field| of_meta.contains(&field))
}

/// The field by which the items of two lists are matched; `None` if they are matched by position.
fn key_of(path: &str, old: &[Value], new: &[Value]) -> Option<&'static str> {
    let keys: &[&'static str] = if path.ends_with("volumeMounts") {
        &["mountPath"]
    } else {
        &["name", "containerPort", "port", "topologyKey", "host", "path", "ip"]
    };
    let unique = |items: &[Value], key: &str| {
        let mut seen = BTreeSet::new();
        items.iter().all(|item| {
            let value = &item[key];
            (value.is_string() || value.is_number()) && seen.insert(value.to_string())
        })
    };
    keys.iter().copied().find(|key| unique(old, key) && unique(new, key))
}
