//! Stacks with difficult objects: they pass [`crate::consistency::check`] and mean what the stack says.

use indoc::{formatdoc, indoc};
use serde_json::{Value, json};

use crate::{consistency, files, generated, object};

/// The objects of a stack, which must pass the checks.
fn consistent(stack: &str, target: &str) -> Vec<Value> {
    let generated = generated(&files(&format!("[stack]\nname = \"s\"\n{stack}")), target);
    consistency::check(&generated);
    generated.objects
}

fn pod(objects: &[Value], kind: &str, name: &str) -> Value {
    object(objects, kind, name)["spec"]["template"]["spec"].clone()
}

#[test]
fn node_ports_that_the_cluster_chooses_are_not_written() {
    let all = consistent(
        indoc! {r#"
            [service.a]
            image = "a:1.0"
            port.web = { number = 8080, reach = "node" }
            [service.b]
            image = "b:1.0"
            port.syslog = { number = 514, protocol = "udp", reach = "node", at = "auto" }
            "#},
        "cluster",
    );
    for name in ["a-node", "b-node"] {
        assert!(object(&all, "Service", name)["spec"]["ports"][0].get("nodePort").is_none());
    }
}

#[test]
fn volumes_of_a_pod_have_different_names() {
    let all = consistent(
        indoc! {r#"
            [volume.x]
            size = "1Gi"
            [volume.volume-x]
            size = "1Gi"
            each = true
            [volume.config-a]
            size = "1Gi"
            each = true
            [config.a]
            key.K = "1"
            [config.a-0440]
            key.Z = "2"
            [config.shared-a]
            key.Z = "2"
            [service.a]
            image = "a:1.0"
            user = 5
            mount."/one" = "volume.x"
            mount."/two" = "volume.volume-x"
            mount."/three" = "volume.config-a"
            mount."/a" = { from = "config.a", mode = "0440" }
            mount."/b" = "config.a-0440"
            mount."/c" = "config.a"
            mount."/s" = "config.shared-a"
            mount."/a/b" = { scratch = "1Mi" }
            mount."/a-b" = { scratch = "2Mi", shared = "a" }
            mount."/x" = { scratch = "2Mi", shared = "x-y" }
            beside.a-b = { image = "x:1.0", mount = { "/c" = { scratch = "3Mi" }, "/d" = { scratch = "2Mi", shared = "a" } } }
            beside.c = { image = "x:1.0", mount = { "/a/b" = { scratch = "4Mi" }, "/x" = { scratch = "2Mi", shared = "x-y" } } }
            "#},
        "cluster",
    );
    assert_eq!(
        pod(&all, "StatefulSet", "a")["volumes"].as_array().unwrap().len(),
        10,
        "and two claim templates"
    );
}

#[test]
fn waiting_does_not_use_up_the_time_or_retries_of_a_task() {
    let all = consistent(
        indoc! {r#"
            [service.db]
            image = "d:1.0"
            port.sql = 5432
            health = { tcp = "sql", boot = "10m" }
            [task.t]
            image = "a:1.0"
            retries = 0
            timeout = "1m"
            after = { db = "ready" }
            "#},
        "cluster",
    );
    let job = &all.iter().find(|object| object["kind"] == "Job").unwrap()["spec"];
    assert!(job.get("activeDeadlineSeconds").is_none());
    assert_eq!(job["template"]["spec"]["activeDeadlineSeconds"], 60 + 600);
    assert_eq!(job["podFailurePolicy"]["rules"][0]["action"], "Ignore");
    let gates = (0..21).map(|n| format!("after.s{n} = \"ready\"")).collect::<Vec<_>>().join("\n");
    let services = (0..21).map(|n| {
        formatdoc!(
            r#"
            [service.s{n}]
            image = "a:1.0"
            port.x = 1
            health = {{ tcp = "x" }}
            "#
        )
    });
    consistent(
        &format!("[task.t]\nimage = \"a:1.0\"\n{gates}\n{}", services.collect::<Vec<_>>().concat()),
        "cluster",
    );
}

#[test]
fn a_sidecar_runs_as_its_own_user() {
    let all = consistent(
        indoc! {r#"
            [service.a]
            image = "a:1.0"
            user = 0
            beside.x = { image = "x:1.0", confine = "strict" }
            "#},
        "cluster",
    );
    let sidecar = &pod(&all, "Deployment", "a")["initContainers"][0]["securityContext"];
    assert!(sidecar.get("runAsUser").is_none() && sidecar["runAsNonRoot"] == true, "{sidecar}");
}

#[test]
fn files_are_readable_by_the_containers_that_mount_them() {
    for (user, sidecar) in
        [("user = \"999:999\"", ""), ("user = 10001", ""), ("", "user = 7,"), ("user = 0", "user = 7,")]
    {
        consistent(
            &formatdoc!(
                r#"
                    [config.k]
                    key.text = "x"
                    [secret.s]
                    key.k = {{ env = "K" }}
                    [service.a]
                    image = "a:1.0"
                    {user}
                    mount."/k" = {{ from = "config.k", mode = "0440" }}
                    mount."/s/k" = {{ from = "secret.s/k", mode = "0400" }}
                    beside.x = {{ image = "x:1.0", {sidecar} mount = {{ "/k" = {{ from = "config.k", mode = "0440" }} }} }}
                    "#
            ),
            "cluster",
        );
    }
}

#[test]
fn later_uses_override_earlier_ones_in_every_form() {
    let config = indoc! {r#"
        [config.one]
        key.MODE = "first"
        [config.two]
        key.MODE = "second"
        key.LEVEL = "2"
        [service.a]
        image = "a:1.0"
        "#};
    for uses in [
        "{ from = \"config.one\", spell = \"upper\" }, \"config.two\"",
        "\"config.two\", { from = \"config.one\", spell = \"upper\" }",
        "\"config.one\", { from = \"config.two\", spell = \"upper\" }, \"config.one\"",
        "{ from = \"config.two\", spell = \"upper\" }, { from = \"config.one\", spell = \"upper\" }",
    ] {
        consistent(&format!("{config}use = [{uses}]\n"), "cluster");
        consistent(
            &format!("{config}use = [{uses}]\nenv.MODE = \"own $€ {{config.two/LEVEL}}\"\n"),
            "cluster",
        );
    }
}

#[test]
fn words_become_values_of_the_api() {
    let all = consistent(
        indoc! {r#"
            [task.t]
            image = "a:1.0"
            schedule = "0 3 * * 5-7"
            [service.a]
            image = "a:1.0"
            env.PRICE = "5 $€"
            env.cmd = "$(x)"
            args = ["$$", "$é"]
            port.x = 1
            workdir = "/"
            health = { run = ["sh", "-c", "test $$ -gt 0 && test $(cmd) = $(date)"], every = "500ms", boot = "30s" }
            [volume.v]
            size = "1Gi"
            access = "many-readers"
            [service.b]
            image = "a:1.0"
            replicas = 2
            mount."/k" = "volume.v"
            "#},
        "cluster",
    );
    assert_eq!(object(&all, "CronJob", "t")["spec"]["schedule"], "0 3 * * 0,5,6");
    assert_eq!(pod(&all, "Deployment", "a")["containers"][0]["startupProbe"]["failureThreshold"], 30);
    assert_eq!(pod(&all, "Deployment", "b")["volumes"][0]["persistentVolumeClaim"]["readOnly"], true);
}

/// A pod on another node would wait forever for a volume that only one node can mount.
#[test]
fn pods_that_share_a_volume_of_one_node_share_the_node() {
    let service = |name: &str, volumes: &[&str]| {
        let mounts = volumes.iter().map(|volume| format!("mount.\"/{volume}\" = \"volume.{volume}\"\n"));
        format!("[service.{name}]\nimage = \"a:1.0\"\n{}", mounts.collect::<Vec<_>>().concat())
    };
    let volume = |name: &str, more: &str| format!("[volume.{name}]\nsize = \"1Gi\"\n{more}\n");
    let all = consistent(
        &[
            volume("v", ""),
            volume("w", ""),
            volume("x", ""),
            volume("alone", ""),
            volume("many", "access = \"many-nodes\""),
            volume("folder", "node-folder = \"/d\""),
            service("a", &["v"]),
            service("b", &["w", "x"]),
            service("c", &["v", "w", "alone"]),
            service("d", &["many", "folder"]),
            service("e", &["many", "folder"]),
            indoc! {r#"
                [task.t]
                image = "t:1.0"
                schedule = "on demand"
                mount."/x" = "volume.x"
                "#}
            .to_owned(),
            // These can use it one after the other.
            indoc! {r#"
                [volume.late]
                size = "1Gi"
                [task.u]
                image = "t:1.0"
                place.disk = "fast"
                mount."/l" = "volume.late"
                [task.v]
                image = "t:1.0"
                place.disk = "slow"
                mount."/l" = "volume.late"
                "#}
            .to_owned(),
        ]
        .concat(),
        "cluster",
    );
    let template = |kind: &str, name: &str| {
        let spec = &object(&all, kind, name)["spec"];
        spec.get("jobTemplate").map_or(&spec["template"], |job| &job["spec"]["template"]).clone()
    };
    for (kind, name, group) in [
        ("Deployment", "a", json!("v")),
        ("Deployment", "b", json!("v")),
        ("Deployment", "c", json!("v")),
        ("CronJob", "t", json!("v")),
        ("Deployment", "d", Value::Null),
        ("Deployment", "e", Value::Null),
    ] {
        let template = template(kind, name);
        assert_eq!(template["metadata"]["labels"]["fracht/one-node"], group, "{name}");
        let term =
            &template["spec"]["affinity"]["podAffinity"]["requiredDuringSchedulingIgnoredDuringExecution"][0];
        assert_eq!(term["labelSelector"]["matchLabels"]["fracht/one-node"], group, "{name}");
        assert_eq!(term["topologyKey"].is_null(), group.is_null());
    }
}

#[test]
fn containers_and_gates_have_different_names() {
    let all = consistent(
        indoc! {r#"
            [service.db]
            image = "d:1.0"
            port.x = 1
            health = { tcp = "x" }
            [service.wait-for-db]
            image = "a:1.0"
            after = { db = "ready" }
            "#},
        "cluster",
    );
    assert_ne!(pod(&all, "Deployment", "wait-for-db")["initContainers"][0]["name"], "wait-for-db");
}

/// Two stacks in one namespace share only addresses: applying one never overwrites objects of the other.
#[test]
fn stacks_in_one_namespace_do_not_affect_each_other() {
    let stack = |name: &str, service: &str| {
        formatdoc!(
            r#"
                [stack]
                name = "{name}"
                [service.{service}]
                image = "a:1.0"
                port.x = {{ number = 1, reach = "node" }}
                use = ["config.c"]
                mount."/v" = "volume.v"
                mount."/s" = "secret.s"
                after = {{ t = "done" }}
                rights = [{{ on = "pods", may = ["get"] }}]
                [service.worker-{service}]
                image = "a:1.0"
                replicas = 2
                network = ["n"]
                [task.t]
                image = "t:1.0"
                [task.r]
                image = "t:1.0"
                schedule = "on demand"
                [volume.v]
                size = "1Gi"
                node-folder = "/v"
                [config.c]
                key.K = "1"
                [secret.s]
                key.k = {{ env = "K" }}
                [network.n]
                [target.t]
                namespace = "shared"
                "#
        )
    };
    let identities = |name: &str, service: &str| -> Vec<(String, String)> {
        let generated = generated(&files(&stack(name, service)), "t");
        // A name with two dashes has a digest, which the tests do not compute.
        if !name.contains("--") {
            consistency::check(&generated);
        }
        let identity = |object: &Value| (object["kind"].to_string(), object["metadata"]["name"].to_string());
        generated.objects.iter().filter(|object| object["kind"] != "Namespace").map(identity).collect()
    };
    // Names that would be the same if they were joined by a dash.
    for (one, other) in
        [(("a", "b-x"), ("a-b", "x")), (("tide", "api"), ("desk", "web")), (("a", "x"), ("a--b", "y"))]
    {
        let (first, second) = (identities(one.0, one.1), identities(other.0, other.1));
        assert!(first.iter().all(|identity| !second.contains(identity)), "{first:?} {second:?}");
    }
    let namespace = |name: &str| {
        object(&generated(&files(&stack(name, "x")), "t").objects, "Namespace", "shared").clone()
    };
    assert_eq!(namespace("a"), namespace("b"), "what both make is the same");
    let piece = |namespace: &str, volume: &str| {
        let stack = formatdoc!(
            r#"
                [stack]
                name = "s"
                [volume.{volume}]
                size = "1Gi"
                node-folder = "/v"
                [service.a]
                image = "a:1.0"
                mount."/v" = "volume.{volume}"
                [target.t]
                namespace = "{namespace}"
                "#
        );
        let all = generated(&files(&stack), "t").objects;
        all.iter().find(|object| object["kind"] == "PersistentVolume").unwrap()["metadata"]["name"].clone()
    };
    assert_ne!(piece("tide-prod", "db"), piece("tide", "prod-db"));
    assert_ne!(piece("a", "s-b"), piece("a-s", "b"));
}

#[test]
fn volumes_that_only_a_machine_mounts_have_no_claim() {
    let stack = indoc! {r#"
        [volume.v]
        size = "1Gi"
        [volume.w]
        size = "1Gi"
        [service.a]
        image = "a:1.0"
        mount."/w" = "volume.w"
        [target.laptop]
        on = "machine"
        service.a.mount."/v" = "volume.v"
        [target.prod]
        "#};
    let all = consistent(stack, "prod");
    let claims: Vec<_> = all.iter().filter(|object| object["kind"] == "PersistentVolumeClaim").collect();
    assert_eq!(claims.len(), 1, "{claims:?}");
    assert_eq!(claims[0]["metadata"]["name"], "s-w");
    let passed = files(&format!("pass = [\"p.yaml\"]\n[stack]\nname = \"s\"\n{stack}"))
        .with("/s/p.yaml", "apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec: {volumes: [{name: v, persistentVolumeClaim: {claimName: s-v}}]}\n");
    let all = generated(&passed, "prod").objects;
    assert_eq!(all.iter().filter(|object| object["kind"] == "PersistentVolumeClaim").count(), 2);
}

#[test]
fn every_object_of_a_service_has_its_role_and_labels() {
    let all = consistent(
        indoc! {r#"
            [service.a]
            image = "a:1.0"
            role = "server"
            label.team = "harbour"
            replicas = { min = 2, max = 3 }
            cpu = "1"
            port.w = { number = 80, reach = "web", host = "*.a.example" }
            port.n = { number = 81, reach = "node" }
            rights = [{ on = "pods", may = ["get"] }]
            "#},
        "cluster",
    );
    let of_a = |object: &&Value| object["metadata"]["labels"]["app.kubernetes.io/name"] == "a";
    let objects: Vec<_> = all.iter().filter(of_a).collect();
    assert!(objects.len() >= 10, "{}", objects.len());
    for object in objects {
        let labels = &object["metadata"]["labels"];
        assert_eq!(
            (&labels["team"], &labels["app.kubernetes.io/component"]),
            (&json!("harbour"), &json!("server")),
            "{object}"
        );
    }
}

#[test]
fn a_changed_key_restarts_the_pods_that_use_it() {
    let stack = |a: &str| {
        formatdoc!(
            r#"
                [config.c]
                key.A = "{a}"
                key.B = "b"
                [service.a]
                image = "a:1.0"
                env.A = "{{config.c/A}}"
                [service.b]
                image = "a:1.0"
                mount."/b" = "config.c/B"
                [service.all]
                image = "a:1.0"
                use = ["config.c"]
                [service.folder]
                image = "a:1.0"
                mount."/c" = "config.c"
                "#
        )
    };
    let (before, after) = (consistent(&stack("1"), "cluster"), consistent(&stack("2"), "cluster"));
    let changes = |name: &str| object(&before, "Deployment", name) != object(&after, "Deployment", name);
    assert_eq!(["a", "b", "all", "folder"].map(changes), [true, false, true, true]);
}
