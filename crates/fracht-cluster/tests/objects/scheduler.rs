//! A simulated scheduler: each pod finds a node with the labels that it needs, on which its volumes can be mounted.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::cluster::{Cluster, Pod, items};

pub(crate) fn check(cluster: &Cluster<'_>) {
    let mut mounted: BTreeMap<&str, Vec<&Value>> = BTreeMap::new();
    let mut nodes: BTreeMap<String, BTreeMap<&str, &Value>> = BTreeMap::new();
    let mut pods = cluster.pods();
    let ends = |pod: &Pod<'_>| pod.spec()["restartPolicy"] == "Never";
    // Pods that end can follow each other, so they are placed after those that keep running.
    pods.sort_by_key(ends);
    for pod in &pods {
        if cluster.objects[pod.at()]["spec"]["replicas"] == 0 {
            continue;
        }
        let group = group(pod);
        assert!(
            group.is_null() || pod.labels()["fracht/one-node"] == *group,
            "the first would start nowhere"
        );
        for name in attached(cluster, pod) {
            mounted.entry(name).or_default().push(group);
        }
        let alone = group.is_null() || ends(pod);
        let mut node =
            if alone { BTreeMap::new() } else { nodes.remove(&group.to_string()).unwrap_or_default() };
        let known = nodes.get(&group.to_string()).into_iter().flatten();
        for (label, value) in known.map(|(label, value)| (*label, *value)).chain(demands(cluster, pod)) {
            let first = *node.entry(label).or_insert(value);
            assert_eq!(first, value, "no node for {}", pod.labels());
        }
        if !alone {
            nodes.insert(group.to_string(), node);
        }
    }
    for (claim, groups) in mounted.iter().filter(|(_, groups)| groups.len() > 1) {
        assert!(
            !groups[0].is_null() && groups.iter().all(|group| group == &groups[0]),
            "{claim} on several nodes: {groups:?}"
        );
    }
}

/// The group of a pod that must share a node.
fn group<'a>(pod: &Pod<'a>) -> &'a Value {
    let rules = &pod.spec()["affinity"]["podAffinity"]["requiredDuringSchedulingIgnoredDuringExecution"];
    &rules[0]["labelSelector"]["matchLabels"]["fracht/one-node"]
}

fn claims<'a>(pod: &Pod<'a>) -> impl Iterator<Item = &'a str> {
    items(&pod.spec()["volumes"]).filter_map(|volume| volume["persistentVolumeClaim"]["claimName"].as_str())
}

/// The claims of a pod that are attached to one node.
fn attached<'a>(cluster: &Cluster<'_>, pod: &Pod<'a>) -> Vec<&'a str> {
    let is_attached = |name: &&str| {
        let claim =
            cluster.of_kind("PersistentVolumeClaim").find(|(_, claim)| claim["metadata"]["name"] == **name);
        claim.is_some_and(|(_, claim)| claim["spec"]["accessModes"][0] == "ReadWriteOnce")
            && piece(cluster, name).is_none()
    };
    claims(pod).filter(is_attached).collect()
}

/// The volume on a node for a claim.
fn piece<'a>(cluster: &Cluster<'a>, claim: &str) -> Option<&'a Value> {
    let mut pieces = cluster.of_kind("PersistentVolume");
    pieces.find(|(_, piece)| piece["spec"]["claimRef"]["name"] == claim).map(|(_, piece)| piece)
}

/// The labels that the node of a pod must have.
fn demands<'a>(cluster: &Cluster<'a>, pod: &Pod<'a>) -> Vec<(&'a str, &'a Value)> {
    let own = pod.spec()["nodeSelector"].as_object().into_iter().flatten();
    let own = own.map(|(label, value)| (label.as_str(), value));
    let of_volumes = claims(pod).filter_map(|claim| piece(cluster, claim)).flat_map(|piece| {
        let terms = &piece["spec"]["nodeAffinity"]["required"]["nodeSelectorTerms"];
        items(&terms[0]["matchExpressions"]).map(|one| (one["key"].as_str().unwrap(), &one["values"][0]))
    });
    own.chain(of_volumes).collect()
}
