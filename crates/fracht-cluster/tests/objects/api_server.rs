//! A real API server accepts the objects, and returns them without differences.
//!
//! Runs where `FRACHT_APISERVER` names one (`https://127.0.0.1:16443`, with the token in `FRACHT_APISERVER_TOKEN`),
//! with `curl`. It may be an old server: each kind is sent in the version that it serves, and fields that it does not
//! know are replaced by older ones. Services are really created and removed again, since node ports are only allocated
//! then.

use std::io::Write as _;
use std::process::{Command, Stdio};

use fracht_cluster::compare::compare;
use proptest::strategy::{Strategy as _, ValueTree as _};
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

use crate::cluster::items;
use crate::{Generated, NAMES, demo, files, generated, of_stack};
use fracht_testkit::random_stack::{parts, stack_file};

/// The number of random stacks that are sent.
const MADE_UP: usize = 12;
/// Kinds that old servers only have in a version before the first stable one.
const BEFORE: [(&str, &str); 4] = [
    ("CronJob", "batch/v1beta1"),
    ("PodDisruptionBudget", "policy/v1beta1"),
    ("HorizontalPodAutoscaler", "autoscaling/v2beta2"),
    ("EndpointSlice", "discovery.k8s.io/v1beta1"),
];

struct Server {
    url: String,
    token: String,
}

impl Server {
    fn call(&self, method: &str, path: &str, body: &Value) -> (u16, Value) {
        // Servers send indented JSON to a client named curl, which some of them do not survive.
        let mut curl = Command::new("curl")
            .args([
                "-A",
                "fracht-tests",
                "-sk",
                "-m",
                "30",
                "-w",
                "\n%{http_code}",
                "-X",
                method,
                "--data-binary",
                "@-",
            ])
            .args([
                "-H",
                "Content-Type: application/json",
                "-H",
                &format!("Authorization: Bearer {}", self.token),
            ])
            .arg(format!("{}{path}", self.url))
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("curl is there");
        curl.stdin.take().unwrap().write_all(body.to_string().as_bytes()).unwrap();
        let output = String::from_utf8(curl.wait_with_output().unwrap().stdout).unwrap();
        let (body, code) = output.rsplit_once('\n').unwrap();
        assert_ne!(code, "000", "{} does not answer", self.url);
        (code.parse().unwrap(), serde_json::from_str(body).unwrap_or_default())
    }

    /// The version that it serves a kind under.
    fn version(&self, object: &Value) -> String {
        let stable = object["apiVersion"].as_str().unwrap().to_owned();
        let before = BEFORE.iter().find(|(kind, _)| object["kind"] == **kind);
        let serves = |version: &str| {
            let (_, list) = self.call("GET", &format!("/apis/{version}"), &Value::Null);
            items(&list["resources"]).any(|resource| resource["kind"] == object["kind"])
        };
        before.filter(|_| !serves(&stable)).map_or(stable, |(_, version)| (*version).to_owned())
    }

    /// Creates an object as a dry run, and returns the server's object in the current version.
    fn create(&self, object: &Value) -> Result<Value, String> {
        let version = self.version(object);
        let (kind, meta) = (object["kind"].as_str().unwrap(), &object["metadata"]);
        let plural = match kind {
            "NetworkPolicy" => "networkpolicies".to_owned(),
            "Ingress" => "ingresses".to_owned(),
            kind => format!("{}s", kind.to_lowercase()),
        };
        let group = if version == "v1" { "/api/v1".to_owned() } else { format!("/apis/{version}") };
        let within = meta["namespace"].as_str().map(|namespace| format!("/namespaces/{namespace}"));
        let folder = format!("{group}{}/{plural}", within.unwrap_or_default());
        let mut sent = object.clone();
        sent["apiVersion"] = version.into();
        let real = ["Namespace", "Service"].contains(&kind);
        let (code, mut answer) =
            self.call("POST", &format!("{folder}{}", if real { "" } else { "?dryRun=All" }), &sent);
        let there = code == 409 && kind == "Namespace";
        if code >= 300 && !there {
            return Err(format!("{kind} {}: {code} {}", meta["name"], answer["message"]));
        }
        if there {
            answer = object.clone();
        }
        answer["apiVersion"] = object["apiVersion"].clone();
        Ok(answer)
    }

    /// Creates all objects in their order, and removes the Services again.
    fn take(&self, objects: &[Value]) -> (Vec<Value>, Vec<String>) {
        let (mut live, mut refused) = (Vec::new(), Vec::new());
        if let Some(namespace) = objects.iter().find_map(|object| object["metadata"]["namespace"].as_str()) {
            let space = json!({ "apiVersion": "v1", "kind": "Namespace", "metadata": { "name": namespace } });
            let _ = self.call("POST", "/api/v1/namespaces", &space);
        }
        for object in objects {
            match self.create(object) {
                Ok(answer) => live.push(answer),
                Err(reason) => refused.push(reason),
            }
        }
        for service in live.iter().filter(|object| object["kind"] == "Service") {
            let (namespace, name) = (&service["metadata"]["namespace"], &service["metadata"]["name"]);
            let path = format!(
                "/api/v1/namespaces/{}/services/{}",
                namespace.as_str().unwrap(),
                name.as_str().unwrap()
            );
            self.call("DELETE", &path, &Value::Null);
        }
        (live, refused)
    }
}

/// Replaces fields that old servers do not know: a pause before a stop, gRPC probes, sidecars, volumes for one pod, pod
/// failure policies, time zones.
fn in_older_words(value: &mut Value) {
    match value {
        Value::Object(fields) => {
            if fields.get("preStop").is_some_and(|hook| hook.get("sleep").is_some()) {
                fields["preStop"] = json!({ "exec": { "command": ["sleep", "1"] } });
            }
            for probe in ["startupProbe", "readinessProbe", "livenessProbe"] {
                let Some(asks) = fields.get_mut(probe).and_then(Value::as_object_mut) else { continue };
                if let Some(grpc) = asks.remove("grpc") {
                    asks.insert("tcpSocket".into(), grpc);
                }
            }
            if let Some(Value::Array(modes)) = fields.get_mut("accessModes") {
                modes
                    .iter_mut()
                    .filter(|mode| **mode == "ReadWriteOncePod")
                    .for_each(|mode| *mode = "ReadWriteOnce".into());
            }
            for container in
                fields.get_mut("initContainers").and_then(Value::as_array_mut).into_iter().flatten()
            {
                let sidecar = container.as_object_mut().unwrap();
                if sidecar.remove("restartPolicy").is_some() {
                    for field in ["startupProbe", "readinessProbe", "livenessProbe", "lifecycle"] {
                        sidecar.remove(field);
                    }
                }
            }
            for field in ["podFailurePolicy", "timeZone"] {
                fields.remove(field);
            }
            fields.values_mut().for_each(in_older_words);
        }
        Value::Array(items) => items.iter_mut().for_each(in_older_words),
        _ => {}
    }
}

/// The objects of a stack to send: those of kinds that every server has.
fn sent(generated: &Generated) -> Vec<Value> {
    let known = |object: &&Value| {
        let version = object["apiVersion"].as_str().unwrap();
        let ours = object["metadata"]["labels"]["app.kubernetes.io/managed-by"] == "fracht";
        ours && !version.starts_with("gateway.")
    };
    let mut objects: Vec<Value> = generated.objects.iter().filter(known).cloned().collect();
    objects.iter_mut().for_each(in_older_words);
    // Old servers have no load balancer with ports of several protocols.
    objects.retain(|object| {
        let protocols: Vec<_> =
            items(&object["spec"]["ports"]).map(|port| port["protocol"].clone()).collect();
        object["spec"]["type"] != "LoadBalancer" || protocols.windows(2).all(|pair| pair[0] == pair[1])
    });
    objects
}

#[test]
fn a_real_server_accepts_the_objects_and_keeps_every_field() {
    let Ok(url) = std::env::var("FRACHT_APISERVER") else {
        println!("skipped: FRACHT_APISERVER names no API server");
        return;
    };
    let server = Server { url, token: std::env::var("FRACHT_APISERVER_TOKEN").unwrap_or_default() };
    let mut all: Vec<(String, Generated)> = ["staging", "prod"]
        .into_iter()
        .map(|target| (format!("the demo under {target}"), generated(&demo(), target)))
        .collect();
    for name in NAMES {
        all.extend(
            of_stack(name)
                .into_iter()
                .map(|(target, generated)| (format!("{name} under {target}"), generated)),
        );
    }
    let mut runner = TestRunner::deterministic();
    for number in 0..MADE_UP {
        let parts = parts().new_tree(&mut runner).unwrap().current();
        for target in ["cluster", "other"] {
            let name = format!("made-up {number} under {target}: {parts:?}");
            all.push((name, generated(&files(&stack_file(&parts)), target)));
        }
    }
    let mut count = 0;
    for (name, generated) in all {
        let objects = sent(&generated);
        let (live, refused) = server.take(&objects);
        assert_eq!(refused, [""; 0], "{name}");
        let difference = compare(&live, &objects);
        assert_eq!((difference.objects, difference.left_out.len()), (vec![], 0), "{name}");
        count += objects.len();
    }
    println!("{count} objects were taken, and none differs");
}
