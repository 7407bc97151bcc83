//! What Fracht writes is what the API knows: every object can be read back into the type of its kind with nothing lost,
//! and the table by which Fracht checks what people bring says what these types say.

use std::fs;
use std::path::Path;

use fracht_cluster::misfits;
use fracht_oracles::{table, through_its_kind};
use fracht_testkit::random_stack::{parts, stack_file};
use fracht_testkit::{files, rendered, stacks};
use proptest::prelude::*;
use serde_json::{Value, json};

/// The kinds of the test stacks that belong to no version of Kubernetes.
const OF_OTHERS: [&str; 2] = ["HTTPRoute", "Widget"];

/// The object, read as its kind and written again.
fn again(object: &Value) -> Value {
    let read = through_its_kind(object).unwrap_or_else(|| panic!("unknown kind of {object}"));
    read.unwrap_or_else(|error| panic!("{error}: {object}"))
}

fn of_kubernetes(objects: &[Value]) -> impl Iterator<Item = &Value> {
    objects.iter().filter(|object| !OF_OTHERS.iter().any(|kind| object["kind"] == *kind))
}

fn all_written() -> Vec<Value> {
    let demo = stacks::clusters(&stacks::demo());
    let mut all: Vec<Value> =
        demo.iter().flat_map(|target| rendered::objects(&stacks::demo(), target)).collect();
    for name in stacks::NAMES {
        all.extend(rendered::of_stack(name).into_iter().flat_map(|(_, generated)| generated.objects));
    }
    all
}

#[test]
fn every_object_is_read_back_with_nothing_lost() {
    let all = all_written();
    assert!(all.len() > 100);
    for object in of_kubernetes(&all) {
        assert_eq!(&again(object), object);
        assert_eq!(misfits(object), [""; 0], "{object}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn every_object_of_a_random_stack_is_read_back(parts in parts()) {
        for object in of_kubernetes(&rendered::objects(&files(&stack_file(&parts)), "cluster")) {
            prop_assert_eq!(&again(object), object);
            prop_assert_eq!(misfits(object), [""; 0]);
        }
    }
}

#[test]
fn the_table_is_that_of_the_api() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../fracht-cluster/src/schema/kinds.txt");
    let table = table();
    if std::env::var_os("FRACHT_TABLE").is_some_and(|how| how == "write") {
        fs::write(&path, &table).unwrap();
    }
    let written = fs::read_to_string(&path).unwrap();
    assert!(written == table, "write it with FRACHT_TABLE=write cargo test -p fracht-oracles table");
    assert!(table.len() < 64_000, "{} bytes", table.len());
}

/// Every value in an object, as a JSON Pointer.
fn places(value: &Value, at: &str, all: &mut Vec<String>) {
    let below = |step: &str| format!("{at}/{}", step.replace('~', "~0").replace('/', "~1"));
    match value {
        Value::Object(fields) => fields.iter().for_each(|(name, value)| places(value, &below(name), all)),
        Value::Array(items) => {
            items
                .iter()
                .enumerate()
                .for_each(|(index, value)| places(value, &below(&index.to_string()), all));
        }
        _ => {}
    }
    all.push(at.to_owned());
}

/// Whether the types of the API refuse an object, or lose something of it.
fn refused(object: &Value) -> bool {
    fn loses(all: &Value, known: &Value) -> bool {
        let is_empty =
            |value: &Value| matches!(value, Value::Null) || *value == json!([]) || *value == json!({});
        match (all, known) {
            (Value::Object(all), Value::Object(known)) => {
                all.iter().any(|(name, value)| match known.get(name) {
                    Some(known) => loses(value, known),
                    None => !is_empty(value),
                })
            }
            (Value::Array(all), Value::Array(known)) => {
                all.iter().zip(known).any(|(one, other)| loses(one, other))
            }
            _ => false,
        }
    }
    through_its_kind(object).unwrap().map_or(true, |known| loses(object, &known))
}

/// The table refuses exactly what the types of the API refuse, wherever a value is replaced or a field renamed.
#[test]
fn the_table_refuses_what_the_types_refuse() {
    let values = [
        json!(true),
        json!(1),
        json!(-7),
        json!(2.5),
        json!(3_000_000_000_u64),
        json!(u64::MAX),
        json!("x"),
        json!(""),
        json!("5"),
        json!("2030-01-31T08:00:00Z"),
        json!("Z29vZA=="),
        json!([]),
        json!(["x"]),
        json!([1]),
        json!([null]),
        json!({}),
        json!({ "a": "b" }),
        json!({ "a": null }),
        json!([{}]),
        json!(null),
    ];
    let live = json!({
        "apiVersion": "v1", "kind": "Pod",
        "metadata": { "name": "x", "creationTimestamp": "2030-01-31T08:00:00Z", "generation": 3, "ownerReferences": [
            { "apiVersion": "v1", "kind": "ReplicaSet", "name": "y", "uid": "z", "controller": true }
        ] },
        "spec": { "containers": [{ "name": "a", "resources": { "limits": { "cpu": "1" } } }], "priority": 1, "tolerations": [
            { "key": "a", "tolerationSeconds": 3 }
        ] },
        "status": { "startTime": "2030-01-31T08:00:00Z", "containerStatuses": [
            { "name": "a", "image": "i", "imageID": "j", "ready": true, "restartCount": 1, "state": { "running": { "startedAt": "2030-01-31T08:00:00Z" } } }
        ] },
    });
    let lease = json!({
        "apiVersion": "coordination.k8s.io/v1", "kind": "Lease", "metadata": { "name": "x" },
        "spec": { "acquireTime": "2030-01-31T08:00:00.000000Z", "leaseDurationSeconds": 15 },
    });
    let mut seen = std::collections::BTreeSet::new();
    let mut objects = all_written();
    objects.extend([live, lease]);
    let mut count = 0;
    for object in of_kubernetes(&objects).filter(|object| seen.insert(object["kind"].to_string())) {
        let mut all = Vec::new();
        places(object, "", &mut all);
        for place in all.iter().filter(|place| !["", "/kind", "/apiVersion"].contains(&place.as_str())) {
            // An amount may be a number, and a text must be one: the types take any text, and no number.
            let is_amount = |found: &[String]| found.iter().any(|misfit| misfit.contains("an amount"));
            let mut switched = object.clone();
            *switched.pointer_mut(place).unwrap() = json!(true);
            let amount = is_amount(&misfits(&switched));
            for value in &values {
                let mut changed = object.clone();
                *changed.pointer_mut(place).unwrap() = value.clone();
                let found = misfits(&changed);
                count += 1;
                if amount || is_amount(&found) {
                    continue;
                }
                assert_eq!(
                    !found.is_empty(),
                    refused(&changed),
                    "{place} = {value} of {}: {found:?}",
                    object["kind"]
                );
            }
            if let Some((above, name)) = place.rsplit_once('/') {
                let mut changed = object.clone();
                if let Some(fields) = changed.pointer_mut(above).and_then(Value::as_object_mut) {
                    let value = fields.remove(&name.replace("~1", "/")).unwrap();
                    fields.insert(format!("{}x", name.replace("~1", "/")), value);
                    assert_eq!(
                        !misfits(&changed).is_empty(),
                        refused(&changed),
                        "{place}x of {}",
                        object["kind"]
                    );
                }
            }
        }
    }
    assert!(count > 10_000, "{count}");
}
