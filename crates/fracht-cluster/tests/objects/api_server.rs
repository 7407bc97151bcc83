//! A real API server accepts the objects, and returns them without differences.
//!
//! Runs where `FRACHT_APISERVER` names one (`https://127.0.0.1:16443`, with the token in `FRACHT_APISERVER_TOKEN`),
//! with `curl`. It may be an old server: each kind is sent in the version that it serves, and fields that it does not
//! know are replaced by older ones. Services are really created and removed again, since node ports are only allocated
//! then.

use std::io::Write as _;
use std::process::{Command, Stdio};
use std::thread;

use fracht_cluster::compare::compare;
use proptest::strategy::{Strategy as _, ValueTree as _};
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

use crate::cluster::items;
use crate::{Generated, NAMES, demo, files, generated, of_stack};
use fracht_testkit::random_stack::{parts, stack_file};
use fracht_testkit::rendered::of_files;
use fracht_testkit::stacks::{example, examples};

/// The number of random stacks that are sent.
const MADE_UP: usize = 12;
/// Kinds that old servers only have in a version before the first stable one: kind, stable version, older version.
const BEFORE: [(&str, &str, &str); 4] = [
    ("CronJob", "batch/v1", "batch/v1beta1"),
    ("PodDisruptionBudget", "policy/v1", "policy/v1beta1"),
    ("HorizontalPodAutoscaler", "autoscaling/v2", "autoscaling/v2beta2"),
    ("EndpointSlice", "discovery.k8s.io/v1", "discovery.k8s.io/v1beta1"),
];
/// Stands between the parts of the answers: the record separator, which no JSON contains.
const BETWEEN: char = '\u{1e}';

struct Server {
    url: String,
    token: String,
    /// The kinds of `BEFORE` that it has only in the older version.
    older: Vec<&'static str>,
}

/// A request: method, path, body.
type Request = (&'static str, String, Value);

impl Server {
    fn find(url: String, token: String) -> Self {
        let mut server = Self { url, token, older: Vec::new() };
        let lists = BEFORE.map(|(_, stable, _)| ("GET", format!("/apis/{stable}"), Value::Null));
        for ((kind, ..), (_, list)) in BEFORE.into_iter().zip(server.call(&lists)) {
            if !items(&list["resources"]).any(|resource| resource["kind"] == kind) {
                server.older.push(kind);
            }
        }
        server
    }

    /// Sends requests one after the other over one connection, and returns the codes and bodies of the answers.
    fn call(&self, requests: &[Request]) -> Vec<(u16, Value)> {
        // A string of a configuration of curl is quoted as one of JSON is.
        let quoted = |text: &str| Value::from(text).to_string();
        let request = |(method, path, body): &Request| {
            let lines = [
                // Servers send indented JSON to a client named curl, which some of them do not survive.
                "user-agent = fracht-tests".to_owned(),
                "insecure\nsilent\nmax-time = 30".to_owned(),
                format!("url = {}", quoted(&format!("{}{path}", self.url))),
                format!("request = {method}"),
                "header = \"Content-Type: application/json\"".to_owned(),
                format!("header = {}", quoted(&format!("Authorization: Bearer {}", self.token))),
                format!("data-binary = {}", quoted(&body.to_string())),
                format!("write-out = \"{BETWEEN}%{{http_code}}{BETWEEN}\""),
            ];
            lines.join("\n")
        };
        let requests: Vec<String> = requests.iter().map(request).collect();
        let mut curl = Command::new("curl")
            .args(["--config", "-"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("curl is there");
        let mut input = curl.stdin.take().unwrap();
        let sent = requests.join("\nnext\n");
        let output = thread::scope(|scope| {
            scope.spawn(move || input.write_all(sent.as_bytes()).unwrap());
            String::from_utf8(curl.wait_with_output().unwrap().stdout).unwrap()
        });
        let parts: Vec<&str> = output.split(BETWEEN).collect();
        let answers: Vec<(u16, Value)> = parts
            .chunks_exact(2)
            .map(|part| (part[1].parse().unwrap(), serde_json::from_str(part[0]).unwrap_or_default()))
            .collect();
        assert_eq!(answers.len(), requests.len(), "{output}");
        assert!(answers.iter().all(|(code, _)| *code != 0), "{} does not answer", self.url);
        answers
    }

    /// The version that it serves a kind under.
    fn version(&self, object: &Value) -> String {
        let older = BEFORE.iter().find(|(kind, ..)| object["kind"] == **kind && self.older.contains(kind));
        older.map_or_else(
            || object["apiVersion"].as_str().unwrap().to_owned(),
            |(.., version)| (*version).to_owned(),
        )
    }

    /// The request that creates an object, as a dry run where that answers all.
    fn create(&self, object: &Value) -> Request {
        let version = self.version(object);
        let (kind, meta) = (object["kind"].as_str().unwrap(), &object["metadata"]);
        let plural = match kind {
            "NetworkPolicy" => "networkpolicies".to_owned(),
            "Ingress" => "ingresses".to_owned(),
            kind => format!("{}s", kind.to_lowercase()),
        };
        let group = if version == "v1" { "/api/v1".to_owned() } else { format!("/apis/{version}") };
        let within = meta["namespace"].as_str().map(|namespace| format!("/namespaces/{namespace}"));
        let real = ["Namespace", "Service"].contains(&kind);
        let mut sent = object.clone();
        sent["apiVersion"] = version.into();
        let dry = if real { "" } else { "?dryRun=All" };
        ("POST", format!("{group}{}/{plural}{dry}", within.unwrap_or_default()), sent)
    }

    /// Creates all objects in their order, and removes the Services again. Returns the server's objects in the current
    /// versions, and what it refused.
    fn take(&self, objects: &[Value]) -> (Vec<Value>, Vec<String>) {
        let (mut live, mut refused) = (Vec::new(), Vec::new());
        let namespace = objects.iter().find_map(|object| object["metadata"]["namespace"].as_str());
        let space = namespace.map(
            |namespace| json!({ "apiVersion": "v1", "kind": "Namespace", "metadata": { "name": namespace } }),
        );
        let before: Vec<Request> = space.iter().map(|space| self.create(space)).collect();
        let creates = objects.iter().map(|object| self.create(object));
        let answers = self.call(&before.iter().cloned().chain(creates).collect::<Vec<_>>());
        for (object, (code, mut answer)) in objects.iter().zip(answers.into_iter().skip(before.len())) {
            let (kind, name) = (&object["kind"], &object["metadata"]["name"]);
            match code {
                409 if kind == "Namespace" => live.push(object.clone()),
                300.. => refused.push(format!("{kind} {name}: {code} {}", answer["message"])),
                _ => {
                    answer["apiVersion"] = object["apiVersion"].clone();
                    live.push(answer);
                }
            }
        }
        let services = live.iter().filter(|object| object["kind"] == "Service");
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        let remove = |service: &Value| {
            let (namespace, name) =
                (text(&service["metadata"]["namespace"]), text(&service["metadata"]["name"]));
            ("DELETE", format!("/api/v1/namespaces/{namespace}/services/{name}"), Value::Null)
        };
        let removals: Vec<Request> = services.map(remove).collect();
        if !removals.is_empty() {
            self.call(&removals);
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
    let server = Server::find(url, std::env::var("FRACHT_APISERVER_TOKEN").unwrap_or_default());
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
    for name in examples() {
        let targets = of_files(&example(&name)).into_iter();
        all.extend(targets.map(|(target, generated)| (format!("{name} under {target}"), generated)));
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
