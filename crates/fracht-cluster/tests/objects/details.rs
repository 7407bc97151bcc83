//! What a key of the stack becomes.

use indoc::{formatdoc, indoc};
use serde_json::{Value, json};

use crate::{demo, files, object, objects};

/// The objects of `[service.a]` with some keys.
fn service(keys: &str) -> Vec<Value> {
    objects(&files(&format!("[stack]\nname = \"s\"\n{keys}")), "cluster")
}

fn container(objects: &[Value], name: &str) -> Value {
    object(objects, "Deployment", name)["spec"]["template"]["spec"]["containers"][0].clone()
}

#[test]
fn a_health_check_becomes_three_probes() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            port.http = 80
            health = { http = "/up", every = "4s", timeout = "1s", boot = "30s", fails = 2, restart-after = 5 }
            "#});
    let a = container(&all, "a");
    let probe = |failures: u32| json!({ "httpGet": { "path": "/up", "port": "http" }, "periodSeconds": 4, "failureThreshold": failures });
    assert_eq!(a["startupProbe"], probe(8), "30 s in steps of 4 s, rounded up");
    assert_eq!(a["readinessProbe"], probe(2));
    assert_eq!(a["livenessProbe"], probe(5));
}

#[test]
fn a_service_that_is_never_restarted_has_no_liveness_probe() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            health = { run = ["ok"], restart-after = 0, fails = 3 }
            "#});
    let a = container(&all, "a");
    assert_eq!(
        a["readinessProbe"],
        json!({ "exec": { "command": ["ok"] }, "periodSeconds": 5, "timeoutSeconds": 2 })
    );
    assert!(a.get("livenessProbe").is_none());
}

#[test]
fn ranges_are_requests_and_limits() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            cpu = "100m.."
            memory = "..1Gi"
            [service.b]
            image = "b:1.0"
            cpu = 2
            "#});
    assert_eq!(
        container(&all, "a")["resources"],
        json!({ "requests": { "cpu": "100m" }, "limits": { "memory": "1Gi" } })
    );
    assert_eq!(
        container(&all, "b")["resources"],
        json!({ "requests": { "cpu": "2" }, "limits": { "cpu": "2" } })
    );
}

#[test]
fn the_user_owns_the_volumes_and_a_lone_volume_is_never_mounted_twice() {
    let all = service(indoc! {r#"
            [volume.v]
            size = "1Gi"
            [volume.shared]
            size = "1Gi"
            access = "many-nodes"
            [service.a]
            image = "a:1.0"
            user = "10:20"
            mount."/v" = "volume.v"
            [service.b]
            image = "b:1.0"
            user = 10
            mount."/v" = "volume.shared"
            [service.c]
            image = "c:1.0"
            user = 0
            "#});
    let spec = |name: &str| object(&all, "Deployment", name)["spec"].clone();
    let security = |name: &str| {
        let pod = &spec(name)["template"]["spec"];
        (pod["securityContext"].clone(), pod["containers"][0]["securityContext"].clone())
    };
    let filter = json!({ "type": "RuntimeDefault" });
    assert_eq!(
        security("a"),
        (
            json!({ "fsGroup": 20, "seccompProfile": filter }),
            json!({ "runAsUser": 10, "runAsGroup": 20, "runAsNonRoot": true, "allowPrivilegeEscalation": false })
        )
    );
    assert_eq!(security("b").0, json!({ "fsGroup": 10, "seccompProfile": filter }));
    assert_eq!(
        security("c"),
        (json!({ "seccompProfile": filter }), json!({ "runAsUser": 0, "allowPrivilegeEscalation": false }))
    );
    assert_eq!(spec("a")["strategy"], json!({ "type": "Recreate" }));
    assert!(spec("b").get("strategy").is_none());
    let claim = &object(&all, "PersistentVolumeClaim", "shared")["spec"];
    assert_eq!(
        *claim,
        json!({ "accessModes": ["ReadWriteMany"], "resources": { "requests": { "storage": "1Gi" } } })
    );
}

#[test]
fn each_reach_has_an_object_with_its_ports_only() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            port.in = 80
            port.dns = { number = 53, protocol = "udp", reach = "node", at = 30053 }
            port.web = { number = 8000, reach = "balancer", as = 81, at = 443 }
            "#});
    let ports = |name: &str| object(&all, "Service", name)["spec"]["ports"].clone();
    assert_eq!(
        ports("a"),
        json!([
            { "name": "in", "port": 80, "targetPort": "in" },
            { "name": "dns", "port": 53, "targetPort": "dns", "protocol": "UDP" },
            { "name": "web", "port": 81, "targetPort": "web" },
        ])
    );
    assert_eq!(
        ports("a-node"),
        json!([{ "name": "dns", "port": 53, "targetPort": "dns", "protocol": "UDP", "nodePort": 30053 }])
    );
    assert_eq!(ports("a-balancer"), json!([{ "name": "web", "port": 443, "targetPort": "web" }]));
}

#[test]
fn a_secret_in_a_text_is_expanded_by_the_kubelet() {
    let all = service(indoc! {r#"
            [secret.db]
            key.password = { env = "PW" }
            [config.c]
            key.k = "v"
            [service.a]
            image = "a:1.0"
            args = ["--pw={secret.db/password}", "$(HOME) {pod.ip}"]
            env.FRACHT_POD_IP = "mine"
            env.URL = "x$(A)$${secret.db/password}"
            env.ONE = "{config.c/k}"
            "#});
    let a = container(&all, "a");
    let secret = json!({ "secretKeyRef": { "name": "s-db", "key": "password" } });
    assert_eq!(
        a["env"],
        json!([
            { "name": "FRACHT_SECRET_DB_PASSWORD", "valueFrom": secret },
            { "name": "FRACHT_POD_IP_2", "valueFrom": { "fieldRef": { "fieldPath": "status.podIP" } } },
            { "name": "FRACHT_POD_IP", "value": "mine" },
            { "name": "URL", "value": "x$$(A)$$$$$(FRACHT_SECRET_DB_PASSWORD)" },
            { "name": "ONE", "valueFrom": { "configMapKeyRef": { "name": "s-c", "key": "k" } } },
        ])
    );
    assert_eq!(a["args"], json!(["--pw=$(FRACHT_SECRET_DB_PASSWORD)", "$$(HOME) $(FRACHT_POD_IP_2)"]));
}

#[test]
fn a_pod_reads_its_own_fields() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            env.A = "{pod.name}"
            env.B = "{pod.label/tier}-{pod.node}"
            "#});
    let env = container(&all, "a")["env"].clone();
    let field = |path: &str| json!({ "fieldRef": { "fieldPath": path } });
    assert_eq!(
        env,
        json!([
            { "name": "FRACHT_POD_LABEL_TIER", "valueFrom": field("metadata.labels['tier']") },
            { "name": "FRACHT_POD_NODE", "valueFrom": field("spec.nodeName") },
            { "name": "A", "valueFrom": field("metadata.name") },
            { "name": "B", "value": "$(FRACHT_POD_LABEL_TIER)-$(FRACHT_POD_NODE)" },
        ])
    );
}

#[test]
fn configs_hold_text_as_data_and_bytes_as_binary_data() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [config.c]
        key.a = { file = "a.txt" }
        key.b = { file = "b.bin" }
        [service.x]
        image = "x:1.0"
        mount."/c" = "config.c"
        mount."/d/a" = "config.c/a"
        "#};
    let all =
        objects(&files(stack).with("/s/a.txt", "text\n").with("/s/b.bin", vec![0, 159, 146]), "cluster");
    let map = object(&all, "ConfigMap", "c");
    assert_eq!((&map["data"], &map["binaryData"]), (&json!({ "a": "text\n" }), &json!({ "b": "AJ+S" })));
    let mounts = container(&all, "x")["volumeMounts"].clone();
    assert_eq!(
        mounts,
        json!([
            { "name": "config-c", "mountPath": "/c", "readOnly": true },
            { "name": "config-c", "mountPath": "/d/a", "subPath": "a", "readOnly": true },
        ])
    );
}

#[test]
fn scratch_folders_have_different_names() {
    let all = service(indoc! {r#"
            [service.a]
            image = "a:1.0"
            mount."/a/b" = { scratch = "1Mi" }
            mount."/a-b" = { scratch = "2Mi" }
            "#});
    let volumes = object(&all, "Deployment", "a")["spec"]["template"]["spec"]["volumes"].clone();
    assert_eq!(volumes[0], json!({ "name": "scratch-a-b", "emptyDir": { "sizeLimit": "1Mi" } }));
    assert_ne!(volumes[0]["name"], volumes[1]["name"]);
}

#[test]
fn a_task_becomes_a_job() {
    let all = service("[task.t]\nimage = \"a:1.0\"\nretries = 1\ntimeout = \"90s\"\n");
    let job = all.iter().find(|object| object["kind"] == "Job").unwrap();
    let spec = &job["spec"];
    assert_eq!((&spec["backoffLimit"], &spec["activeDeadlineSeconds"]), (&json!(1), &json!(90)));
    assert_eq!(spec["template"]["spec"]["restartPolicy"], "Never");
    let name = job["metadata"]["name"].as_str().unwrap();
    assert!(name.starts_with("s-t-") && name.len() == 12, "{name}");
}

#[test]
fn names_beyond_their_limit_are_shortened_and_stay_different() {
    let long = "a".repeat(62);
    let all = service(&formatdoc!(
        r#"
            [service.{long}b]
            image = "a:1.0"
            port.x = {{ number = 80, reach = "node" }}
            [service.{long}c]
            image = "a:1.0"
            port.x = {{ number = 80, reach = "node" }}
            [task.{long}d]
            image = "a:1.0"
            "#
    ));
    let mut names: Vec<&str> =
        all.iter().map(|object| object["metadata"]["name"].as_str().unwrap()).collect();
    let ours = |names: &[&str]| names.iter().filter(|name| name.contains("aaa")).count();
    assert!(names.iter().all(|name| name.trim_end_matches(".open").len() <= 63));
    assert_eq!(ours(&names), 9, "two deployments, two inner and two node services, two policies, one job");
    names.sort_unstable();
    names.dedup();
    assert_eq!(ours(&names), 9, "each with a name of its own");
}

#[test]
fn an_existing_namespace_is_not_generated() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        [target.t]
        namespace = "n"
        namespace-present = true
        "#};
    let all = objects(&files(stack), "t");
    assert!(all.iter().all(|object| object["kind"] != "Namespace" && object["metadata"]["namespace"] == "n"));
}

#[test]
fn an_existing_secret_is_not_generated_and_keeps_its_name() {
    let all = objects(&demo(), "prod");
    assert!(!all.iter().any(|object| object["kind"] == "Secret" && object["metadata"]["name"] == "buoys"));
    let env = container(&all, "worker")["env"].clone();
    let token = env.as_array().unwrap().iter().find(|variable| variable["name"] == "BUOY_TOKEN").unwrap();
    assert_eq!(token["valueFrom"]["secretKeyRef"], json!({ "name": "buoy-feed", "key": "token" }));
}
