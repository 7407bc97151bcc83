//! All checks on whole stacks: objects are consistent, as safe as the stack says, and allow the connections of `reach`.

use std::collections::BTreeSet;
use std::path::Path;

use fracht_core::grammar::word::Word as _;
use fracht_core::model::{Model, Reach};
use fracht_core::plan::reach::{Leak, ReachPlan, may, may_at};
use proptest::prelude::*;
use serde_json::Value;

use crate::cluster::{Cluster, Pod, items};
use crate::policies::{Port, can_talk, gets_to, is_open};
use crate::random_stack::{parts, stack_file};
use crate::{Made, demo, files, generator, made, meaning, restricted, stack_names, stacks};

pub(crate) fn check(made: &Made) {
    let cluster = Cluster { objects: &made.objects };
    cluster.check();
    reach_is_what_the_policies_say(&cluster, &made.model);
    restricted::check(&cluster, &made.model);
    meaning::check(&cluster, &made.model);
}

/// The pods of a service or a task, by its name.
fn pod<'c>(pods: &'c [Pod<'c>], name: &str) -> &'c Pod<'c> {
    pods.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == *name).unwrap()
}

fn reach_is_what_the_policies_say(cluster: &Cluster<'_>, model: &Model) {
    let plan = ReachPlan::of(model);
    let pods = cluster.pods();
    for caller in &plan.callers {
        let from = pod(&pods, &model.workloads[caller.who].name);
        assert_eq!(gets_to(cluster, from, "203.0.113.9", 8443), caller.gets_out, "{}", from.owner);
        for number in [443, 6443] {
            let anywhere =
                |leak: &Leak| leak.to.is_empty() && leak.ports.iter().any(|port| u64::from(*port) == number);
            let told = caller.gets_out || caller.leaks.iter().any(anywhere);
            assert_eq!(gets_to(cluster, from, "203.0.113.9", number), told, "{} at {number}", from.owner);
        }
        let mut count = 0;
        for id in &plan.services {
            let reached = may(model, caller.who, *id).is_yes();
            count += usize::from(reached && *id != caller.who);
            let called = &model.workloads[*id];
            let to = pod(&pods, &called.name);
            for port in called.ports() {
                let protocol = port.protocol.word().to_uppercase();
                let at =
                    Port { name: Some(&port.name), number: port.number.value.into(), protocol: &protocol };
                let wanted = may_at(model, caller.who, *id, port);
                assert!(!wanted || reached);
                assert_eq!(
                    can_talk(cluster, from, to, at),
                    wanted,
                    "{} to {} {at:?}",
                    from.owner,
                    to.owner,
                    at = port.name
                );
                assert_eq!(is_open(cluster, to, at), port.reach.value != Reach::Stack, "{}", port.name);
            }
        }
        assert_eq!(caller.can_talk_to, count, "{}", from.owner);
    }
}

#[test]
fn the_demo_holds_together_under_every_cluster() {
    for target in ["staging", "prod"] {
        let made = made(&demo(), target);
        assert!(made.objects.len() > 30);
        check(&made);
    }
}

#[test]
fn every_stack_of_the_tests_holds_together_under_every_cluster() {
    let mut seen = 0;
    for name in stack_names() {
        for (target, made) in stacks(&name) {
            seen += 1;
            println!("{name} under {target}");
            check(&made);
        }
    }
    assert!(seen >= 5);
}

#[test]
fn a_fleet_holds_together() {
    check(&made(&files(&generator::stack(60)), "cluster"));
    let layered = made(&files(&generator::layered(60)), "cluster");
    check(&layered);
    let service = layered.model.workloads.iter().nth(6).unwrap();
    assert_eq!(service.service().unwrap().replicas.value.least(), 3, "of the target that is like another");
    let level = service.main.env.iter().find(|variable| &*variable.name == "LOG_LEVEL").unwrap();
    assert_eq!(level.value.plain(), "error", "of the target itself");
    assert!(service.main.cpu.is_some() && service.main.user.is_some(), "of the patterns");
}

proptest! {
// The number of cases can be set with PROPTEST_CASES=10000.
    #![proptest_config(ProptestConfig { cases: cases(), ..ProptestConfig::default() })]

    #[test]
    fn any_good_stack_holds_together(parts in parts()) {
        for target in ["cluster", "other"] {
            check(&made(&files(&stack_file(&parts)), target));
        }
    }
}

fn cases() -> u32 {
    std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(128)
}

/// Breaks something.
type Change = fn(&mut Vec<Value>);

/// The first object of a kind.
fn first<'o>(all: &'o mut [Value], kind: &str) -> &'o mut Value {
    all.iter_mut().find(|object| object["kind"] == kind).unwrap()
}

/// The simulated cluster must find mistakes.
#[test]
fn what_does_not_hold_together_is_seen() {
    let good = made(&demo(), "prod");
    let breaks: [(&str, Change); 15] = [
        ("a config is missing", |all| all.retain(|object| object["kind"] != "ConfigMap")),
        ("a service finds nothing", |all| {
            first(all, "Service")["spec"]["selector"] = serde_json::json!({ "app": "other" });
        }),
        ("a job is missing", |all| all.retain(|object| object["kind"] != "Job")),
        ("a claim is missing", |all| all.retain(|object| object["kind"] != "PersistentVolumeClaim")),
        ("a role allows more", |all| {
            first(all, "Role")["rules"][0]["resourceNames"] = serde_json::json!(["other"]);
        }),
        ("the order is turned", |all| all[1..].reverse()),
        ("two count replicas", |all| {
            let api =
                all.iter_mut().find(|o| o["kind"] == "Deployment" && o["metadata"]["name"] == "tidedesk-api");
            api.unwrap()["spec"]["replicas"] = 3.into();
        }),
        ("an entry leads nowhere", |all| {
            first(all, "Ingress")["spec"]["rules"][0]["http"]["paths"][0]["backend"]["service"]["name"] =
                "x".into();
        }),
        ("a network lets all in", |all| {
            first(all, "NetworkPolicy")["spec"]["ingress"] = serde_json::json!([{}]);
        }),
        ("a network is not there", |all| {
            all.retain(|object| object["metadata"]["name"] != "tidedesk-back.network");
        }),
        ("no connection is allowed in", |all| {
            all.retain(|object| object["metadata"]["name"] != "tidedesk-gateway.open");
        }),
        ("a governing service has an address", |all| {
            let service = all.iter_mut().find(|o| o["metadata"]["name"] == "cache-pods").unwrap();
            service["spec"].as_object_mut().unwrap().remove("clusterIP");
            service["metadata"]["name"] = "cache-other".into();
        }),
        ("a probe asks nowhere", |all| {
            let set = first(all, "StatefulSet");
            set["spec"]["template"]["spec"]["containers"][0]["readinessProbe"]["tcpSocket"]["port"] =
                "x".into();
        }),
        ("a strict pod may gain rights", |all| {
            let job = first(all, "Job");
            job["spec"]["template"]["spec"]["containers"][0]["securityContext"]["allowPrivilegeEscalation"] =
                true.into();
        }),
        ("a sidecar is root", |all| {
            let job = first(all, "CronJob");
            let pod = &mut job["spec"]["jobTemplate"]["spec"]["template"]["spec"];
            pod["containers"][0]["securityContext"]["runAsUser"] = 0.into();
        }),
    ];
    for (what, change) in breaks {
        let mut objects = good.objects.clone();
        change(&mut objects);
        let broken = Made { objects, model: good.model.clone() };
        let seen = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| check(&broken)));
        assert!(seen.is_err(), "{what}, which was not found");
    }
}

/// Every stack file in the folder is tested.
#[test]
fn no_stack_of_the_tests_is_forgotten() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/stacks");
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name());
    let files: BTreeSet<String> = entries
        .map(|name| name.into_string().unwrap())
        .filter_map(|name| name.strip_suffix(".toml").map(str::to_owned))
        .collect();
    assert_eq!(files, stack_names().into_iter().collect());
    let kinds = |name: &str| -> BTreeSet<String> {
        let all = stacks(name);
        all.iter()
            .flat_map(|(_, made)| &made.objects)
            .map(|o| o["kind"].as_str().unwrap().to_owned())
            .collect()
    };
    assert!(kinds("gateway").contains("HTTPRoute"));
    for kind in ["PersistentVolume", "EndpointSlice", "CronJob", "StatefulSet", "ResourceQuota", "Widget"] {
        assert!(kinds("everything").contains(kind), "{kind}");
    }
    let closed = &stacks("closed")[0].1.objects;
    assert_eq!(
        closed
            .iter()
            .filter(|o| o["metadata"]["name"].as_str().unwrap().split('.').nth(1) == Some("api"))
            .count(),
        1
    );
    assert!(items(&closed[0]["x"]).next().is_none());
}
