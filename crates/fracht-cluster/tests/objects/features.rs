//! The exact objects for single keys of the language.

use indoc::indoc;
use serde_json::{Value, json};

use crate::{files, object, objects};

const HEAD: &str = indoc! {r#"
    [stack]
    name = "s"
    [secret.login]
    key.password = { env = "PW" }
    key."user.name" = { env = "U" }
    [config.c]
    key."poll-every" = "5s"
    key.LEVEL = "info"
    key.file = { file = "f" }
    [config.plain]
    key.A = "1"
    [volume.v]
    size = "1Gi"
    "#};

/// The objects of a stack that begins with [`HEAD`].
fn generated(rest: &str) -> Vec<Value> {
    objects(&files(&format!("{HEAD}{rest}")).with("/s/f", "content"), "cluster")
}

/// The pod of a service `a` with some lines.
fn pod(lines: &str) -> Value {
    let all = generated(&format!("[service.a]\nimage = \"a:1.0\"\n{lines}\n"));
    let kind =
        if all.iter().any(|object| object["kind"] == "StatefulSet") { "StatefulSet" } else { "Deployment" };
    object(&all, kind, "a")["spec"]["template"].clone()
}

fn main_container(lines: &str) -> Value {
    pod(lines)["spec"]["containers"][0].clone()
}

#[test]
fn a_config_is_used_whole_or_by_key() {
    let whole = main_container("use = [\"config.plain\", { from = \"config.plain\", prefix = \"P_\" }]");
    assert_eq!(
        whole["envFrom"],
        json!([{ "configMapRef": { "name": "s-plain" } }, { "configMapRef": { "name": "s-plain" }, "prefix": "P_" }])
    );
    assert!(whole.get("env").is_none());
    let by_key = main_container(indoc! {r#"
            use = [{ from = "config.c", prefix = "APP_", spell = "upper" }, { from = "secret.login", spell = "upper" }]
            env.LEVEL = "debug"
            env.APP_LEVEL = "own""#});
    assert!(by_key.get("envFrom").is_none());
    let names: Vec<&str> =
        by_key["env"].as_array().unwrap().iter().map(|v| v["name"].as_str().unwrap()).collect();
    assert_eq!(
        names,
        ["APP_POLL_EVERY", "PASSWORD", "USER_NAME", "LEVEL", "APP_LEVEL"],
        "no file, and what is written wins"
    );
    assert_eq!(
        by_key["env"][0]["valueFrom"]["configMapKeyRef"],
        json!({ "name": "s-c", "key": "poll-every" })
    );
    assert_eq!(
        by_key["env"][2]["valueFrom"]["secretKeyRef"],
        json!({ "name": "s-login", "key": "user.name" })
    );
    assert_eq!(by_key["env"][3], json!({ "name": "LEVEL", "value": "debug" }));
}

#[test]
fn pods_are_restarted_when_their_config_changes() {
    let annotations = |lines: &str| pod(lines)["metadata"]["annotations"].clone();
    assert!(annotations("use = [\"config.plain\"]")["fracht/config-plain"].is_string());
    assert!(
        annotations("beside.x = { image = \"x:1.0\", use = [\"config.plain\"] }")["fracht/config-plain"]
            .is_string()
    );
    assert!(
        annotations("use = [{ from = \"secret.login\", spell = \"upper\" }]\nspread = \"node\"").is_null(),
        "secrets enter no digest"
    );
}

#[test]
fn spread_is_preferred_or_required() {
    let labels =
        json!({ "matchLabels": { "app.kubernetes.io/name": "a", "app.kubernetes.io/part-of": "s" } });
    let constraint = |key: &str, otherwise: &str| json!([{ "maxSkew": 1, "topologyKey": key, "whenUnsatisfiable": otherwise, "labelSelector": labels }]);
    let spec = |spread: &str| pod(&format!("spread = {spread}"))["spec"].clone();
    let (host, zone) = ("kubernetes.io/hostname", "topology.kubernetes.io/zone");
    assert_eq!(spec("\"node\"")["topologySpreadConstraints"], constraint(host, "ScheduleAnyway"));
    let strict_zone = spec("{ over = \"zone\", strict = true }");
    assert_eq!(strict_zone["topologySpreadConstraints"], constraint(zone, "DoNotSchedule"));
    let strict_node = spec("{ over = \"node\", strict = true }");
    assert!(strict_node.get("topologySpreadConstraints").is_none());
    assert_eq!(
        strict_node["affinity"]["podAntiAffinity"]["requiredDuringSchedulingIgnoredDuringExecution"],
        json!([{ "topologyKey": host, "labelSelector": labels }])
    );
}

#[test]
fn scheduling_and_shutdown_of_a_pod() {
    let spec = pod(indoc! {r#"
        place = { disk = "fast", "harbour.example/row" = 3 }
        platform = "linux/arm64"
        stop-within = "90s"
        before-stop = { run = ["drain", "all"] }"#})["spec"]
        .clone();
    assert_eq!(
        spec["nodeSelector"],
        json!({ "disk": "fast", "harbour.example/row": "3", "kubernetes.io/os": "linux", "kubernetes.io/arch": "arm64" })
    );
    assert_eq!(spec["terminationGracePeriodSeconds"], 90);
    assert_eq!(
        spec["containers"][0]["lifecycle"],
        json!({ "preStop": { "exec": { "command": ["drain", "all"] } } })
    );
    assert!(
        pod("stop-within = \"30s\"")["spec"].get("terminationGracePeriodSeconds").is_none(),
        "the default"
    );
    let waits = main_container("before-stop = { wait = \"1500ms\" }");
    assert_eq!(waits["lifecycle"], json!({ "preStop": { "sleep": { "seconds": 2 } } }));
}

#[test]
fn notes_of_ports_are_on_the_object_that_leads_to_them() {
    let stack = |web: &str| {
        format!(
            indoc! {r#"
            [target.cluster]
            domain = "tides.example"
            {}
            web.note = {{ "x.example/size" = "8Mi", "x.example/retry" = 3 }}
            [service.a]
            image = "a:1.0"
            note."x.example/own" = "pods"
            port.web = {{ number = 80, reach = "web", note."x.example/size" = "{{stack.name}}" }}
            port.api = {{ number = 81, reach = "web", path = "/api" }}
            port.feed = {{ number = 82, reach = "balancer", note."x.example/inner" = true }}
            port.quiet = {{ number = 83, note."x.example/quiet" = "yes" }}
            "#},
            web
        )
    };
    let of =
        |all: &[Value], kind: &str, name: &str| object(all, kind, name)["metadata"]["annotations"].clone();
    let all = generated(&stack(""));
    assert_eq!(of(&all, "Ingress", "s-a"), json!({ "x.example/size": "s", "x.example/retry": "3" }));
    assert_eq!(of(&all, "Service", "s-a-balancer"), json!({ "x.example/inner": "true" }));
    assert_eq!(of(&all, "Service", "a"), json!({ "x.example/quiet": "yes" }));
    let all = generated(&stack("web.gateway = \"entry\""));
    assert_eq!(of(&all, "HTTPRoute", "s-a.web"), json!({ "x.example/size": "s", "x.example/retry": "3" }));
    assert_eq!(of(&all, "HTTPRoute", "s-a.api"), json!({ "x.example/size": "8Mi", "x.example/retry": "3" }));
}

#[test]
fn what_prepares_a_pod_ends_before_the_service_starts() {
    let lines = indoc! {r#"
        port.http = 80
        beside.meter = { image = "m:1.0", port.meter = 99 }
        beside.seed = { image = "s:1.0", once = true, program = ["seed", "{pod.name}"], mount."/d" = { scratch = "1Mi", shared = "d" } }
        mount."/d" = { scratch = "1Mi", shared = "d" }
        after.b = "ready"
        [service.b]
        image = "b:1.0"
        port.x = 1
        health = { tcp = "x" }"#};
    let spec = pod(lines)["spec"].clone();
    let before: Vec<_> = spec["initContainers"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["name"].as_str().unwrap(), one["restartPolicy"].as_str()))
        .collect();
    assert_eq!(before, [("wait-for-b", None), ("meter", Some("Always")), ("seed", None)]);
    let seed = &spec["initContainers"][2];
    assert_eq!(seed["volumeMounts"], spec["containers"][0]["volumeMounts"]);
    assert_eq!(seed["securityContext"]["allowPrivilegeEscalation"], false);
}

#[test]
fn a_sidecar_starts_before_its_service_and_after_the_gates() {
    let lines = indoc! {r#"
        port.http = 80
        health = { grpc = "http" }
        user = 10
        beside.proxy = { image = "p:1.0", port.out = 99, user = "5:6", health = { tcp = "out" }, mount."/p" = { scratch = "1Mi" } }
        beside.second = { image = "q:1.0", confine = "off" }
        after.b = "ready"
        [service.b]
        image = "b:1.0"
        port.x = 1
        health = { tcp = "x" }"#};
    let spec = pod(lines)["spec"].clone();
    let names: Vec<&str> =
        spec["initContainers"].as_array().unwrap().iter().map(|c| c["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["wait-for-b", "proxy", "second"]);
    let proxy = &spec["initContainers"][1];
    assert_eq!(
        (&proxy["restartPolicy"], &proxy["ports"][0]["containerPort"]),
        (&json!("Always"), &json!(99))
    );
    assert_eq!(proxy["readinessProbe"]["tcpSocket"], json!({ "port": "out" }));
    assert_eq!(proxy["securityContext"]["runAsUser"], 5);
    assert_eq!(spec["containers"][0]["readinessProbe"]["grpc"], json!({ "port": 80 }));
    assert_eq!(spec["containers"][0]["ports"], json!([{ "name": "http", "containerPort": 80 }]));
    assert_eq!(spec["volumes"][0]["emptyDir"], json!({ "sizeLimit": "1Mi" }));
    let name = spec["volumes"][0]["name"].as_str().unwrap();
    assert!(name.starts_with("scratch-proxy-p--"), "{name}");
    // One container has no restrictions, so the filter of system calls is set per container.
    assert!(spec["securityContext"].get("seccompProfile").is_none());
    assert!(proxy["securityContext"]["seccompProfile"].is_object());
    assert!(spec["initContainers"][2].get("securityContext").is_none());
    let all = generated(&format!("[service.a]\nimage = \"a:1.0\"\n{lines}\n"));
    let ports = object(&all, "Service", "a")["spec"]["ports"].clone();
    assert_eq!(ports[1]["targetPort"], "out", "a sidecar's port is one of the service's");
}

#[test]
fn named_replicas_have_named_volumes() {
    let all = generated(indoc! {r#"
            [volume.own]
            size = "2Gi"
            each = true
            class = "fast"
            [service.a]
            image = "a:1.0"
            replicas = 3
            port.x = { number = 8, as = 80 }
            mount."/o" = { from = "volume.own", part = "p" }
            mount."/v" = { from = "volume.kept", read-only = true }
            [volume.kept]
            size = "1Gi"
            access = "many-readers"
            "#});
    let spec = &object(&all, "StatefulSet", "a")["spec"];
    assert_eq!(spec["serviceName"], "a-pods");
    let claim = &spec["volumeClaimTemplates"][0];
    assert_eq!(claim["metadata"], json!({ "name": "volume-own" }), "claims outlive what changes: no labels");
    assert_eq!(claim["spec"]["storageClassName"], "fast");
    let mounts = &spec["template"]["spec"]["containers"][0]["volumeMounts"];
    assert_eq!(mounts[0], json!({ "name": "volume-own", "mountPath": "/o", "subPath": "p" }));
    assert_eq!(mounts[1], json!({ "name": "volume-kept", "mountPath": "/v", "readOnly": true }));
    let governing = &object(&all, "Service", "a-pods")["spec"];
    assert_eq!(
        (&governing["clusterIP"], &governing["publishNotReadyAddresses"]),
        (&json!("None"), &json!(true))
    );
    assert_eq!(
        (&governing["ports"][0]["port"], &object(&all, "Service", "a")["spec"]["ports"][0]["port"]),
        (&json!(8), &json!(80))
    );
    assert_eq!(object(&all, "PodDisruptionBudget", "a")["spec"]["maxUnavailable"], 1);
    assert!(!all.iter().any(|o| o["kind"] == "PersistentVolumeClaim" && o["metadata"]["name"] == "s-own"));
}

#[test]
fn manual_storage_is_bound_to_its_claim() {
    let all = generated(indoc! {r#"
            [volume.one]
            size = "1Gi"
            node-folder = "/data/one"
            [volume.two]
            size = "1Gi"
            node-folder = "/data/two"
            node = "n-1"
            [volume.there]
            present = "old"
            [service.a]
            image = "a:1.0"
            mount."/1" = "volume.one"
            mount."/2" = "volume.two"
            mount."/3" = "volume.there"
            "#});
    let piece = |name: &str| object(&all, "PersistentVolume", name)["spec"].clone();
    assert_eq!(piece("s.s-one")["hostPath"], json!({ "path": "/data/one", "type": "Directory" }));
    assert_eq!(piece("s.s-two")["local"], json!({ "path": "/data/two" }));
    let term = &piece("s.s-two")["nodeAffinity"]["required"]["nodeSelectorTerms"][0]["matchExpressions"][0];
    assert_eq!(*term, json!({ "key": "kubernetes.io/hostname", "operator": "In", "values": ["n-1"] }));
    assert_eq!(
        object(&all, "PersistentVolumeClaim", "one")["spec"]["storageClassName"],
        "",
        "not the default class"
    );
    let volumes = &object(&all, "Deployment", "a")["spec"]["template"]["spec"]["volumes"];
    assert_eq!(volumes[2]["persistentVolumeClaim"], json!({ "claimName": "old" }));
}

#[test]
fn tasks_on_demand_are_suspended_cron_jobs() {
    let task = |lines: &str| {
        let all = generated(&format!("[task.t]\nimage = \"t:1.0\"\n{lines}\n"));
        object(&all, "CronJob", "t")["spec"].clone()
    };
    let nightly = task("schedule = \"15 3  * * *\"\nzone = \"Europe/Berlin\"\ntimeout = \"1h\"\nretries = 0");
    assert_eq!((&nightly["schedule"], &nightly["timeZone"]), (&json!("15 3 * * *"), &json!("Europe/Berlin")));
    assert_eq!((&nightly["concurrencyPolicy"], nightly.get("suspend")), (&json!("Forbid"), None));
    let job = &nightly["jobTemplate"]["spec"];
    assert_eq!((&job["backoffLimit"], &job["activeDeadlineSeconds"]), (&json!(0), &json!(3600)));
    let rescue = task("schedule = \"on demand\"\noverlap = \"replace\"");
    assert_eq!((&rescue["suspend"], &rescue["concurrencyPolicy"]), (&json!(true), &json!("Replace")));
    assert!(task("schedule = \"* * * * *\"\noverlap = \"allow\"").get("concurrencyPolicy").is_none());
}

#[test]
fn rollouts_and_replicas_that_scale_with_load() {
    let all = generated(indoc! {r#"
            [service.a]
            image = "a:1.0"
            replicas = { min = 1, max = 4 }
            cpu = "100m.."
            rollout = { surge = "50%", down = 0 }
            "#});
    let spec = &object(&all, "Deployment", "a")["spec"];
    assert_eq!(spec["strategy"], json!({ "rollingUpdate": { "maxSurge": "50%", "maxUnavailable": 0 } }));
    assert!(spec.get("replicas").is_none());
    let scaler = &object(&all, "HorizontalPodAutoscaler", "a")["spec"];
    assert_eq!((&scaler["maxReplicas"], scaler.get("minReplicas")), (&json!(4), Some(&json!(1))));
    assert_eq!(scaler["metrics"][0]["resource"]["target"]["averageUtilization"], 80);
    assert!(!all.iter().any(|object| object["kind"] == "PodDisruptionBudget"), "of one none can be kept");
}

#[test]
fn permissions_are_exactly_those_of_the_stack() {
    let all = generated(indoc! {r#"
            [service.a]
            image = "a:1.0"
            beside.h = { image = "h:1.0" }
            rights = [
                { on = "pods/log", may = ["get"] },
                { on = "jobs", may = ["delete"], only = ["x"] },
                { on = "widgets", group = "harbour.example", may = ["list"] },
            ]
            [service.b]
            image = "b:1.0"
            "#});
    assert_eq!(
        object(&all, "Role", "a")["rules"],
        json!([
            { "apiGroups": [""], "resources": ["pods/log"], "verbs": ["get"] },
            { "apiGroups": ["batch"], "resources": ["jobs"], "resourceNames": ["x"], "verbs": ["delete"] },
            { "apiGroups": ["harbour.example"], "resources": ["widgets"], "verbs": ["list"] },
        ])
    );
    let pod = |name: &str| object(&all, "Deployment", name)["spec"]["template"]["spec"].clone();
    assert_eq!(pod("a")["serviceAccountName"], "s-a");
    let mounts = |container: &Value| container["volumeMounts"].to_string();
    assert!(mounts(&pod("a")["containers"][0]).contains("serviceaccount"));
    // A sidecar does not get the token.
    assert_eq!(mounts(&pod("a")["initContainers"][0]), "null");
    assert_eq!(
        (&pod("a")["automountServiceAccountToken"], &pod("b")["automountServiceAccountToken"]),
        (&json!(false), &json!(false))
    );
    assert!(pod("b").get("serviceAccountName").is_none());
}

#[test]
fn secrets_have_the_types_of_the_cluster() {
    let all = generated(indoc! {r#"
            [secret.tls]
            key."tls.crt" = { env = "C" }
            key."tls.key" = { env = "K" }
            [secret.reg]
            key.".dockerconfigjson" = { env = "D" }
            [service.a]
            image = "a:1.0"
            pull = "secret.reg"
            port.w = { number = 80, reach = "web", host = "a.example" }
            use = ["config.plain"]
            [target.cluster]
            web = { tls = "secret.tls", class = "public" }
            "#});
    let kind = |name: &str| object(&all, "Secret", name).get("type").cloned();
    assert_eq!(kind("tls"), Some(json!("kubernetes.io/tls")));
    assert_eq!(kind("reg"), Some(json!("kubernetes.io/dockerconfigjson")));
    assert_eq!(kind("login"), None);
    assert_eq!(
        object(&all, "Deployment", "a")["spec"]["template"]["spec"]["imagePullSecrets"],
        json!([{ "name": "s-reg" }])
    );
    let entry = &object(&all, "Ingress", "a")["spec"];
    assert_eq!(
        (&entry["ingressClassName"], &entry["tls"][0]["secretName"]),
        (&json!("public"), &json!("s-tls"))
    );
}
