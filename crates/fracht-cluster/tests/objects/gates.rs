//! Start gates: what each waits for, by which port, with which image, and for how long.

use indoc::{formatdoc, indoc};
use std::collections::BTreeMap;

use serde_json::{Value, json};

use crate::cluster::parameters;
use crate::{files, object, objects};

/// The gates of the service `a`, after a stack that has it and others.
fn gates(stack: &str) -> Value {
    let all = objects(&files(&format!("[stack]\nname = \"s\"\n{stack}")), "cluster");
    object(&all, "Deployment", "a")["spec"]["template"]["spec"]["initContainers"].clone()
}

/// The port that the gate for a service asks; the service has these ports and this health check.
fn asked(ports: &str, health: &str) -> String {
    let stack = formatdoc!(
        r#"
            [service.a]
            image = "a:1.0"
            after.b = "ready"
            [service.b]
            image = "b:1.0"
            {ports}
            health = {health}
            "#
    );
    parameters(&gates(&stack)[0])["PORT"].to_owned()
}

#[test]
fn a_gate_asks_the_port_of_the_health_check() {
    let ports = "port.first = 1\nport.second = { number = 2, as = 20 }\nport.third = { number = 3, protocol = \"udp\" }";
    for (health, port) in [
        ("{ tcp = \"first\" }", "1"),
        ("{ tcp = \"second\" }", "20"),
        ("{ http = \"/up\", port = \"second\" }", "20"),
        ("{ grpc = \"second\" }", "20"),
        // A program tells nothing about ports, so that the first TCP port is asked.
        ("{ run = [\"up\"] }", "1"),
    ] {
        assert_eq!(asked(ports, health), port, "{health}");
    }
    let udp_first = "port.first = { number = 1, protocol = \"udp\" }\nport.second = 2";
    assert_eq!(asked(udp_first, "{ run = [\"up\"] }"), "2");
}

#[test]
fn gates_have_the_images_and_the_time_limit_of_the_target() {
    let gates = gates(indoc! {r#"
            [service.a]
            image = "a:1.0"
            after = { b = "ready", t = "done", c = "started" }
            [service.b]
            image = "b:1.0"
            port.x = { number = 1, as = 2 }
            health = { tcp = "x" }
            [service.c]
            image = "c:1.0"
            [task.t]
            image = "t:1.0"
            [target.cluster]
            namespace = "space"
            gate = { ready = "registry.example/shell:1", done = "registry.example/curl:2", within = "90s" }
            "#});
    assert_eq!(gates.as_array().unwrap().len(), 2, "nothing waits at a gate for `started`");
    let images = (&gates[0]["image"], &gates[1]["image"]);
    assert_eq!(images, (&json!("registry.example/shell:1"), &json!("registry.example/curl:2")));
    let ready = [("HOST", "b"), ("PORT", "2"), ("WITHIN", "1m30s"), ("WITHIN_SECONDS", "90")];
    assert_eq!(parameters(&gates[0]), BTreeMap::from(ready));
    let done = parameters(&gates[1]);
    let job = done["JOB"];
    assert!(job.starts_with("s-t-"), "{job}");
    let others = [("TASK", "t"), ("NAMESPACE", "space"), ("API_FOLDER", "/run/fracht-gate")];
    let limit = [("WITHIN", "1m30s"), ("WITHIN_SECONDS", "90")];
    assert_eq!(done, others.into_iter().chain(limit).chain([("JOB", job)]).collect());
}

/// The scripts are the same for all, so that a change of a stack changes only variables.
#[test]
fn all_gates_have_the_same_scripts() {
    let services = indoc! {r#"
        [service.b]
        image = "b:1.0"
        port.x = 1
        health = { tcp = "x" }
        [service.c]
        image = "c:1.0"
        port.y = 7
        health = { tcp = "y" }
        "#};
    let gates = gates(&formatdoc!(
        r#"
            [service.a]
            image = "a:1.0"
            after = {{ b = "ready", c = "ready" }}
            {services}"#
    ));
    assert_eq!(gates[0]["command"], gates[1]["command"]);
    // The kubelet would expand it.
    assert!(!gates[0]["command"][2].as_str().unwrap().contains("$("));
}
