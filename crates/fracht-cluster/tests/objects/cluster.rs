//! A simulated cluster: it checks objects and their references, and knows nothing of stacks.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use regex::Regex;
use serde_json::Value;

use crate::{policies, scheduler, server};

/// The existing objects that the stacks expect, by kind and name, with their keys.
const PRESENT: [(&str, &str, &[&str]); 11] = [
    // Made by hand, or there already.
    ("Secret", "everything-made", &["root"]),
    ("Secret", "harbour-pages--office", &["OFFICE_PASSWORD"]),
    ("Secret", "harbour-certificate", &["tls.crt", "tls.key"]),
    ("Secret", "mail-login", &["password", "token"]),
    ("PersistentVolumeClaim", "sea-maps", &[]),
    ("Secret", "in-cluster", &["token"]),
    ("Secret", "buoy-feed", &["token"]),
    ("Secret", "tides-certificate", &["tls.crt", "tls.key"]),
    ("Secret", "registry-login", &[".dockerconfigjson"]),
    ("ConfigMap", "shared-settings", &["REGION"]),
    ("PersistentVolumeClaim", "old-archive", &[]),
];

/// The names of most kinds.
static NAME: LazyLock<Regex> = LazyLock::new(|| Regex::new("^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$").unwrap());

/// The values of labels.
pub(crate) static LABEL: LazyLock<Regex> =
    LazyLock::new(|| Regex::new("^(([A-Za-z0-9][A-Za-z0-9_.-]{0,61})?[A-Za-z0-9])?$").unwrap());

/// A variable in a text, with the signs before it, which may escape it.
static REFERENCE: LazyLock<Regex> = LazyLock::new(|| Regex::new(r"\$+\(([A-Za-z0-9_.-]+)\)").unwrap());

/// The objects of a namespace.
pub(crate) struct Cluster<'a> {
    pub(crate) objects: &'a [Value],
}

/// A pod template, with the position of the object that it is in.
pub(crate) struct Pod<'a> {
    at: usize,
    pub(crate) owner: String,
    pub(crate) template: &'a Value,
    /// The names of the claim templates.
    claims: Vec<&'a str>,
}

pub(crate) fn items(list: &Value) -> impl Iterator<Item = &Value> {
    list.as_array().into_iter().flatten()
}

/// The parameters of a gate: its variables.
pub(crate) fn parameters(gate: &Value) -> BTreeMap<&str, &str> {
    let variables = items(&gate["env"]);
    variables.map(|one| (one["name"].as_str().unwrap(), one["value"].as_str().unwrap())).collect()
}

impl<'a> Pod<'a> {
    /// The position of the object that it is in.
    pub(crate) fn at(&self) -> usize {
        self.at
    }

    pub(crate) fn spec(&self) -> &'a Value {
        &self.template["spec"]
    }

    /// The containers that keep running: the main one and the sidecars.
    pub(crate) fn running(&self) -> impl Iterator<Item = &'a Value> {
        items(&self.spec()["containers"]).chain(self.before().filter(|c| c["restartPolicy"] == "Always"))
    }

    fn before(&self) -> impl Iterator<Item = &'a Value> {
        items(&self.spec()["initContainers"])
    }

    /// The gates: init containers that end before the pod starts.
    pub(crate) fn gates(&self) -> impl Iterator<Item = &'a Value> {
        self.before().filter(|container| container["name"].as_str().unwrap().starts_with("wait-for-"))
    }

    pub(crate) fn containers(&self) -> impl Iterator<Item = &'a Value> {
        items(&self.spec()["containers"]).chain(self.before())
    }

    /// The ports of the containers.
    pub(crate) fn ports(&self) -> impl Iterator<Item = &'a Value> {
        self.running().flat_map(|container| items(&container["ports"]))
    }

    pub(crate) fn labels(&self) -> &'a Value {
        &self.template["metadata"]["labels"]
    }
}

/// Whether a selector matches labels, by its `matchLabels`, the only kind in use.
pub(crate) fn fits(labels: &Value, selector: &Value) -> bool {
    assert!(selector.get("matchExpressions").is_none());
    let wanted = selector["matchLabels"].as_object();
    wanted.is_none_or(|wanted| wanted.iter().all(|(key, value)| labels.get(key) == Some(value)))
}

impl<'a> Cluster<'a> {
    pub(crate) fn of_kind(&self, kind: &str) -> impl Iterator<Item = (usize, &'a Value)> {
        let found = self.objects.iter().enumerate().filter(move |(_, object)| object["kind"] == *kind);
        found.collect::<Vec<_>>().into_iter()
    }

    fn named(&self, kind: &str, name: &Value) -> Option<(usize, &'a Value)> {
        self.of_kind(kind).find(|(_, object)| object["metadata"]["name"] == *name)
    }

    pub(crate) fn pods(&self) -> Vec<Pod<'a>> {
        let kinds = ["Deployment", "StatefulSet", "Job", "CronJob"];
        let owners = kinds.into_iter().flat_map(|kind| self.of_kind(kind));
        owners
            .map(|(at, object)| {
                let spec = &object["spec"];
                let template = if object["kind"] == "CronJob" {
                    &spec["jobTemplate"]["spec"]["template"]
                } else {
                    &spec["template"]
                };
                let claims = items(&spec["volumeClaimTemplates"]);
                Pod {
                    at,
                    owner: format!("{} {}", object["kind"], object["metadata"]["name"]),
                    template,
                    claims: claims.map(|claim| claim["metadata"]["name"].as_str().unwrap()).collect(),
                }
            })
            .collect()
    }

    fn is_present(kind: &str, name: &Value, key: Option<&Value>) -> bool {
        let fits = |keys: &[&str]| key.is_none_or(|key| keys.iter().any(|known| *key == **known));
        PRESENT.iter().any(|(k, n, keys)| *k == kind && *name == **n && fits(keys))
    }

    /// An object that a pod refers to: it must exist and come before the pod.
    fn object(&self, kind: &str, name: &Value, pod: &Pod<'_>) -> Option<&'a Value> {
        if Self::is_present(kind, name, None) {
            return None;
        }
        let (at, object) =
            self.named(kind, name).unwrap_or_else(|| panic!("{} refers to {kind} {name}", pod.owner));
        assert!(at < pod.at, "{kind} {name} comes after {}", pod.owner);
        Some(object)
    }

    /// Checks that a key of a config or a secret exists.
    fn key(&self, kind: &str, name: &Value, key: &Value, pod: &Pod<'_>) {
        let Some(object) = self.object(kind, name, pod) else {
            assert!(Self::is_present(kind, name, Some(key)), "{} asks {name} for {key}", pod.owner);
            return;
        };
        let key = key.as_str().unwrap();
        let found = ["data", "binaryData"].iter().any(|part| object[*part].get(key).is_some());
        assert!(found, "{} refers to {kind} {name}, key {key}", pod.owner);
    }

    /// The keys of a ConfigMap or a Secret.
    pub(crate) fn keys(&self, kind: &str, name: &str) -> Vec<String> {
        if let Some((.., keys)) = PRESENT.iter().find(|(k, n, _)| *k == kind && *n == name) {
            return keys.iter().map(|key| (*key).to_owned()).collect();
        }
        let (_, object) = self.named(kind, &name.into()).unwrap_or_else(|| panic!("{kind} {name}"));
        object["data"].as_object().into_iter().flatten().map(|(key, _)| key.clone()).collect()
    }

    pub(crate) fn check(&self) {
        self.identities();
        self.services();
        self.scaling();
        self.entries();
        self.pieces();
        self.selectors();
        for pod in self.pods() {
            self.variables(&pod);
            self.storage(&pod);
            self.gates(&pod);
            self.rights(&pod);
            for secret in items(&pod.spec()["imagePullSecrets"]) {
                self.key("Secret", &secret["name"], &".dockerconfigjson".into(), &pod);
            }
            let mut names = BTreeSet::new();
            let all = pod.containers().map(|container| container["name"].as_str().unwrap());
            all.for_each(|name| assert!(names.insert(name), "two containers of {} are {name}", pod.owner));
        }
        policies::check(self);
        server::check(self);
        scheduler::check(self);
    }

    /// Checks that names are valid and unique, and that all objects have the same namespace.
    fn identities(&self) {
        let (mut seen, mut namespaces) = (BTreeSet::new(), BTreeSet::new());
        for object in self.objects {
            let (kind, meta) = (object["kind"].as_str().unwrap(), &object["metadata"]);
            let own = meta["name"].as_str().unwrap();
            // Names of pods and addresses are labels; all other names may have dots.
            let dotted =
                ["NetworkPolicy", "Role", "RoleBinding", "HTTPRoute", "PersistentVolume"].contains(&kind);
            assert!(
                if dotted { own.split('.').all(|part| NAME.is_match(part)) } else { NAME.is_match(own) },
                "{meta}"
            );
            // The cluster adds a suffix to these names, in labels and in names of pods and Jobs.
            assert!(!["StatefulSet", "CronJob"].contains(&kind) || own.len() <= 52, "{meta}");
            assert!(seen.insert((kind, own)), "two of {meta}");
            match kind {
                "Namespace" => _ = namespaces.insert(own),
                "PersistentVolume" => assert!(meta.get("namespace").is_none()),
                _ => namespaces.extend(meta["namespace"].as_str()),
            }
            for value in meta["labels"].as_object().into_iter().flatten().map(|(_, value)| value) {
                assert!(LABEL.is_match(value.as_str().unwrap()), "{meta}");
            }
        }
        assert_eq!(namespaces.len(), 1, "{namespaces:?}");
        let at = self.objects.iter().position(|object| object["kind"] == "Namespace");
        assert!(at.is_none_or(|at| at == 0));
    }

    /// The pods that labels select.
    pub(crate) fn selected(&self, labels: &Value) -> Vec<Pod<'a>> {
        let selector = serde_json::json!({ "matchLabels": labels });
        self.pods().into_iter().filter(|pod| fits(pod.labels(), &selector)).collect()
    }

    /// Checks Services: each selects pods that all have its ports, or has an external name or address.
    fn services(&self) {
        for (_, service) in self.of_kind("Service") {
            let spec = &service["spec"];
            let Some(selector) = spec.get("selector") else {
                self.outside(service);
                continue;
            };
            let pods = self.selected(selector);
            assert!(!pods.is_empty(), "{service} finds nothing");
            let (mut names, mut numbers) = (BTreeSet::new(), BTreeSet::new());
            for port in items(&spec["ports"]) {
                for pod in &pods {
                    let target = pod.ports().find(|open| open["name"] == port["targetPort"]);
                    let target = target.unwrap_or_else(|| panic!("{port} leads nowhere in {}", pod.owner));
                    assert_eq!(target.get("protocol"), port.get("protocol"));
                }
                assert!(names.insert(port["name"].to_string()));
                assert!(numbers.insert((port["port"].as_u64(), port["protocol"].to_string())));
                let node = port["nodePort"].as_u64();
                assert!(
                    node.is_none_or(|node| spec["type"] == "NodePort" && (30000..=32767).contains(&node)),
                    "{port}"
                );
            }
            assert!(spec["clusterIP"] == "None" || !names.is_empty(), "{service} has no ports");
        }
        for (at, set) in self.of_kind("StatefulSet") {
            let (before, governing) = self.named("Service", &set["spec"]["serviceName"]).unwrap();
            assert!(before < at && governing["spec"]["clusterIP"] == "None");
            let pods = self.selected(&governing["spec"]["selector"]);
            assert_eq!(pods.iter().map(|pod| pod.at).collect::<Vec<_>>(), [at]);
        }
    }

    fn outside(&self, service: &Value) {
        let (name, spec) = (&service["metadata"]["name"], &service["spec"]);
        if spec["type"] == "ExternalName" {
            assert!(spec["externalName"].as_str().unwrap().contains('.'));
            return;
        }
        let is_behind = |slice: &Value| slice["metadata"]["labels"]["kubernetes.io/service-name"] == *name;
        let (_, slice) = self.of_kind("EndpointSlice").find(|(_, slice)| is_behind(slice)).unwrap();
        let ports = |list: &Value| -> Vec<(String, String)> {
            items(list).map(|port| (port["name"].to_string(), port["port"].to_string())).collect()
        };
        assert_eq!(ports(&slice["ports"]), ports(&spec["ports"]));
        assert!(!slice["endpoints"][0]["addresses"].as_array().unwrap().is_empty());
    }

    /// Checks autoscalers: the workload sets no number of replicas, and its load can be measured.
    fn scaling(&self) {
        for (_, scaler) in self.of_kind("HorizontalPodAutoscaler") {
            let target = &scaler["spec"]["scaleTargetRef"];
            let (at, object) = self.named(target["kind"].as_str().unwrap(), &target["name"]).unwrap();
            assert!(object["spec"].get("replicas").is_none(), "{object} and {scaler} both count");
            let pod = self.pods().into_iter().find(|pod| pod.at == at).unwrap();
            for container in pod.running() {
                let cpu =
                    ["requests", "limits"].iter().any(|side| !container["resources"][side]["cpu"].is_null());
                assert!(cpu, "the load of {} cannot be measured", pod.owner);
            }
        }
        for (_, budget) in self.of_kind("PodDisruptionBudget") {
            assert_eq!(self.selected(&budget["spec"]["selector"]["matchLabels"]).len(), 1);
        }
    }

    /// Checks web entries: each host and path is unique and leads to a port of a Service; certificates exist.
    fn entries(&self) {
        let mut taken = BTreeSet::new();
        for (_, entry) in self.of_kind("Ingress") {
            for rule in items(&entry["spec"]["rules"]) {
                for path in items(&rule["http"]["paths"]) {
                    assert!(taken.insert((rule["host"].to_string(), path["path"].to_string())));
                    let backend = &path["backend"]["service"];
                    let (_, service) = self.named("Service", &backend["name"]).unwrap();
                    let mut ports = items(&service["spec"]["ports"]);
                    assert!(ports.any(|port| port["name"] == backend["port"]["name"]), "{backend}");
                }
            }
            for tls in items(&entry["spec"]["tls"]) {
                let secret = &tls["secretName"];
                let present = Self::is_present("Secret", secret, Some(&"tls.crt".into()));
                let generated = self.named("Secret", secret);
                assert!(present || generated.unwrap().1["type"] == "kubernetes.io/tls", "{tls}");
            }
        }
        for (_, route) in self.of_kind("HTTPRoute") {
            let rule = &route["spec"]["rules"][0];
            let host = route["spec"]["hostnames"][0].to_string();
            assert!(taken.insert((host, rule["matches"][0]["path"]["value"].to_string())));
            let backend = &rule["backendRefs"][0];
            let (_, service) = self.named("Service", &backend["name"]).unwrap();
            assert!(
                items(&service["spec"]["ports"]).any(|port| port["port"] == backend["port"]),
                "{backend}"
            );
            assert!(route["spec"]["parentRefs"][0]["name"].as_str().is_some_and(|name| !name.is_empty()));
        }
    }

    /// Checks volumes on nodes: the volume and its claim refer to each other and match.
    fn pieces(&self) {
        for (at, piece) in self.of_kind("PersistentVolume") {
            let spec = &piece["spec"];
            let (after, claim) = self.named("PersistentVolumeClaim", &spec["claimRef"]["name"]).unwrap();
            assert!(at < after);
            assert_eq!(claim["spec"]["volumeName"], piece["metadata"]["name"]);
            assert_eq!(claim["metadata"]["namespace"], spec["claimRef"]["namespace"]);
            for field in ["storageClassName", "accessModes"] {
                assert_eq!(claim["spec"][field], spec[field]);
            }
            assert_eq!(claim["spec"]["resources"]["requests"], spec["capacity"]);
        }
    }

    /// Checks variables: each refers to existing keys, and uses only earlier variables.
    fn variables(&self, pod: &Pod<'_>) {
        for container in pod.running() {
            let mut known = BTreeSet::new();
            let resolve = |text: &str, known: &BTreeSet<&str>| {
                for found in REFERENCE.captures_iter(text) {
                    let dollars = found[0].chars().take_while(|c| *c == '$').count();
                    let ours = found[1].starts_with("FRACHT_");
                    assert_eq!(dollars % 2 == 1, ours, "{text} in {}", pod.owner);
                    assert!(!ours || known.contains(&found[1]), "{text} in {}", pod.owner);
                }
            };
            for source in items(&container["envFrom"]) {
                for (kind, field) in [("ConfigMap", "configMapRef"), ("Secret", "secretRef")] {
                    let object = source.get(field).and_then(|from| self.object(kind, &from["name"], pod));
                    for name in object.and_then(|object| object["data"].as_object()).into_iter().flatten() {
                        let plain = |c: char| c.is_ascii_alphanumeric() || c == '_';
                        assert!(name.0.chars().all(plain), "{} would pass over {}", pod.owner, name.0);
                    }
                }
            }
            for variable in items(&container["env"]) {
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
                items(&container[list]).for_each(|text| resolve(text.as_str().unwrap(), &known));
            }
        }
    }

    /// Checks mounts: each has a volume with an existing source, and a path of its own.
    fn storage(&self, pod: &Pod<'_>) {
        let mut volumes: BTreeMap<&str, Option<&Value>> = BTreeMap::new();
        for volume in items(&pod.spec()["volumes"]) {
            assert!(volumes.insert(volume["name"].as_str().unwrap(), Some(volume)).is_none(), "{volume}");
            if let Some(claim) = volume.get("persistentVolumeClaim") {
                self.object("PersistentVolumeClaim", &claim["claimName"], pod);
            }
        }
        for claim in &pod.claims {
            assert!(volumes.insert(claim, None).is_none(), "{claim} of {}", pod.owner);
        }
        let mut used = BTreeSet::new();
        for container in pod.containers() {
            let mut paths = BTreeSet::new();
            for mount in items(&container["volumeMounts"]) {
                let name = mount["name"].as_str().unwrap();
                let volume = volumes.get(name).unwrap_or_else(|| panic!("{mount} in {}", pod.owner));
                used.insert(name);
                assert!(paths.insert(mount["mountPath"].as_str().unwrap()), "{mount}");
                for (source, kind, field) in
                    [("configMap", "ConfigMap", "name"), ("secret", "Secret", "secretName")]
                {
                    let Some(source) = volume.and_then(|volume| volume.get(source)) else { continue };
                    assert_eq!(mount["readOnly"], true);
                    match mount.get("subPath") {
                        Some(key) => self.key(kind, &source[field], key, pod),
                        None => _ = self.object(kind, &source[field], pod),
                    }
                }
            }
        }
        assert_eq!(used.len(), volumes.len(), "{} has volumes that nothing mounts", pod.owner);
    }

    /// Checks gates: each waits for an address with ready pods, or for a Job or a rollout that it may read, and has a time
    /// limit.
    fn gates(&self, pod: &Pod<'_>) {
        let mut asked = BTreeSet::new();
        for gate in pod.gates() {
            let parameters = parameters(gate);
            let script = gate["command"][2].as_str().unwrap();
            assert!(script.contains("gave up after") && script.contains("exit 75"), "{script}");
            assert!(parameters["WITHIN_SECONDS"].parse::<u64>().unwrap() > 0, "{parameters:?}");
            if let Some(host) = parameters.get("HOST") {
                let (_, service) = self.named("Service", &Value::from(*host)).unwrap();
                let port: u64 = parameters["PORT"].parse().unwrap();
                let mut ports = items(&service["spec"]["ports"]);
                assert!(ports.any(|p| p["port"] == port && p.get("protocol").is_none()), "{parameters:?}");
                let behind = self.selected(&service["spec"]["selector"]);
                // Others may answer at the same address.
                let own = behind.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == *host).unwrap();
                assert!(own.running().next().unwrap()["readinessProbe"].is_object());
                assert!(own.at < pod.at, "what is waited for is applied first");
            } else {
                let (resource, name) = match parameters.get("JOB") {
                    Some(job) => ("jobs", *job),
                    None => (parameters["RESOURCE"], parameters["NAME"]),
                };
                let kind = match resource {
                    "jobs" => "Job",
                    "deployments" => "Deployment",
                    _ => "StatefulSet",
                };
                let (at, object) = self.named(kind, &Value::from(name)).unwrap();
                assert!(at < pod.at && object["metadata"]["namespace"] == parameters["NAMESPACE"]);
                if let Some(version) = parameters.get("VERSION") {
                    assert_eq!(object["metadata"]["annotations"]["fracht/version"], *version);
                    assert!(pod.owner.contains("Job"), "a service would restart with each version");
                }
                asked.insert((resource.to_owned(), name.to_owned()));
                assert_eq!(
                    gate["volumeMounts"][0]["mountPath"], parameters["API_FOLDER"],
                    "the gate has no token"
                );
            }
        }
        let allowed: BTreeSet<(String, String)> = self
            .rules_of(pod)
            .iter()
            .filter(|rule| Self::is_of_gates(rule))
            .flat_map(|rule| {
                assert_eq!(rule["verbs"], serde_json::json!(["get"]));
                let resource = rule["resources"][0].as_str().unwrap();
                let names = items(&rule["resourceNames"]);
                names.map(|name| (resource.to_owned(), name.as_str().unwrap().to_owned()))
            })
            .collect();
        assert_eq!(allowed, asked, "{}", pod.owner);
    }

    /// Whether a permission is one of start gates.
    fn is_of_gates(rule: &Value) -> bool {
        ["jobs", "deployments", "statefulsets"].iter().any(|resource| rule["resources"][0] == *resource)
    }

    /// The permissions of a pod's account.
    fn rules_of(&self, pod: &Pod<'_>) -> Vec<&'a Value> {
        let Some(account) = pod.spec().get("serviceAccountName") else { return Vec::new() };
        let (at, _) = self.named("ServiceAccount", account).unwrap();
        assert!(at < pod.at);
        let mut rules = Vec::new();
        for (_, binding) in self.of_kind("RoleBinding").filter(|(_, b)| b["subjects"][0]["name"] == *account)
        {
            let (_, role) = self.named("Role", &binding["roleRef"]["name"]).unwrap();
            rules.extend(items(&role["rules"]));
        }
        assert!(!rules.is_empty(), "{} has an account without rights", pod.owner);
        rules
    }

    /// Checks tokens: only a container with permissions mounts one; gates mount their own.
    fn rights(&self, pod: &Pod<'_>) {
        let of_gates =
            |rule: &&&Value| Self::is_of_gates(rule) && rule["verbs"] == serde_json::json!(["get"]);
        let rules = self.rules_of(pod);
        let own = rules.len() - rules.iter().filter(of_gates).count();
        assert_eq!(pod.spec()["automountServiceAccountToken"], false, "{}", pod.owner);
        for container in pod.running() {
            let tokens = items(&container["volumeMounts"]).filter(|mount| {
                let mut volumes = items(&pod.spec()["volumes"]);
                let volume = volumes.find(|volume| volume["name"] == mount["name"]);
                volume.is_some_and(|volume| volume.get("projected").is_some())
            });
            let is_own = *container == pod.spec()["containers"][0];
            assert_eq!(
                tokens.count(),
                usize::from(own > 0 && is_own),
                "{} of {}",
                container["name"],
                pod.owner
            );
        }
    }

    /// Checks that the selector of a workload selects its own pods only.
    fn selectors(&self) {
        for kind in ["Deployment", "StatefulSet"] {
            for (at, workload) in self.of_kind(kind) {
                let found = self.selected(&workload["spec"]["selector"]["matchLabels"]);
                assert_eq!(found.iter().map(|pod| pod.at).collect::<Vec<_>>(), [at]);
            }
        }
    }
}
