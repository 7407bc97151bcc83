//! Comparing two sets of objects.

use fracht_cluster::compare::{ChangeKind, compare};
use fracht_cluster::read_objects;
use serde_json::{Value, json};

use crate::{demo, files, object, objects};
use fracht_testkit::random_stack::{parts, stack_file};
use proptest::prelude::*;

/// The fields that differ, `path: old → new`.
fn fields(old: &Value, new: &Value) -> Vec<String> {
    let difference = compare(std::slice::from_ref(old), std::slice::from_ref(new));
    let shown = |value: &Option<Value>| value.as_ref().map_or_else(|| "–".to_owned(), ToString::to_string);
    let changes = difference.objects.iter().flat_map(|object| match &object.change {
        ChangeKind::Changed(fields) => fields.clone(),
        other => panic!("{other:?}"),
    });
    changes.map(|field| format!("{}: {} → {}", field.path, shown(&field.old), shown(&field.new))).collect()
}

#[expect(clippy::needless_pass_by_value, reason = "built for the call")]
fn pod(containers: Value) -> Value {
    json!({ "kind": "Pod", "metadata": { "name": "p" }, "spec": { "containers": containers } })
}

#[test]
fn lists_are_compared_by_name_not_by_position() {
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
fn secrets_are_compared_and_not_shown() {
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
        assert!(shown.contains("(hidden)") || shown.contains("sql://tide:****@db"), "{shown}");
        for word in ["gull", "kelp", "Z3VsbA", "a2VscA"] {
            assert!(!shown.contains(word), "{shown}");
        }
    }
    assert_eq!(fields(&env("LEVEL", "a"), &env("LEVEL", "b")).len(), 1);
    assert!(!fields(&env("LEVEL", "a"), &env("LEVEL", "b"))[0].contains("hidden"));
}

#[test]
fn fields_that_the_cluster_fills_in_are_ignored() {
    let mut live = pod(json!([{ "name": "a" }]));
    let generated = live.clone();
    live["status"] = json!({ "phase": "Running" });
    for field in ["uid", "resourceVersion", "creationTimestamp", "managedFields"] {
        live["metadata"][field] = "x".into();
    }
    assert_eq!(fields(&live, &generated), [""; 0]);
}

/// An object as a cluster returns it, with defaults and status (API reference of each kind).
fn filled_in(object: &Value) -> Value {
    let mut live = object.clone();
    for (field, value) in [
        ("uid", json!("8f3c")),
        ("resourceVersion", json!("12")),
        ("creationTimestamp", json!("2026-11-24T10:00:00Z")),
        ("managedFields", json!([{ "manager": "kubectl" }])),
    ] {
        live["metadata"][field] = value;
    }
    live["metadata"]["annotations"]["kubectl.kubernetes.io/last-applied-configuration"] = "{}".into();
    live["status"] = json!({ "observedGeneration": 1 });
    let fill = |at: &mut Value, fields: Value| {
        for (field, value) in fields.as_object().unwrap() {
            if at.get(field).is_none() {
                at[field] = value.clone();
            }
        }
    };
    let spec = &mut live["spec"];
    match object["kind"].as_str().unwrap() {
        "Deployment" => fill(
            spec,
            json!({ "revisionHistoryLimit": 10, "progressDeadlineSeconds": 600,
                "strategy": { "type": "RollingUpdate", "rollingUpdate": { "maxSurge": "25%", "maxUnavailable": "25%" } } }),
        ),
        "StatefulSet" => {
            fill(
                spec,
                json!({ "revisionHistoryLimit": 10, "podManagementPolicy": "OrderedReady",
                    "updateStrategy": { "type": "RollingUpdate", "rollingUpdate": { "partition": 0 } },
                    "persistentVolumeClaimRetentionPolicy": { "whenDeleted": "Retain", "whenScaled": "Retain" } }),
            );
            for claim in spec["volumeClaimTemplates"].as_array_mut().into_iter().flatten() {
                fill(
                    claim,
                    json!({ "apiVersion": "v1", "kind": "PersistentVolumeClaim", "status": { "phase": "Pending" } }),
                );
                fill(&mut claim["spec"], json!({ "volumeMode": "Filesystem" }));
            }
        }
        "Job" => {
            let uid = json!({ "batch.kubernetes.io/controller-uid": "1", "controller-uid": "1" });
            fill(
                spec,
                json!({ "parallelism": 1, "completions": 1, "completionMode": "NonIndexed", "suspend": false }),
            );
            fill(
                spec,
                json!({ "selector": { "matchLabels": { "batch.kubernetes.io/controller-uid": "1" } } }),
            );
            fill(&mut spec["template"]["metadata"]["labels"], uid);
        }
        "CronJob" => fill(
            spec,
            json!({ "successfulJobsHistoryLimit": 3, "failedJobsHistoryLimit": 1, "suspend": false, "concurrencyPolicy": "Allow" }),
        ),
        "Service" => {
            fill(
                spec,
                json!({ "type": "ClusterIP", "sessionAffinity": "None", "internalTrafficPolicy": "Cluster" }),
            );
            fill(
                spec,
                json!({ "clusterIP": "10.96.0.7", "clusterIPs": ["10.96.0.7"], "ipFamilies": ["IPv4"] }),
            );
            for port in spec["ports"].as_array_mut().into_iter().flatten() {
                let number = port["port"].clone();
                fill(port, json!({ "protocol": "TCP", "targetPort": number, "nodePort": 31234 }));
            }
        }
        "PersistentVolumeClaim" => {
            live["metadata"]["finalizers"] = json!(["kubernetes.io/pvc-protection"]);
            fill(
                &mut live["spec"],
                json!({ "volumeMode": "Filesystem", "volumeName": "pvc-1", "storageClassName": "standard" }),
            );
        }
        "Namespace" => {
            live["metadata"]["labels"]["kubernetes.io/metadata.name"] = object["metadata"]["name"].clone();
            live["spec"] = json!({ "finalizers": ["kubernetes"] });
        }
        "ServiceAccount" => live["secrets"] = json!([{ "name": "token" }]),
        "Secret" => fill(&mut live, json!({ "type": "Opaque" })),
        _ => {}
    }
    let pod = ["/spec/template/spec", "/spec/jobTemplate/spec/template/spec"]
        .into_iter()
        .find(|at| live.pointer(at).is_some());
    if let Some(spec) = pod.and_then(|at| live.pointer_mut(at)) {
        let service_account = spec["serviceAccountName"].clone();
        fill(
            spec,
            json!({ "restartPolicy": "Always", "dnsPolicy": "ClusterFirst", "schedulerName": "default-scheduler",
                "terminationGracePeriodSeconds": 30, "securityContext": {}, "serviceAccount": service_account }),
        );
        for list in ["containers", "initContainers"] {
            for container in spec[list].as_array_mut().into_iter().flatten() {
                let policy = json!({ "terminationMessagePath": "/dev/termination-log", "terminationMessagePolicy": "File",
                    "imagePullPolicy": "IfNotPresent", "resources": {} });
                fill(container, policy);
                for probe in ["startupProbe", "readinessProbe", "livenessProbe"] {
                    if container.get(probe).is_some() {
                        let defaults = json!({ "timeoutSeconds": 1, "periodSeconds": 10, "successThreshold": 1, "failureThreshold": 3 });
                        fill(&mut container[probe], defaults);
                    }
                }
                container["ports"]
                    .as_array_mut()
                    .into_iter()
                    .flatten()
                    .for_each(|port| fill(port, json!({ "protocol": "TCP" })));
                container.as_object_mut().unwrap().retain(|_, value| !value.is_null());
            }
        }
        for volume in spec["volumes"].as_array_mut().into_iter().flatten() {
            for source in ["configMap", "secret", "projected"] {
                if volume.get(source).is_some() {
                    fill(&mut volume[source], json!({ "defaultMode": 420 }));
                }
            }
        }
        spec.as_object_mut().unwrap().retain(|_, value| !value.is_null());
    }
    live
}

/// In objects from a cluster, only fields that Fracht can set are compared: defaults, status and objects of others
/// are no differences, but fields that are no longer set are.
#[test]
fn a_dump_of_a_cluster_differs_only_in_fields_that_we_set() {
    let owned = |kind: &str, owner: &str| {
        json!({ "apiVersion": "v1", "kind": kind, "metadata": { "name": format!("{owner}-x"), "namespace": "tidedesk", "uid": "1",
            "labels": { "app.kubernetes.io/managed-by": "fracht", "app.kubernetes.io/part-of": "tidedesk", "app.kubernetes.io/name": owner },
            "ownerReferences": [{ "kind": "Deployment", "name": owner }] } })
    };
    let generated = objects(&demo(), "prod");
    let mut dump: Vec<Value> = generated.iter().map(filled_in).collect();
    dump.extend([owned("ReplicaSet", "api"), owned("Pod", "api"), owned("Pod", "db")]);
    let mut other = filled_in(object(&generated, "ConfigMap", "model"));
    other["metadata"]["name"] = "kube-root-ca.crt".into();
    other["metadata"]["labels"] = json!({});
    dump.push(other);
    // An earlier version of a task.
    let mut earlier = filled_in(generated.iter().find(|object| object["kind"] == "Job").unwrap());
    earlier["metadata"]["name"] = "tidedesk-schema-00000000".into();
    dump.push(earlier);
    let difference = compare(&dump, &generated);
    assert_eq!(difference.objects, []);
    assert_eq!(difference.same, generated.len());
    let left_out: Vec<(&str, usize)> =
        difference.left_out.iter().map(|(kind, count)| (kind.as_str(), *count)).collect();
    assert_eq!(left_out, [("ConfigMap", 1), ("Job", 1), ("Pod", 2), ("ReplicaSet", 1)]);
    // A service that was removed from the stack is reported, also in objects from a cluster.
    let api = dump
        .iter_mut()
        .find(|object| object["metadata"]["name"] == "tidedesk-api" && object["kind"] == "Deployment")
        .unwrap();
    let container = &mut api["spec"]["template"]["spec"]["containers"][0];
    container["env"].as_array_mut().unwrap().push(json!({ "name": "TRACE", "value": "1" }));
    container["command"] = json!(["old"]);
    container["resources"]["limits"]["ephemeral-storage"] = "1Gi".into();
    api["metadata"]["annotations"]["tides.example/old"] = "x".into();
    api["spec"]["template"]["spec"]["nodeSelector"] = json!({ "disk": "fast" });
    dump.push(filled_in(&json!({ "apiVersion": "v1", "kind": "ConfigMap", "metadata": { "name": "tidedesk-gone", "namespace": "tidedesk",
        "labels": { "app.kubernetes.io/managed-by": "fracht", "app.kubernetes.io/part-of": "tidedesk" } } })));
    let difference = compare(&dump, &generated);
    let told: Vec<String> = difference
        .objects
        .iter()
        .flat_map(|object| match &object.change {
            ChangeKind::Changed(fields) => fields.iter().map(|field| field.path.clone()).collect(),
            change => vec![format!("{:?} {}", change, object.name)],
        })
        .collect();
    let pod = "spec.template.spec";
    assert_eq!(
        told,
        [
            "metadata.annotations.tides.example/old".to_owned(),
            format!("{pod}.containers[api].env[TRACE]"),
            format!("{pod}.containers[api].resources.limits.ephemeral-storage"),
            format!("{pod}.containers[api].command"),
            format!("{pod}.nodeSelector"),
            "Removed tidedesk-gone".to_owned(),
        ]
    );
}

#[test]
fn quantities_are_compared_by_value() {
    let generated = |cpu: &str, memory: &str| {
        let mut pod =
            pod(json!([{ "name": "a", "resources": { "limits": { "cpu": cpu, "memory": memory } } }]));
        pod["metadata"]["uid"] = "1".into();
        pod
    };
    for (live, ours) in [(("1", "1Gi"), ("1000m", "1024Mi")), (("500m", "1M"), ("0.5", "1000k"))] {
        assert_eq!(fields(&generated(live.0, live.1), &generated(ours.0, ours.1)), [""; 0]);
    }
    assert_eq!(fields(&generated("1", "1Gi"), &generated("2", "1G")).len(), 2);
}

#[test]
fn a_changed_namespace_is_reported_once_and_jobs_match_by_task() {
    let (staging, prod) = (objects(&demo(), "staging"), objects(&demo(), "prod"));
    let difference = compare(&staging, &prod);
    assert_eq!(difference.namespace, Some(("tidedesk-staging".into(), "tidedesk".into())));
    assert!(difference.objects.iter().all(|object| matches!(object.change, ChangeKind::Changed(_))));
    let text = format!("{:?}", difference.objects);
    assert!(!text.contains("metadata.namespace"), "{text}");
    let job = difference.objects.iter().find(|object| object.kind == "Job").unwrap();
    assert!(matches!(&job.change, ChangeKind::Changed(fields) if fields[0].path == "metadata.name"));
    assert!(difference.same > 15);
}

#[test]
fn added_and_removed_objects_are_reported() {
    let one = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n";
    let two = format!("{one}[service.b]\nimage = \"b:1.0\"\n");
    let (one, two) = (objects(&files(one), "cluster"), objects(&files(&two), "cluster"));
    let changes = |old, new| -> Vec<(String, ChangeKind)> {
        compare(old, new).objects.into_iter().map(|o| (format!("{}/{}", o.kind, o.name), o.change)).collect()
    };
    assert_eq!(changes(&one, &two), [("Deployment/s-b".to_owned(), ChangeKind::Added)]);
    assert_eq!(changes(&two, &one), [("Deployment/s-b".to_owned(), ChangeKind::Removed)]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Writing and reading objects makes no difference, in any order.
    #[test]
    fn written_objects_do_not_differ_when_they_are_read(parts in parts(), turn in any::<bool>()) {
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
