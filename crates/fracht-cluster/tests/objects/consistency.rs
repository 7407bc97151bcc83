//! All checks on whole stacks: objects are consistent, as safe as the stack says, and allow the connections of `reach`.

use std::collections::BTreeSet;
use std::path::Path;

use fracht_core::grammar::word::Word as _;
use fracht_core::model::Model;
use fracht_core::plan::ports::PortPlan;
use fracht_core::plan::reach::{Leak, ReachPlan, may, may_at};
use proptest::prelude::*;
use serde_json::Value;

use crate::cluster::{Cluster, Pod, items};
use crate::policies::{Port, can_talk, is_open, reaches_address};
use crate::{Generated, NAMES, demo, files, generated, meaning, of_stack, restricted};
use fracht_testkit::generator;
use fracht_testkit::random_stack::{parts, stack_file};

pub(crate) fn check(generated: &Generated) {
    let cluster = Cluster { objects: &generated.objects };
    cluster.check();
    reach_is_what_the_policies_say(&cluster, &generated.model);
    restricted::check(&cluster, &generated.model);
    meaning::check(&cluster, &generated.model);
}

/// The pods of a service or a task, by its name.
fn pod<'c>(pods: &'c [Pod<'c>], name: &str) -> &'c Pod<'c> {
    pods.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == *name).unwrap()
}

fn reach_is_what_the_policies_say(cluster: &Cluster<'_>, model: &Model) {
    let plan = ReachPlan::of(model, &PortPlan::of(model));
    let pods = cluster.pods();
    for caller in &plan.callers {
        let from = pod(&pods, &model.workloads[caller.who].name);
        assert_eq!(reaches_address(cluster, from, "203.0.113.9", 8443), caller.gets_out, "{}", from.owner);
        for number in [443, 6443] {
            let anywhere =
                |leak: &Leak| leak.to.is_empty() && leak.ports.iter().any(|port| u64::from(*port) == number);
            let told = caller.gets_out || caller.leaks.iter().any(anywhere);
            assert_eq!(
                reaches_address(cluster, from, "203.0.113.9", number),
                told,
                "{} at {number}",
                from.owner
            );
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
                assert_eq!(is_open(cluster, to, at), model.is_opened(called, port), "{}", port.name);
            }
        }
        assert_eq!(caller.can_talk_to, count, "{}", from.owner);
    }
}

#[test]
fn the_demo_is_consistent_in_every_cluster() {
    for target in ["staging", "prod"] {
        let generated = generated(&demo(), target);
        assert!(generated.objects.len() > 30);
        check(&generated);
    }
}

#[test]
fn every_test_stack_is_consistent_in_every_cluster() {
    let mut seen = 0;
    for name in NAMES {
        for (target, generated) in of_stack(name) {
            seen += 1;
            println!("{name} under {target}");
            check(&generated);
        }
    }
    assert!(seen >= 5);
}

#[test]
fn a_large_stack_is_consistent() {
    check(&generated(&files(&generator::stack(40)), "cluster"));
    let layered = generated(&files(&generator::layered(40)), "cluster");
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
    fn any_valid_stack_is_consistent(parts in parts()) {
        for target in ["cluster", "other"] {
            check(&generated(&files(&stack_file(&parts)), target));
        }
    }
}

fn cases() -> u32 {
    std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(64)
}

/// Breaks something.
type Change = fn(&mut Vec<Value>);

/// The first object of a kind.
fn first<'o>(all: &'o mut [Value], kind: &str) -> &'o mut Value {
    all.iter_mut().find(|object| object["kind"] == kind).unwrap()
}

/// The simulated cluster must find mistakes.
#[test]
fn inconsistencies_are_found() {
    let good = generated(&demo(), "prod");
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
        let broken = Generated { objects, model: good.model.clone() };
        let seen = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| check(&broken)));
        assert!(seen.is_err(), "{what}, which was not found");
    }
}

/// Every stack file in the folder is tested.
#[test]
fn every_test_stack_is_listed() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../fracht-testkit/stacks");
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name());
    let files: BTreeSet<String> = entries
        .map(|name| name.into_string().unwrap())
        .filter_map(|name| name.strip_suffix(".toml").map(str::to_owned))
        .collect();
    assert_eq!(files, NAMES.map(str::to_owned).into_iter().collect());
    let kinds = |name: &str| -> BTreeSet<String> {
        let all = of_stack(name);
        all.iter()
            .flat_map(|(_, generated)| &generated.objects)
            .map(|o| o["kind"].as_str().unwrap().to_owned())
            .collect()
    };
    assert!(kinds("gateway").contains("HTTPRoute"));
    for kind in ["PersistentVolume", "EndpointSlice", "CronJob", "StatefulSet", "ResourceQuota", "Widget"] {
        assert!(kinds("everything").contains(kind), "{kind}");
    }
    let closed = &of_stack("closed")[0].1.objects;
    assert_eq!(
        closed
            .iter()
            .filter(|o| o["metadata"]["name"].as_str().unwrap().split('.').nth(1) == Some("api"))
            .count(),
        1
    );
    assert!(items(&closed[0]["x"]).next().is_none());
}
