//! A cluster that only reads: it knows objects and what they refer to, and nothing of stacks.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use regex::Regex;
use serde_json::Value;

use crate::random_stack::{parts, stack_file};
use crate::{demo, files, generator, objects};

/// Secrets that the made-up stacks and the demo expect to be there, with their keys.
const PRESENT: [(&str, &str); 2] = [("in-cluster", "token"), ("buoy-feed", "token")];

/// The objects of a namespace.
struct Cluster<'a> {
    objects: &'a [Value],
}

/// A pod template, with the position of the object that it is in.
struct Pod<'a> {
    at: usize,
    owner: String,
    template: &'a Value,
}

impl<'a> Cluster<'a> {
    fn of_kind(&self, kind: &str) -> impl Iterator<Item = (usize, &'a Value)> {
        let found = self.objects.iter().enumerate().filter(move |(_, object)| object["kind"] == *kind);
        found.collect::<Vec<_>>().into_iter()
    }

    fn named(&self, kind: &str, name: &Value) -> Option<(usize, &'a Value)> {
        self.of_kind(kind).find(|(_, object)| object["metadata"]["name"] == *name)
    }

    fn pods(&self) -> Vec<Pod<'a>> {
        let kinds = ["Deployment", "Job"].into_iter().flat_map(|kind| self.of_kind(kind));
        kinds
            .map(|(at, object)| Pod {
                at,
                owner: format!("{} {}", object["kind"], object["metadata"]["name"]),
                template: &object["spec"]["template"],
            })
            .collect()
    }

    /// The value behind a key of a config or a secret: it must be there, and be made before `user`.
    fn key(&self, kind: &str, name: &Value, key: &Value, user: &Pod<'_>) {
        if kind == "Secret" && PRESENT.iter().any(|(n, k)| *name == **n && *key == **k) {
            return;
        }
        let (at, object) =
            self.named(kind, name).unwrap_or_else(|| panic!("{} refers to {kind} {name}", user.owner));
        assert!(at < user.at, "{kind} {name} is made after {}", user.owner);
        let key = key.as_str().unwrap();
        let found = ["data", "binaryData"].iter().any(|part| object[*part].get(key).is_some());
        assert!(found, "{} refers to {kind} {name}, key {key}", user.owner);
    }

    fn check(&self) {
        self.identities();
        self.services();
        for pod in self.pods() {
            self.variables(&pod);
            self.storage(&pod);
            self.gates(&pod);
            Self::safety(&pod);
        }
        self.selectors();
    }

    /// Each object is one of a kind, its name is a name, and the namespace is that of all others.
    fn identities(&self) {
        let name = Regex::new("^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$").unwrap();
        let label = Regex::new("^(([A-Za-z0-9][A-Za-z0-9_.-]{0,61})?[A-Za-z0-9])?$").unwrap();
        let (mut seen, mut namespaces) = (BTreeSet::new(), BTreeSet::new());
        for object in self.objects {
            let meta = &object["metadata"];
            assert!(name.is_match(meta["name"].as_str().unwrap()), "{meta}");
            assert!(seen.insert((object["kind"].to_string(), meta["name"].to_string())), "two of {meta}");
            let namespace = if object["kind"] == "Namespace" { &meta["name"] } else { &meta["namespace"] };
            namespaces.insert(namespace.as_str().unwrap());
            for value in meta["labels"].as_object().unwrap().values() {
                assert!(label.is_match(value.as_str().unwrap()), "{meta}");
            }
        }
        assert_eq!(namespaces.len(), 1);
        assert_eq!(self.objects[0]["kind"], "Namespace");
    }

    /// The pods that a selector finds.
    fn selected(&self, selector: &Value) -> Vec<Pod<'a>> {
        let wanted = selector.as_object().unwrap();
        let fits = |pod: &Pod<'_>| {
            wanted.iter().all(|(key, value)| pod.template["metadata"]["labels"].get(key) == Some(value))
        };
        self.pods().into_iter().filter(fits).collect()
    }

    /// A service finds the pods of one workload, and its ports lead to ports that they have.
    fn services(&self) {
        for (_, service) in self.of_kind("Service") {
            let pods = self.selected(&service["spec"]["selector"]);
            let [pod] = pods.as_slice() else { panic!("{} finds {} workloads", service, pods.len()) };
            let open = pod.template["spec"]["containers"][0]["ports"].as_array().unwrap();
            let (mut names, mut numbers) = (BTreeSet::new(), BTreeSet::new());
            for port in service["spec"]["ports"].as_array().unwrap() {
                let target = open.iter().find(|open| open["name"] == port["targetPort"]);
                let target = target.unwrap_or_else(|| panic!("{port} leads nowhere in {}", pod.owner));
                assert_eq!(target.get("protocol"), port.get("protocol"));
                assert!(names.insert(port["name"].to_string()));
                assert!(numbers.insert((port["port"].as_u64(), port["protocol"].to_string())));
                let node = port["nodePort"].as_u64();
                assert_eq!(node.is_some(), service["spec"]["type"] == "NodePort", "{port}");
                assert!(node.is_none_or(|node| (30000..=32767).contains(&node)));
            }
        }
    }

    /// Every variable refers to what is there; a composed one only to those before it.
    fn variables(&self, pod: &Pod<'_>) {
        let reference = Regex::new(r"\$+\(([A-Za-z0-9_.-]+)\)").unwrap();
        for container in pod.template["spec"]["containers"].as_array().unwrap() {
            let mut known = BTreeSet::new();
            let resolve = |text: &str, known: &BTreeSet<&str>| {
                for found in reference.captures_iter(text) {
                    let dollars = found[0].chars().take_while(|c| *c == '$').count();
                    let ours = found[1].starts_with("FRACHT_");
                    assert_eq!(dollars % 2 == 1, ours, "{text} in {}", pod.owner);
                    assert!(!ours || known.contains(&found[1]), "{text} in {}", pod.owner);
                }
            };
            for variable in container["env"].as_array().into_iter().flatten() {
                let from = &variable["valueFrom"];
                for (kind, key) in [("ConfigMap", "configMapKeyRef"), ("Secret", "secretKeyRef")] {
                    if let Some(source) = from.get(key) {
                        self.key(kind, &source["name"], &source["key"], pod);
                    }
                }
                if let Some(value) = variable["value"].as_str() {
                    resolve(value, &known);
                } else {
                    assert!(from.is_object(), "{variable} has no value");
                }
                assert!(known.insert(variable["name"].as_str().unwrap()), "{variable} is there twice");
            }
            for list in ["command", "args"] {
                for text in container[list].as_array().into_iter().flatten() {
                    resolve(text.as_str().unwrap(), &known);
                }
            }
        }
    }

    /// Every mount names a volume, every volume something that is there, and one path has one mount.
    fn storage(&self, pod: &Pod<'_>) {
        let spec = &pod.template["spec"];
        let mut volumes = BTreeMap::new();
        for volume in spec["volumes"].as_array().into_iter().flatten() {
            assert!(volumes.insert(volume["name"].as_str().unwrap(), volume).is_none(), "{volume}");
            if let Some(claim) = volume.get("persistentVolumeClaim") {
                let (at, _) = self.named("PersistentVolumeClaim", &claim["claimName"]).unwrap();
                assert!(at < pod.at);
            }
        }
        let lists = ["containers", "initContainers"];
        let containers = lists.iter().flat_map(|list| spec[*list].as_array().into_iter().flatten());
        let mut used = BTreeSet::new();
        for container in containers {
            let mut paths = BTreeSet::new();
            for mount in container["volumeMounts"].as_array().into_iter().flatten() {
                let name = mount["name"].as_str().unwrap();
                let volume = volumes.get(name).unwrap_or_else(|| panic!("{mount} in {}", pod.owner));
                used.insert(name);
                assert!(paths.insert(mount["mountPath"].as_str().unwrap()), "{mount}");
                for (source, kind, field) in
                    [("configMap", "ConfigMap", "name"), ("secret", "Secret", "secretName")]
                {
                    let Some(source) = volume.get(source) else { continue };
                    assert_eq!(mount["readOnly"], true);
                    if let Some(key) = mount.get("subPath") {
                        self.key(kind, &source[field], key, pod);
                    } else if !PRESENT.iter().any(|(name, _)| source[field] == **name) {
                        assert!(self.named(kind, &source[field]).unwrap().0 < pod.at);
                    }
                }
            }
        }
        assert_eq!(used.len(), volumes.len(), "{} has volumes that nothing mounts", pod.owner);
    }

    /// A gate waits for an address with ready pods behind it, or for a Job that it may read, and no other.
    fn gates(&self, pod: &Pod<'_>) {
        let ready = Regex::new(r"nc -z -w 2 (\S+) (\d+);").unwrap();
        let done = Regex::new(r"/namespaces/(\S+)/jobs/(\S+)").unwrap();
        let (mut jobs, mut names) = (BTreeSet::new(), BTreeSet::new());
        for gate in pod.template["spec"]["initContainers"].as_array().into_iter().flatten() {
            assert!(names.insert(gate["name"].as_str().unwrap()));
            let script = gate["command"][2].as_str().unwrap();
            if let Some(asks) = ready.captures(script) {
                let (_, service) = self.named("Service", &Value::from(&asks[1])).unwrap();
                let port: u64 = asks[2].parse().unwrap();
                let ports = service["spec"]["ports"].as_array().unwrap();
                let port = ports.iter().find(|p| p["port"] == port && p.get("protocol").is_none());
                assert!(port.is_some(), "{script}");
                let behind = self.selected(&service["spec"]["selector"]);
                assert!(behind[0].template["spec"]["containers"][0]["readinessProbe"].is_object());
                assert!(behind[0].at < pod.at, "what is waited for is applied first");
            } else {
                let asks = done.captures(script).unwrap_or_else(|| panic!("{script} waits for nothing"));
                assert_eq!(self.objects[0]["metadata"]["name"], asks[1]);
                assert!(self.named("Job", &Value::from(&asks[2])).unwrap().0 < pod.at);
                jobs.insert(asks[2].to_owned());
                assert!(gate["volumeMounts"].is_array(), "the gate has no token");
            }
        }
        let account = &pod.template["spec"]["serviceAccountName"];
        assert_eq!(account.is_string(), !jobs.is_empty(), "{}", pod.owner);
        if account.is_string() {
            self.named("ServiceAccount", account).unwrap();
            let bound = self.of_kind("RoleBinding").find(|(_, b)| b["subjects"][0]["name"] == *account);
            let (_, role) = self.named("Role", &bound.unwrap().1["roleRef"]["name"]).unwrap();
            let rules = role["rules"].as_array().unwrap();
            assert_eq!(rules.len(), 1);
            let allowed: BTreeSet<String> =
                serde_json::from_value(rules[0]["resourceNames"].clone()).unwrap();
            assert_eq!(allowed, jobs);
            assert_eq!(
                (&rules[0]["verbs"], &rules[0]["resources"]),
                (&Value::from(vec!["get"]), &Value::from(vec!["jobs"]))
            );
        }
    }

    /// No token of the cluster lies in a pod but the one that a gate alone mounts.
    fn safety(pod: &Pod<'_>) {
        let spec = &pod.template["spec"];
        assert_eq!(spec["automountServiceAccountToken"], false, "{}", pod.owner);
        for container in spec["containers"].as_array().unwrap() {
            for mount in container["volumeMounts"].as_array().into_iter().flatten() {
                let volumes = spec["volumes"].as_array().unwrap();
                let volume = volumes.iter().find(|volume| volume["name"] == mount["name"]).unwrap();
                assert!(volume.get("projected").is_none(), "{} sees the token", pod.owner);
            }
        }
    }

    /// A workload's selector finds its own pods and no others.
    fn selectors(&self) {
        for (at, deployment) in self.of_kind("Deployment") {
            let found = self.selected(&deployment["spec"]["selector"]["matchLabels"]);
            assert_eq!(found.iter().map(|pod| pod.at).collect::<Vec<_>>(), [at]);
        }
    }
}

#[test]
fn the_demo_holds_together() {
    let objects = objects(&demo(), "prod");
    assert!(objects.len() > 20);
    Cluster { objects: &objects }.check();
}

#[test]
fn a_fleet_holds_together() {
    Cluster { objects: &objects(&files(&generator::stack(60)), "cluster") }.check();
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn any_good_stack_holds_together(parts in parts()) {
        Cluster { objects: &objects(&files(&stack_file(&parts)), "cluster") }.check();
    }
}

/// Breaks something.
type Change = fn(&mut Vec<Value>);

/// The cluster above must be able to find something.
#[test]
fn what_does_not_hold_together_is_seen() {
    let good = objects(&demo(), "prod");
    let breaks: [(&str, Change); 6] = [
        ("a config is missing", |all| all.retain(|object| object["kind"] != "ConfigMap")),
        ("a service finds nothing", |all| {
            let service = all.iter_mut().find(|object| object["kind"] == "Service").unwrap();
            service["spec"]["selector"]["app.kubernetes.io/name"] = "other".into();
        }),
        ("a job is missing", |all| all.retain(|object| object["kind"] != "Job")),
        ("a claim is missing", |all| all.retain(|object| object["kind"] != "PersistentVolumeClaim")),
        ("a role allows more", |all| {
            let role = all.iter_mut().find(|object| object["kind"] == "Role").unwrap();
            role["rules"][0]["verbs"] = Value::from(vec!["get", "delete"]);
        }),
        ("the order is turned", |all| all[1..].reverse()),
    ];
    for (what, change) in breaks {
        let mut broken = good.clone();
        change(&mut broken);
        let seen = std::panic::catch_unwind(|| Cluster { objects: &broken }.check());
        assert!(seen.is_err(), "{what}, and nobody saw it");
    }
}
