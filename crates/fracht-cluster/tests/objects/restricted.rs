//! The "restricted" profile of the Pod Security Standards, field by field, as its page lists them: the
//! fields of a pod, and of each kind of container in it, with the values that are allowed.

use fracht_core::model::{Confine, Model, Workload};
use serde_json::{Value, json};

use crate::cluster::{Cluster, Pod, items};

/// The kinds of volumes that the profile allows.
const VOLUMES: [&str; 8] = [
    "configMap",
    "csi",
    "downwardAPI",
    "emptyDir",
    "ephemeral",
    "persistentVolumeClaim",
    "projected",
    "secret",
];

/// The field of a pod that breaks the profile.
pub(crate) fn breach(spec: &Value) -> Option<String> {
    let fail = |what: &str, value: &Value| Some(format!("{what}: {value}"));
    for field in ["hostNetwork", "hostPID", "hostIPC"] {
        if spec[field] == true {
            return fail(field, &spec[field]);
        }
    }
    for volume in items(&spec["volumes"]) {
        let kinds = volume.as_object().unwrap().keys().filter(|key| *key != "name");
        if let Some(kind) = kinds.into_iter().find(|kind| !VOLUMES.contains(&kind.as_str())) {
            return fail("volumes", &Value::from(kind.as_str()));
        }
    }
    let pod = &spec["securityContext"];
    if pod["runAsUser"] == 0 {
        return fail("runAsUser", pod);
    }
    for container in items(&spec["containers"]).chain(items(&spec["initContainers"])) {
        let own = &container["securityContext"];
        let either = |field: &str| own.get(field).or_else(|| pod.get(field)).cloned().unwrap_or_default();
        let seccomp = either("seccompProfile")["type"].clone();
        let capabilities = &own["capabilities"];
        let added = items(&capabilities["add"]).any(|name| name != "NET_BIND_SERVICE");
        let ports = items(&container["ports"]).any(|port| port.get("hostPort").is_some());
        let wrong = [
            ("allowPrivilegeEscalation", own["allowPrivilegeEscalation"] != false),
            ("privileged", own["privileged"] == true),
            ("runAsNonRoot", either("runAsNonRoot") != true),
            ("runAsUser", own["runAsUser"] == 0),
            ("seccompProfile", !["RuntimeDefault", "Localhost"].iter().any(|kind| seccomp == **kind)),
            ("capabilities.drop", !items(&capabilities["drop"]).any(|name| name == "ALL")),
            ("capabilities.add", added),
            ("procMount", !(own["procMount"].is_null() || own["procMount"] == "Default")),
            ("hostPort", ports),
        ];
        if let Some((field, _)) = wrong.into_iter().find(|(_, wrong)| *wrong) {
            return fail(field, &json!({ "container": container["name"], "own": own, "pod": pod }));
        }
    }
    None
}

fn is_strict(workload: &Workload) -> bool {
    workload.containers().all(|container| container.confine.value == Confine::Strict)
}

fn template<'c>(cluster: &Cluster<'c>, workload: &Workload) -> Pod<'c> {
    let mut pods = cluster.pods().into_iter();
    pods.find(|pod| pod.labels()["app.kubernetes.io/name"] == *workload.name).unwrap()
}

/// Checks that strict containers and gates follow the profile, and that a container with `off` has no restrictions.
pub(crate) fn check(cluster: &Cluster<'_>, model: &Model) {
    for workload in &model.workloads {
        let pod = template(cluster, workload);
        if is_strict(workload) {
            assert_eq!(breach(pod.spec()), None, "{}", pod.owner);
        }
        let gates: Vec<&Value> = pod.gates().collect();
        let context = pod.spec()["securityContext"].clone();
        let alone = json!({ "containers": gates, "securityContext": context });
        assert_eq!(breach(&alone), None, "a gate of {}", pod.owner);
        if workload.containers().all(|container| container.confine.value == Confine::Off) {
            assert!(pod.spec()["securityContext"].get("seccompProfile").is_none());
        }
    }
}

#[test]
fn violations_of_the_restricted_profile_are_found() {
    let good = json!({
        "securityContext": { "runAsNonRoot": true, "seccompProfile": { "type": "RuntimeDefault" } },
        "containers": [{ "name": "a", "securityContext": {
            "allowPrivilegeEscalation": false, "capabilities": { "drop": ["ALL"] } } }],
    });
    assert_eq!(breach(&good), None);
    for (path, value) in [
        ("/securityContext", json!({})),
        ("/securityContext/runAsUser", json!(0)),
        ("/containers/0/securityContext/capabilities/drop", json!([])),
        ("/containers/0/securityContext/capabilities/add", json!(["SYS_ADMIN"])),
        ("/containers/0/securityContext/runAsNonRoot", json!(false)),
        ("/containers/0/securityContext/privileged", json!(true)),
        ("/volumes", json!([{ "name": "v", "hostPath": { "path": "/" } }])),
        ("/hostNetwork", json!(true)),
    ] {
        let mut bad = good.clone();
        let (parent, name) = path.rsplit_once('/').unwrap();
        bad.pointer_mut(parent).unwrap()[name] = value;
        assert!(breach(&bad).is_some(), "{path}");
    }
}
