//! What differs between two sets of objects.

use fracht_cluster::diff::{Change, compare};
use fracht_cluster::read_objects;
use serde_json::{Value, json};

use crate::random_stack::{parts, stack_file};
use crate::{demo, files, objects};
use proptest::prelude::*;

/// The fields that differ, `path: old → new`.
fn fields(old: &Value, new: &Value) -> Vec<String> {
    let difference = compare(std::slice::from_ref(old), std::slice::from_ref(new));
    let shown = |value: &Option<Value>| value.as_ref().map_or_else(|| "–".to_owned(), ToString::to_string);
    let changes = difference.objects.iter().flat_map(|object| match &object.change {
        Change::Changed(fields) => fields.clone(),
        other => panic!("{other:?}"),
    });
    changes.map(|field| format!("{}: {} → {}", field.path, shown(&field.old), shown(&field.new))).collect()
}

#[expect(clippy::needless_pass_by_value, reason = "made for the call")]
fn pod(containers: Value) -> Value {
    json!({ "kind": "Pod", "metadata": { "name": "p" }, "spec": { "containers": containers } })
}

#[test]
fn lists_are_matched_by_name_and_not_by_position() {
    let old = pod(json!([
        { "name": "a", "env": [{ "name": "X", "value": "1" }, { "name": "Y", "value": "2" }] },
        { "name": "b", "ports": [{ "containerPort": 80 }, { "containerPort": 81 }] },
    ]));
    let new = pod(json!([
        { "name": "b", "ports": [{ "containerPort": 81, "protocol": "UDP" }] },
        { "name": "a", "env": [{ "name": "Y", "value": "3" }, { "name": "X", "value": "1" }] },
    ]));
    assert_eq!(
        fields(&old, &new),
        [
            "spec.containers[a].env[Y].value: \"2\" → \"3\"",
            "spec.containers[a].env (order): [\"X\",\"Y\"] → [\"Y\",\"X\"]",
            "spec.containers[b].ports[80]: {\"containerPort\":80} → –",
            "spec.containers[b].ports[81].protocol: – → \"UDP\"",
        ]
    );
    let mounts = |first: &str, second: &str| {
        let mount = |path: &str| json!({ "name": "one", "mountPath": path });
        pod(json!([{ "name": "a", "volumeMounts": [mount(first), mount(second)] }]))
    };
    assert_eq!(fields(&mounts("/a", "/b"), &mounts("/b", "/a")), [""; 0], "one volume at two paths");
    let args = |list: Value| pod(json!([{ "name": "a", "args": list }]));
    assert_eq!(
        fields(&args(json!(["x", "y"])), &args(json!(["x", "z", "y"]))),
        ["spec.containers[a].args[1]: \"y\" → \"z\"", "spec.containers[a].args[2]: – → \"y\""]
    );
}

#[test]
fn what_is_secret_differs_and_is_not_shown() {
    let secret =
        |value: &str| json!({ "kind": "Secret", "metadata": { "name": "s" }, "data": { "k": value } });
    let env =
        |name: &str, value: &str| pod(json!([{ "name": "a", "env": [{ "name": name, "value": value }] }]));
    let config = |key: &str, value: &str| json!({ "kind": "ConfigMap", "metadata": { "name": "c" }, "data": { key: value } });
    for (old, new) in [
        (secret("Z3VsbA=="), secret("a2VscA==")),
        (env("DB_PASSWORD", "gull"), env("DB_PASSWORD", "kelp")),
        (env("URL", "sql://tide:gull@db"), env("URL", "sql://tide:kelp@db")),
        (config("api-key", "gull"), config("api-key", "kelp")),
        (pod(json!([])), env("URL", "sql://tide:kelp@db")),
    ] {
        let shown = fields(&old, &new).join("\n");
        assert!(shown.contains("(hidden)"), "{shown}");
        for word in ["gull", "kelp", "Z3VsbA", "a2VscA"] {
            assert!(!shown.contains(word), "{shown}");
        }
    }
    assert_eq!(fields(&env("LEVEL", "a"), &env("LEVEL", "b")).len(), 1);
    assert!(!fields(&env("LEVEL", "a"), &env("LEVEL", "b"))[0].contains("hidden"));
}

#[test]
fn what_only_the_cluster_writes_is_passed_over() {
    let mut live = pod(json!([{ "name": "a" }]));
    let made = live.clone();
    live["status"] = json!({ "phase": "Running" });
    for field in ["uid", "resourceVersion", "creationTimestamp", "managedFields"] {
        live["metadata"][field] = "x".into();
    }
    assert_eq!(fields(&live, &made), [""; 0]);
}

#[test]
fn another_namespace_is_told_once_and_jobs_are_known_by_what_they_are_for() {
    let (staging, prod) = (objects(&demo(), "staging"), objects(&demo(), "prod"));
    let difference = compare(&staging, &prod);
    assert_eq!(difference.namespace, Some(("tidedesk-staging".into(), "tidedesk".into())));
    assert!(difference.objects.iter().all(|object| matches!(object.change, Change::Changed(_))));
    let text = format!("{:?}", difference.objects);
    assert!(!text.contains("metadata.namespace"), "{text}");
    let job = difference.objects.iter().find(|object| object.kind == "Job").unwrap();
    assert!(matches!(&job.change, Change::Changed(fields) if fields[0].path == "metadata.name"));
    assert!(difference.same > 15);
}

#[test]
fn what_is_added_and_removed_is_told() {
    let one = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n";
    let two = format!("{one}[service.b]\nimage = \"b:1\"\n");
    let (one, two) = (objects(&files(one), "cluster"), objects(&files(&two), "cluster"));
    let changes = |old, new| -> Vec<(String, Change)> {
        compare(old, new).objects.into_iter().map(|o| (format!("{}/{}", o.kind, o.name), o.change)).collect()
    };
    assert_eq!(changes(&one, &two), [("Deployment/s-b".to_owned(), Change::Added)]);
    assert_eq!(changes(&two, &one), [("Deployment/s-b".to_owned(), Change::Removed)]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// What was written and read again does not differ, whatever its order is.
    #[test]
    fn nothing_differs_from_itself(parts in parts(), turn in any::<bool>()) {
        let all = objects(&files(&stack_file(&parts)), "cluster");
        let text = crate::rendered(&files(&stack_file(&parts)), "cluster", fracht_cluster::Format::Yaml);
        let mut again = read_objects(&text).unwrap();
        if turn {
            again.reverse();
        }
        let difference = compare(&again, &all);
        prop_assert_eq!(difference.objects, []);
        prop_assert_eq!(difference.same, all.len());
    }
}
