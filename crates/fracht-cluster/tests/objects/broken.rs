//! Broken objects: the simulated cluster finds each mistake.

use indoc::indoc;
use serde_json::{Value, json};

use crate::{consistency, files, generated};

/// A stack with everything that is broken below.
const ONE_OF_EACH: &str = indoc! {r#"
    [stack]
    name = "s"
    [target.cluster]
    domain = "a.example"
    [volume.x]
    size = "1Gi"
    node-folder = "/x"
    node = "n1"
    [volume.pod]
    size = "1Gi"
    access = "one-pod"
    [volume.many]
    size = "1Gi"
    access = "many-readers"
    [config.c]
    key.MODE = "first"
    [config.d]
    key.MODE = "second"
    [outside.o]
    address = "192.0.2.1"
    port = { a = 443, b = 444 }
    [service.a]
    image = "a:1.0"
    user = 7
    port.web = { number = 80, reach = "web" }
    port.n = { number = 81, reach = "node", at = 30000 }
    health = { tcp = "web", boot = "30s" }
    before-stop = { wait = "5s" }
    place.disk = "fast"
    use = [{ from = "config.c", spell = "upper" }, "config.d"]
    env.PRICE = "5 $€"
    env.O = "{outside.o/a}"
    mount."/x" = "volume.x"
    mount."/p" = "volume.pod"
    mount."/k" = { from = "config.c", mode = "0440" }
    mount."/t" = { scratch = "1Mi" }
    rights = [{ on = "leases", may = ["get"], only = ["leader"] }]
    beside.h = { image = "h:1.0", port.m = 82, mount."/t" = { scratch = "2Mi" } }
    [service.b]
    image = "b:1.0"
    port.u = { number = 83, protocol = "udp", reach = "node", at = 30001 }
    mount."/m" = "volume.many"
    [task.t]
    image = "t:1.0"
    timeout = "1m"
    after = { a = "ready" }
    [task.n]
    image = "t:1.0"
    schedule = "0 3 * * 0"
    zone = "UTC"
    "#};

/// The first object of a kind whose name has an ending.
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

/// The mistakes, each with the message of the simulated cluster.
#[test]
fn the_simulated_cluster_finds_earlier_mistakes() {
    let good = generated(&files(ONE_OF_EACH), "cluster");
    consistency::check(&good);
    let before: [(&str, Change); 28] = [
        ("a probe at a sidecar's port", |all| {
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
        let mut broken = crate::Generated { model: good.model.clone(), objects: good.objects.clone() };
        change(&mut broken.objects);
        assert_ne!(broken.objects, good.objects, "{what} changes nothing");
        let seen = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| consistency::check(&broken)));
        assert!(seen.is_err(), "{what}, which was not found");
    }
}
