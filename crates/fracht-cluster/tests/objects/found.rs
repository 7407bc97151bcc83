//! Stacks that looked right, and whose objects the cluster refused, or took for something else. Each is refused by its
//! rule now, at its line, or its objects hold together: see [`crate::whole::check`].

use std::path::Path;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;
use serde_json::{Value, json};

use crate::{files, made, object, whole};

/// What is wrong with a stack: the rule, and the line of the stack file.
fn refused(stack: &str) -> Vec<(&'static str, usize)> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", format!("[stack]\nname = \"s\"\n{stack}"))
        .with("/s/large", vec![b'x'; (1 << 20) + 1])
        .with("/s/bytes", vec![0xff, 0x00]);
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(&files, path, path).unwrap();
    let target = project.targets().names().next().unwrap().to_owned();
    let verdict = project.check(&target).unwrap();
    let findings = verdict.report.findings().iter();
    findings
        .map(|finding| {
            let label = finding.diagnostic.primary.as_ref().unwrap();
            assert!(!label.text.is_empty() || finding.diagnostic.rule.starts_with("bad-"), "{finding:?}");
            let file = project.sources().file(label.span.file).unwrap();
            (finding.diagnostic.rule, file.line_of(label.span.start) - 2)
        })
        .collect()
}

#[test]
fn what_never_works_is_refused_at_its_line() {
    let a = "[service.a]\nimage = \"a:1\"\n";
    let task = "[task.t]\nimage = \"a:1\"\n";
    for (what, stack, rule, line) in [
        (
            "a probe at a port of another container",
            format!(
                "{a}port.http = 8080\nhealth = {{ tcp = \"metrics\" }}\nbeside.x = {{ image = \"x:1\", port = {{ metrics = 9102 }} }}\n"
            ),
            "bad-value",
            4,
        ),
        (
            "the only port is another container's",
            format!(
                "{a}health = {{ http = \"/\" }}\nbeside.x = {{ image = \"x:1\", port = {{ metrics = 9102 }} }}\n"
            ),
            "missing-key",
            3,
        ),
        (
            "a pause longer than the time to stop",
            format!("{a}before-stop = {{ wait = \"45s\" }}\n"),
            "stop-too-short",
            3,
        ),
        ("a label with other letters", format!("{a}place = {{ disk = \"very fast!\" }}\n"), "bad-value", 3),
        (
            "a path with two slashes",
            format!(
                "[target.prod]\ndomain = \"h.example\"\n{a}port.web = {{ number = 80, reach = \"web\", path = \"/a//b\" }}\n"
            ),
            "entry-path",
            5,
        ),
        (
            "a path that routes do not take",
            format!(
                "[target.prod]\ndomain = \"h.example\"\nweb = {{ gateway = \"g\" }}\n{a}port.web = {{ number = 80, reach = \"web\", path = \"/bü\" }}\n"
            ),
            "entry-path",
            6,
        ),
        (
            "a domain that is no host",
            format!(
                "[target.prod]\ndomain = \"Not A Host\"\n{a}port.web = {{ number = 80, reach = \"web\" }}\n"
            ),
            "bad-value",
            2,
        ),
        (
            "two names for one number",
            format!(
                "[outside.o]\naddress = \"192.0.2.1\"\nport = {{ a = 443, b = 443 }}\n{a}env.X = \"{{outside.o/a}}\"\n"
            ),
            "port-clash",
            3,
        ),
        (
            "an address of the container itself",
            format!("[outside.o]\naddress = \"127.0.0.1\"\nport.x = 80\n{a}env.X = \"{{outside.o/x}}\"\n"),
            "outside-address",
            2,
        ),
        (
            "a name that leads to itself",
            format!("[outside.db]\nhost = \"db\"\nport.x = 80\n{a}env.X = \"{{outside.db/x}}\"\n"),
            "outside-address",
            2,
        ),
        (
            "a secret that is too large",
            format!("[secret.k]\nkey.big = {{ file = \"large\" }}\n{a}mount.\"/k\" = \"secret.k\"\n"),
            "secret-too-large",
            2,
        ),
        (
            "a zone that is not in the database",
            format!("{task}schedule = \"1 2 * * *\"\nzone = \"Europe/Atlantis\"\n"),
            "bad-value",
            4,
        ),
        ("a day that no month has", format!("{task}schedule = \"1 2 31 2 *\"\n"), "schedule-invalid", 3),
        (
            "a TCP check at a UDP port",
            format!("{a}port.dns = {{ number = 53, protocol = \"udp\" }}\nhealth = {{ tcp = \"dns\" }}\n"),
            "bad-value",
            4,
        ),
        (
            "a wait for none",
            format!(
                "{a}port.x = 1\nhealth = {{ tcp = \"x\" }}\nreplicas = 0\n[service.b]\nimage = \"b:1\"\nafter = {{ a = \"ready\" }}\n"
            ),
            "await-endless",
            8,
        ),
        (
            "a volume of one pod in two",
            format!(
                "[volume.v]\nsize = \"1Gi\"\naccess = \"one-pod\"\n{a}mount.\"/d\" = \"volume.v\"\n[task.t]\nimage = \"b:1\"\nmount.\"/d\" = \"volume.v\"\n"
            ),
            "volume-shared",
            9,
        ),
        (
            "two that share a volume of one node, on different nodes",
            format!(
                "[volume.v]\nsize = \"1Gi\"\n{a}platform = \"linux/amd64\"\nmount.\"/d\" = \"volume.v\"\n\
                 [task.t]\nimage = \"t:1\"\nplatform = \"linux/arm64\"\nmount.\"/d\" = \"volume.v\"\n"
            ),
            "node-clash",
            9,
        ),
        (
            "folders of two nodes in one pod",
            format!(
                "[volume.v]\nsize = \"1Gi\"\nnode-folder = \"/d\"\nnode = \"n1\"\n\
                 {a}mount.\"/d\" = \"volume.v\"\nplace.\"kubernetes.io/hostname\" = \"n2\"\n"
            ),
            "node-clash",
            4,
        ),
        (
            "a right that never matches",
            format!(
                "{a}rights = [{{ on = \"leases\", may = [\"get\", \"create\"], only = [\"leader\"] }}]\n"
            ),
            "bad-value",
            3,
        ),
        (
            "a right on what no group is said of",
            format!("{a}rights = [{{ on = \"httproutes\", may = [\"list\"] }}]\n"),
            "missing-key",
            3,
        ),
        (
            "a node with a slash",
            format!(
                "[volume.v]\nsize = \"1Gi\"\nnode-folder = \"/d\"\nnode = \"a.example/n1\"\n{a}mount.\"/k\" = \"volume.v\"\n"
            ),
            "bad-name",
            4,
        ),
        ("a NUL byte", format!("{a}env.X = \"a\\u0000b\"\n"), "process-text", 3),
        (
            "a variable of bytes",
            format!("{a}env.X = \"{{config.c/k}}\"\n[config.c]\nkey.k = {{ file = \"bytes\" }}\n"),
            "process-text",
            3,
        ),
        (
            "two keys that are one variable",
            format!(
                "{a}use = [{{ from = \"config.c\", spell = \"upper\" }}]\n[config.c]\nkey.a-b = \"1\"\nkey.\"a.b\" = \"2\"\n"
            ),
            "env-name",
            3,
        ),
        (
            "files that nobody but root can read",
            format!(
                "{a}confine = \"strict\"\nmount.\"/k\" = {{ from = \"config.c\", mode = \"0400\" }}\n[config.c]\nkey.k = \"1\"\n"
            ),
            "mode-unreadable",
            4,
        ),
        (
            "the port of the kubelet",
            format!("{a}port.x = {{ number = 10250, reach = \"balancer\" }}\n"),
            "port-range",
            3,
        ),
        (
            "one node port of two protocols",
            format!(
                "{a}port.x = {{ number = 1, reach = \"node\", at = 30000 }}\n[service.b]\nimage = \"b:1\"\nport.x = {{ number = 1, protocol = \"udp\", reach = \"node\", at = 30000 }}\n"
            ),
            "port-clash",
            6,
        ),
        (
            "a closed network that is open",
            format!(
                "[network.n]\nclosed = true\n{task}network = [\"n\"]\n[service.b]\nimage = \"b:1\"\nnetwork = [\"n\"]\nafter = {{ t = \"done\" }}\n"
            ),
            "api-anywhere",
            9,
        ),
    ] {
        assert_eq!(refused(&stack), [(rule, line)], "{what}\n{stack}");
    }
}

/// A stack whose objects hold together, with what they come to.
fn holds(stack: &str, target: &str) -> Vec<Value> {
    let made = made(&files(&format!("[stack]\nname = \"s\"\n{stack}")), target);
    whole::check(&made);
    made.objects
}

fn pod(objects: &[Value], kind: &str, name: &str) -> Value {
    object(objects, kind, name)["spec"]["template"]["spec"].clone()
}

#[test]
fn numbers_that_the_cluster_picks_are_not_written() {
    let all = holds(
        "[service.a]\nimage = \"a:1\"\nport.web = { number = 8080, reach = \"node\" }\n\
         [service.b]\nimage = \"b:1\"\nport.syslog = { number = 514, protocol = \"udp\", reach = \"node\", at = \"auto\" }\n",
        "cluster",
    );
    for name in ["a-node", "b-node"] {
        assert!(object(&all, "Service", name)["spec"]["ports"][0].get("nodePort").is_none());
    }
}

#[test]
fn volumes_of_a_pod_are_never_taken_for_each_other() {
    let all = holds(
        "[volume.x]\nsize = \"1Gi\"\n[volume.volume-x]\nsize = \"1Gi\"\neach = true\n[volume.config-a]\nsize = \"1Gi\"\neach = true\n\
         [config.a]\nkey.K = \"1\"\n[config.a-0440]\nkey.Z = \"2\"\n[config.shared-a]\nkey.Z = \"2\"\n\
         [service.a]\nimage = \"a:1\"\nuser = 5\nmount.\"/one\" = \"volume.x\"\nmount.\"/two\" = \"volume.volume-x\"\nmount.\"/three\" = \"volume.config-a\"\n\
         mount.\"/a\" = { from = \"config.a\", mode = \"0440\" }\nmount.\"/b\" = \"config.a-0440\"\nmount.\"/c\" = \"config.a\"\nmount.\"/s\" = \"config.shared-a\"\n\
         mount.\"/a/b\" = { scratch = \"1Mi\" }\nmount.\"/a-b\" = { scratch = \"2Mi\", shared = \"a\" }\nmount.\"/x\" = { scratch = \"2Mi\", shared = \"x-y\" }\n\
         beside.a-b = { image = \"x:1\", mount = { \"/c\" = { scratch = \"3Mi\" }, \"/d\" = { scratch = \"2Mi\", shared = \"a\" } } }\n\
         beside.c = { image = \"x:1\", mount = { \"/a/b\" = { scratch = \"4Mi\" }, \"/x\" = { scratch = \"2Mi\", shared = \"x-y\" } } }\n",
        "cluster",
    );
    assert_eq!(
        pod(&all, "StatefulSet", "a")["volumes"].as_array().unwrap().len(),
        10,
        "and two claim templates"
    );
}

#[test]
fn a_task_has_its_time_and_its_tries_for_itself() {
    let all = holds(
        "[service.db]\nimage = \"d:1\"\nport.sql = 5432\nhealth = { tcp = \"sql\", boot = \"10m\" }\n\
         [task.t]\nimage = \"a:1\"\nretries = 0\ntimeout = \"1m\"\nafter = { db = \"ready\" }\n",
        "cluster",
    );
    let job = &all.iter().find(|object| object["kind"] == "Job").unwrap()["spec"];
    assert!(job.get("activeDeadlineSeconds").is_none());
    assert_eq!(job["template"]["spec"]["activeDeadlineSeconds"], 60 + 600);
    assert_eq!(job["podFailurePolicy"]["rules"][0]["action"], "Ignore");
    let gates = (0..21).map(|n| format!("after.s{n} = \"ready\"")).collect::<Vec<_>>().join("\n");
    let services =
        (0..21).map(|n| format!("[service.s{n}]\nimage = \"a:1\"\nport.x = 1\nhealth = {{ tcp = \"x\" }}\n"));
    holds(
        &format!("[task.t]\nimage = \"a:1\"\n{gates}\n{}", services.collect::<Vec<_>>().concat()),
        "cluster",
    );
}

#[test]
fn a_helper_runs_as_its_own_user() {
    let all = holds(
        "[service.a]\nimage = \"a:1\"\nuser = 0\nbeside.x = { image = \"x:1\", confine = \"strict\" }\n",
        "cluster",
    );
    let helper = &pod(&all, "Deployment", "a")["initContainers"][0]["securityContext"];
    assert!(helper.get("runAsUser").is_none() && helper["runAsNonRoot"] == true, "{helper}");
}

#[test]
fn files_can_be_read_by_those_who_mount_them() {
    for (user, helper) in
        [("user = \"999:999\"", ""), ("user = 10001", ""), ("", "user = 7,"), ("user = 0", "user = 7,")]
    {
        holds(
            &format!(
                "[config.k]\nkey.pw = \"x\"\n[secret.s]\nkey.k = {{ env = \"K\" }}\n[service.a]\nimage = \"a:1\"\n{user}\n\
                 mount.\"/k\" = {{ from = \"config.k\", mode = \"0440\" }}\nmount.\"/s/k\" = {{ from = \"secret.s/k\", mode = \"0400\" }}\n\
                 beside.x = {{ image = \"x:1\", {helper} mount = {{ \"/k\" = {{ from = \"config.k\", mode = \"0440\" }} }} }}\n"
            ),
            "cluster",
        );
    }
}

#[test]
fn later_uses_win_over_earlier_ones_in_every_form() {
    let config = "[config.one]\nkey.MODE = \"first\"\n[config.two]\nkey.MODE = \"second\"\nkey.LEVEL = \"2\"\n[service.a]\nimage = \"a:1\"\n";
    for uses in [
        "{ from = \"config.one\", spell = \"upper\" }, \"config.two\"",
        "\"config.two\", { from = \"config.one\", spell = \"upper\" }",
        "\"config.one\", { from = \"config.two\", spell = \"upper\" }, \"config.one\"",
        "{ from = \"config.two\", spell = \"upper\" }, { from = \"config.one\", spell = \"upper\" }",
    ] {
        holds(&format!("{config}use = [{uses}]\n"), "cluster");
        holds(&format!("{config}use = [{uses}]\nenv.MODE = \"own $€ {{config.two/LEVEL}}\"\n"), "cluster");
    }
}

#[test]
fn words_become_what_the_cluster_reads() {
    let all = holds(
        "[task.t]\nimage = \"a:1\"\nschedule = \"0 3 * * 5-7\"\n\
         [service.a]\nimage = \"a:1\"\nenv.PRICE = \"5 $€\"\nenv.cmd = \"$(x)\"\nargs = [\"$$\", \"$é\"]\nport.x = 1\nworkdir = \"/\"\n\
         health = { run = [\"sh\", \"-c\", \"test $$ -gt 0 && test $(cmd) = $(date)\"], every = \"500ms\", boot = \"30s\" }\n\
         [volume.v]\nsize = \"1Gi\"\naccess = \"many-readers\"\n[service.b]\nimage = \"a:1\"\nreplicas = 2\nmount.\"/k\" = \"volume.v\"\n",
        "cluster",
    );
    assert_eq!(object(&all, "CronJob", "t")["spec"]["schedule"], "0 3 * * 0,5,6");
    assert_eq!(pod(&all, "Deployment", "a")["containers"][0]["startupProbe"]["failureThreshold"], 30);
    assert_eq!(pod(&all, "Deployment", "b")["volumes"][0]["persistentVolumeClaim"]["readOnly"], true);
}

/// A pod on another node would wait for ever for a volume that one node may mount.
#[test]
fn those_who_share_a_volume_of_one_node_share_the_node() {
    let service = |name: &str, volumes: &[&str]| {
        let mounts = volumes.iter().map(|volume| format!("mount.\"/{volume}\" = \"volume.{volume}\"\n"));
        format!("[service.{name}]\nimage = \"a:1\"\n{}", mounts.collect::<Vec<_>>().concat())
    };
    let volume = |name: &str, more: &str| format!("[volume.{name}]\nsize = \"1Gi\"\n{more}\n");
    let all = holds(
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
            "[task.t]\nimage = \"t:1\"\nschedule = \"on demand\"\nmount.\"/x\" = \"volume.x\"\n".to_owned(),
            // These can have it one after the other.
            "[volume.late]\nsize = \"1Gi\"\n\
             [task.u]\nimage = \"t:1\"\nplace.disk = \"fast\"\nmount.\"/l\" = \"volume.late\"\n\
             [task.v]\nimage = \"t:1\"\nplace.disk = \"slow\"\nmount.\"/l\" = \"volume.late\"\n"
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
fn a_container_is_never_called_as_a_gate_is() {
    let all = holds(
        "[service.db]\nimage = \"d:1\"\nport.x = 1\nhealth = { tcp = \"x\" }\n[service.wait-for-db]\nimage = \"a:1\"\nafter = { db = \"ready\" }\n",
        "cluster",
    );
    assert_ne!(pod(&all, "Deployment", "wait-for-db")["initContainers"][0]["name"], "wait-for-db");
}

/// Two stacks in one namespace share addresses and nothing else: what is applied later takes the place of nothing.
#[test]
fn stacks_in_one_namespace_leave_each_other_alone() {
    let stack = |name: &str, service: &str| {
        format!(
            "[stack]\nname = \"{name}\"\n[service.{service}]\nimage = \"a:1\"\nport.x = {{ number = 1, reach = \"node\" }}\nuse = [\"config.c\"]\nmount.\"/v\" = \"volume.v\"\n\
             mount.\"/s\" = \"secret.s\"\nafter = {{ t = \"done\" }}\nrights = [{{ on = \"pods\", may = [\"get\"] }}]\n\
             [service.worker-{service}]\nimage = \"a:1\"\nreplicas = 2\nnetwork = [\"n\"]\n[task.t]\nimage = \"t:1\"\n[task.r]\nimage = \"t:1\"\nschedule = \"on demand\"\n\
             [volume.v]\nsize = \"1Gi\"\nnode-folder = \"/v\"\n[config.c]\nkey.K = \"1\"\n[secret.s]\nkey.k = {{ env = \"K\" }}\n[network.n]\n[target.t]\nnamespace = \"shared\"\n"
        )
    };
    let identities = |name: &str, service: &str| -> Vec<(String, String)> {
        let made = made(&files(&stack(name, service)), "t");
        // A name with two dashes has a digest, which the tests do not make up.
        if !name.contains("--") {
            whole::check(&made);
        }
        let identity = |object: &Value| (object["kind"].to_string(), object["metadata"]["name"].to_string());
        made.objects.iter().filter(|object| object["kind"] != "Namespace").map(identity).collect()
    };
    // Names that would be read alike if they were joined by a dash.
    for (one, other) in
        [(("a", "b-x"), ("a-b", "x")), (("tide", "api"), ("desk", "web")), (("a", "x"), ("a--b", "y"))]
    {
        let (first, second) = (identities(one.0, one.1), identities(other.0, other.1));
        assert!(first.iter().all(|identity| !second.contains(identity)), "{first:?} {second:?}");
    }
    let namespace =
        |name: &str| object(&made(&files(&stack(name, "x")), "t").objects, "Namespace", "shared").clone();
    assert_eq!(namespace("a"), namespace("b"), "what both make is the same");
    let piece = |namespace: &str, volume: &str| {
        let stack = format!(
            "[stack]\nname = \"s\"\n[volume.{volume}]\nsize = \"1Gi\"\nnode-folder = \"/v\"\n[service.a]\nimage = \"a:1\"\nmount.\"/v\" = \"volume.{volume}\"\n[target.t]\nnamespace = \"{namespace}\"\n"
        );
        let all = made(&files(&stack), "t").objects;
        all.iter().find(|object| object["kind"] == "PersistentVolume").unwrap()["metadata"]["name"].clone()
    };
    assert_ne!(piece("tide-prod", "db"), piece("tide", "prod-db"));
    assert_ne!(piece("a", "s-b"), piece("a-s", "b"));
}

#[test]
fn what_only_a_machine_mounts_is_not_claimed_in_a_cluster() {
    let stack = "[volume.v]\nsize = \"1Gi\"\n[volume.w]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1\"\nmount.\"/w\" = \"volume.w\"\n\
                 [target.laptop]\non = \"machine\"\nservice.a.mount.\"/v\" = \"volume.v\"\n[target.prod]\n";
    let all = holds(stack, "prod");
    let claims: Vec<_> = all.iter().filter(|object| object["kind"] == "PersistentVolumeClaim").collect();
    assert_eq!(claims.len(), 1, "{claims:?}");
    assert_eq!(claims[0]["metadata"]["name"], "s-w");
    let passed = files(&format!("pass = [\"p.yaml\"]\n[stack]\nname = \"s\"\n{stack}"))
        .with("/s/p.yaml", "apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec: {volumes: [{name: v, persistentVolumeClaim: {claimName: s-v}}]}\n");
    let all = made(&passed, "prod").objects;
    assert_eq!(all.iter().filter(|object| object["kind"] == "PersistentVolumeClaim").count(), 2);
}

#[test]
fn roles_and_labels_reach_every_object_of_a_service() {
    let all = holds(
        "[service.a]\nimage = \"a:1\"\nrole = \"server\"\nlabel.team = \"harbour\"\nreplicas = { min = 2, max = 3 }\ncpu = \"1\"\n\
         port.w = { number = 80, reach = \"web\", host = \"*.a.example\" }\nport.n = { number = 81, reach = \"node\" }\n\
         rights = [{ on = \"pods\", may = [\"get\"] }]\n",
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
fn a_changed_key_restarts_those_who_use_it() {
    let stack = |a: &str| {
        format!(
            "[config.c]\nkey.A = \"{a}\"\nkey.B = \"b\"\n[service.a]\nimage = \"a:1\"\nenv.A = \"{{config.c/A}}\"\n\
             [service.b]\nimage = \"a:1\"\nmount.\"/b\" = \"config.c/B\"\n[service.all]\nimage = \"a:1\"\nuse = [\"config.c\"]\n\
             [service.folder]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n"
        )
    };
    let (before, after) = (holds(&stack("1"), "cluster"), holds(&stack("2"), "cluster"));
    let changes = |name: &str| object(&before, "Deployment", name) != object(&after, "Deployment", name);
    assert_eq!(["a", "b", "all", "folder"].map(changes), [true, false, true, true]);
}

/// A stack with one of each thing that went wrong.
const ONE_OF_EACH: &str = "[stack]\nname = \"s\"\n[target.cluster]\ndomain = \"a.example\"\n\
    [volume.x]\nsize = \"1Gi\"\nnode-folder = \"/x\"\nnode = \"n1\"\n[volume.pod]\nsize = \"1Gi\"\naccess = \"one-pod\"\n[volume.many]\nsize = \"1Gi\"\naccess = \"many-readers\"\n\
    [config.c]\nkey.MODE = \"first\"\n[config.d]\nkey.MODE = \"second\"\n[outside.o]\naddress = \"192.0.2.1\"\nport = { a = 443, b = 444 }\n\
    [service.a]\nimage = \"a:1\"\nuser = 7\nport.web = { number = 80, reach = \"web\" }\nport.n = { number = 81, reach = \"node\", at = 30000 }\n\
    health = { tcp = \"web\", boot = \"30s\" }\nbefore-stop = { wait = \"5s\" }\nplace.disk = \"fast\"\n\
    use = [{ from = \"config.c\", spell = \"upper\" }, \"config.d\"]\nenv.PRICE = \"5 $€\"\nenv.O = \"{outside.o/a}\"\n\
    mount.\"/x\" = \"volume.x\"\nmount.\"/p\" = \"volume.pod\"\nmount.\"/k\" = { from = \"config.c\", mode = \"0440\" }\nmount.\"/t\" = { scratch = \"1Mi\" }\n\
    rights = [{ on = \"leases\", may = [\"get\"], only = [\"leader\"] }]\n\
    beside.h = { image = \"h:1\", port.m = 82, mount.\"/t\" = { scratch = \"2Mi\" } }\n\
    [service.b]\nimage = \"b:1\"\nport.u = { number = 83, protocol = \"udp\", reach = \"node\", at = 30001 }\nmount.\"/m\" = \"volume.many\"\n\
    [task.t]\nimage = \"t:1\"\ntimeout = \"1m\"\nafter = { a = \"ready\" }\n\
    [task.n]\nimage = \"t:1\"\nschedule = \"0 3 * * 0\"\nzone = \"UTC\"\n";

/// The first object of a kind whose name ends so.
fn of<'o>(all: &'o mut [Value], kind: &str, name: &str) -> &'o mut Value {
    let is_it = |object: &&mut Value| {
        object["kind"] == kind && object["metadata"]["name"].as_str().unwrap().ends_with(name)
    };
    all.iter_mut().find(is_it).unwrap()
}

type Change = fn(&mut Vec<Value>);

fn pod_of<'o>(all: &'o mut [Value], name: &str) -> &'o mut Value {
    &mut of(all, "Deployment", name)["spec"]["template"]["spec"]
}

fn main_of<'o>(all: &'o mut [Value], name: &str) -> &'o mut Value {
    &mut pod_of(all, name)["containers"][0]
}

/// What each object was before, and how the tests' cluster sees it.
#[test]
fn what_was_made_before_does_not_hold_together() {
    let good = made(&files(ONE_OF_EACH), "cluster");
    whole::check(&good);
    let before: [(&str, Change); 28] = [
        ("a probe at a helper's port", |all| {
            main_of(all, "-a")["readinessProbe"]["tcpSocket"]["port"] = "m".into();
        }),
        ("a check at a UDP port", |all| {
            main_of(all, "-b")["readinessProbe"] = json!({ "tcpSocket": { "port": "u" } });
        }),
        ("one node port of two protocols", |all| {
            of(all, "Service", "b-node")["spec"]["ports"][0]["nodePort"] = 30000.into();
        }),
        ("two volumes are one", |all| {
            let mounts = &mut main_of(all, "-a")["volumeMounts"];
            mounts[1]["name"] = mounts[0]["name"].clone();
        }),
        ("a long pause", |all| main_of(all, "-a")["lifecycle"]["preStop"]["sleep"]["seconds"] = 45.into()),
        ("weekday 7", |all| of(all, "CronJob", "n")["spec"]["schedule"] = "0 3 * * 7".into()),
        ("an unknown zone", |all| of(all, "CronJob", "n")["spec"]["timeZone"] = "Europe/Atlantis".into()),
        ("a user for the whole pod", |all| pod_of(all, "-a")["securityContext"]["runAsUser"] = 7.into()),
        ("an earlier use wins", |all| {
            let reference = json!({ "configMapKeyRef": { "name": "s-c", "key": "MODE" } });
            let env = main_of(all, "-a")["env"].as_array_mut().unwrap();
            env.push(json!({ "name": "MODE", "valueFrom": reference }));
        }),
        ("no group for files", |all| {
            pod_of(all, "-a")["securityContext"].as_object_mut().unwrap().remove("fsGroup");
        }),
        ("another node than its volume's", |all| {
            pod_of(all, "-a")["nodeSelector"]["kubernetes.io/hostname"] = "n2".into();
        }),
        ("a volume of one node on two", |all| {
            of(all, "PersistentVolumeClaim", "-pod")["spec"]["accessModes"][0] = "ReadWriteOnce".into();
            let volumes = pod_of(all, "-b")["volumes"].as_array_mut().unwrap();
            volumes.push(json!({ "name": "pod", "persistentVolumeClaim": { "claimName": "s-pod" } }));
            let mounts = main_of(all, "-b")["volumeMounts"].as_array_mut().unwrap();
            mounts.push(json!({ "name": "pod", "mountPath": "/pod" }));
        }),
        ("a label with other letters", |all| pod_of(all, "-a")["nodeSelector"]["disk"] = "very fast!".into()),
        ("a path with two slashes", |all| {
            of(all, "Ingress", "a")["spec"]["rules"][0]["http"]["paths"][0]["path"] = "/a//b".into();
        }),
        ("a domain that is no host", |all| {
            of(all, "Ingress", "a")["spec"]["rules"][0]["host"] = "Not A Host".into();
        }),
        ("one number twice", |all| of(all, "Service", "o")["spec"]["ports"][1]["port"] = 443.into()),
        ("the container's own address", |all| {
            of(all, "EndpointSlice", "o")["endpoints"][0]["addresses"] = json!(["127.0.0.1"]);
        }),
        ("twice the time to start", |all| main_of(all, "-a")["startupProbe"]["failureThreshold"] = 12.into()),
        ("a claim of one pod in two", |all| of(all, "Deployment", "-a")["spec"]["replicas"] = 2.into()),
        ("a folder that two share", |all| {
            let name = main_of(all, "-a")["volumeMounts"][3]["name"].clone();
            pod_of(all, "-a")["initContainers"][0]["volumeMounts"][0]["name"] = name;
        }),
        ("names of what has none", |all| of(all, "Role", "a")["rules"][0]["verbs"] = json!(["create"])),
        ("a resource in no group", |all| of(all, "Role", "a")["rules"][0]["apiGroups"] = json!([""])),
        ("readers that write", |all| {
            main_of(all, "-b")["volumeMounts"][0].as_object_mut().unwrap().remove("readOnly");
        }),
        ("a dollar before another letter", |all| {
            let env = main_of(all, "-a")["env"].as_array_mut().unwrap();
            env.iter_mut().find(|one| one["name"] == "PRICE").unwrap()["value"] = "5 $€".into();
        }),
        ("a name that is read two ways", |all| {
            of(all, "PersistentVolume", "x")["metadata"]["name"] = "s-s-x".into();
            of(all, "PersistentVolumeClaim", "x")["spec"]["volumeName"] = "s-s-x".into();
        }),
        ("a wait that is run time", |all| {
            let spec = &mut all.iter_mut().find(|object| object["kind"] == "Job").unwrap()["spec"];
            spec["activeDeadlineSeconds"] = 60.into();
            spec.as_object_mut().unwrap().remove("podFailurePolicy");
        }),
        ("policies behind the pods", |all| all.sort_by_key(|object| object["kind"] == "NetworkPolicy")),
        ("a gate that sets nothing aside", |all| {
            let job = all.iter_mut().find(|object| object["kind"] == "Job").unwrap();
            job["spec"]["template"]["spec"]["initContainers"][0].as_object_mut().unwrap().remove("resources");
        }),
    ];
    for (what, change) in before {
        let mut broken = crate::Made { model: good.model.clone(), objects: good.objects.clone() };
        change(&mut broken.objects);
        assert_ne!(broken.objects, good.objects, "{what} changes nothing");
        let seen = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| whole::check(&broken)));
        assert!(seen.is_err(), "{what}, and nobody saw it");
    }
}
