//! The examples of the repository, in the simulated cluster.

use std::collections::BTreeSet;

use fracht_testkit::rendered::of_files;
use fracht_testkit::stacks::{example, examples};
use indoc::indoc;
use serde_json::Value;

use crate::cluster::{Cluster, fits};
use crate::policies::{Port, can_talk};
use crate::{Generated, consistency, files, generated, object, objects};

/// The objects of an example for a target.
fn of(name: &str, target: &str) -> Generated {
    generated(&example(name), target)
}

#[test]
fn every_example_is_consistent_in_every_cluster() {
    let mut seen = 0;
    for name in examples() {
        for (target, generated) in of_files(&example(&name)) {
            println!("{name} under {target}");
            consistency::check(&generated);
            seen += 1;
        }
    }
    assert!(seen >= 17, "{seen}");
}

fn identities(objects: &[Value]) -> BTreeSet<String> {
    let identity = |object: &Value| format!("{} {}", object["kind"], object["metadata"]["name"]);
    objects.iter().filter(|object| object["kind"] != "Namespace").map(identity).collect()
}

/// Two stacks of one namespace: neither overwrites, selects or shuts out what belongs to the other, and only the stack that
/// is admitted gets in.
#[test]
fn two_examples_share_a_namespace_and_do_not_touch_each_other() {
    let (readings, console) = (of("data-that-outlives", "prod"), of("other-stack", "prod"));
    assert_eq!(readings.model.target.namespace.value, console.model.target.namespace.value);
    let shared: Vec<String> =
        identities(&readings.objects).intersection(&identities(&console.objects)).cloned().collect();
    assert_eq!(shared, [""; 0]);
    let all: Vec<Value> = readings.objects.iter().chain(&console.objects).cloned().collect();
    let both = Cluster { objects: &all };
    let pods = both.pods();
    let stack = |labels: &Value| labels["app.kubernetes.io/part-of"].clone();
    for object in &all {
        let own = stack(&object["metadata"]["labels"]);
        let spec = &object["spec"];
        let selector = match object["kind"].as_str().unwrap() {
            "Service" => serde_json::json!({ "matchLabels": spec["selector"] }),
            "NetworkPolicy" => spec["podSelector"].clone(),
            "Deployment" | "StatefulSet" => spec["selector"].clone(),
            _ => continue,
        };
        let selected: Vec<_> = pods.iter().filter(|pod| fits(pod.labels(), &selector)).collect();
        assert!(!selected.is_empty(), "{object}");
        assert!(selected.iter().all(|pod| stack(pod.labels()) == own), "{object}");
    }
    let pod = |name: &str| pods.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == name).unwrap();
    let wire = Port { name: Some("wire"), number: 7400, protocol: "TCP" };
    assert!(can_talk(&both, pod("console"), pod("readings"), wire), "the console is admitted");
    assert!(can_talk(&both, pod("gauges"), pod("readings"), wire));
    let http = Port { name: Some("http"), number: 8080, protocol: "TCP" };
    // Its port is open to the web, as it says itself.
    assert!(can_talk(&both, pod("gauges"), pod("console"), http));
    // Without the admission it is shut out.
    let closed = example("data-that-outlives");
    let text = std::fs::read_to_string(
        fracht_testkit::stacks::examples_folder().join("data-that-outlives/fracht.toml"),
    );
    let shut = closed
        .with("/s/fracht.toml", text.unwrap().replace("admits = [\"console\"]", "admits = [\"pilots\"]"));
    let all: Vec<Value> = objects(&shut, "prod").into_iter().chain(console.objects.clone()).collect();
    let both = Cluster { objects: &all };
    let pods = both.pods();
    let pod = |name: &str| pods.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == name).unwrap();
    assert!(!can_talk(&both, pod("console"), pod("readings"), wire));
}

/// A change of one key restarts what uses this key, and nothing else.
#[test]
fn one_key_of_a_config_restarts_one_of_its_three_users() {
    let stack = |level: &str| {
        files(&format!(
            "{}key.LEVEL = \"{level}\"\nkey.REGION = \"north\"\nkey.\"page.txt\" = \"tides\"\n",
            indoc! {r#"
                [stack]
                name = "s"
                [service.one]
                image = "one:1.0"
                env.LEVEL = "{config.c/LEVEL}"
                [service.two]
                image = "two:1.0"
                env.REGION = "{config.c/REGION}"
                [service.three]
                image = "three:1.0"
                mount."/srv/page.txt" = "config.c/page.txt"
                [config.c]
                "#}
        ))
    };
    let (before, after) = (objects(&stack("info"), "cluster"), objects(&stack("debug"), "cluster"));
    let restarted = |name: &str| {
        object(&before, "Deployment", name)["spec"]["template"]
            != object(&after, "Deployment", name)["spec"]["template"]
    };
    assert_eq!(["one", "two", "three"].map(restarted), [true, false, false]);
}

/// Stable and beta: requests to the address go to both, those to the beta's own address to it alone.
#[test]
fn a_shared_address_leads_to_both_versions() {
    let generated = of("two-versions", "prod");
    let cluster = Cluster { objects: &generated.objects };
    let behind = |service: &str| -> Vec<Value> {
        let selector = &object(&generated.objects, "Service", service)["spec"]["selector"];
        let pods = cluster.selected(selector);
        pods.iter().map(|pod| pod.labels()["app.kubernetes.io/name"].clone()).collect()
    };
    assert_eq!(behind("forecast"), ["forecast", "forecast-beta"]);
    assert_eq!(behind("forecast-beta"), ["forecast-beta"]);
    let backend = &object(&generated.objects, "Ingress", "forecast")["spec"]["rules"][0]["http"]["paths"][0];
    assert_eq!(backend["backend"]["service"]["name"], "forecast");
}

/// The list of a load spreader has each member that there is, in each target.
#[test]
fn lists_of_replicas_follow_their_number() {
    let head = "listen 80;\nlog \"$client {$status}\";\nmembers {\n";
    for (target, count) in [("test", 2), ("prod", 4)] {
        let generated = of("load-spreader", target);
        let config = object(&generated.objects, "ConfigMap", "spreader")["data"]["spreader.conf"].clone();
        let set = object(&generated.objects, "StatefulSet", "board");
        assert_eq!(set["spec"]["replicas"], count);
        let governing = set["spec"]["serviceName"].as_str().unwrap();
        let listed: Vec<String> =
            (0..count).map(|index| format!("  board-{index}.{governing}:8080;\n")).collect();
        assert_eq!(config, format!("{head}{}}}\n", listed.concat()));
    }
}

/// An update of the version leaves the volume alone, and a restart on purpose changes nothing but an annotation.
#[test]
fn data_outlives_a_new_version() {
    let text = std::fs::read_to_string(
        fracht_testkit::stacks::examples_folder().join("data-that-outlives/fracht.toml"),
    )
    .unwrap();
    let set = |text: String| {
        let objects = objects(&example("data-that-outlives").with("/s/fracht.toml", text), "prod");
        (
            object(&objects, "StatefulSet", "readings").clone(),
            object(&objects, "PersistentVolumeClaim", "readings").clone(),
        )
    };
    let (old, claim) = set(text.clone());
    let (new, same) = set(text.replace("9.1.4", "9.2.0"));
    assert_eq!(claim, same);
    assert_ne!(old["spec"]["template"], new["spec"]["template"]);
    assert_eq!(old["spec"]["selector"], new["spec"]["selector"]);
    let (mut restarted, _) = set(text.replace("default = \"1\"", "default = \"2\""));
    let note = restarted["spec"]["template"]["metadata"]["annotations"]["fracht/renew"].take();
    assert_eq!(note, "2");
    let mut old = old;
    old["spec"]["template"]["metadata"]["annotations"]["fracht/renew"].take();
    assert_eq!(old, restarted);
}
