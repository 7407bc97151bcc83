//! The scripts of start gates, run in a shell with replacements for the programs that they call.
#![cfg(unix)]

use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::process::Command;

use indoc::indoc;

use crate::sandbox::{Run, Sandbox};

const STACK: &str = indoc! {r#"
    [stack]
    name = "s"
    [service.db]
    image = "d:1.0"
    port.sql = 5432
    health = { tcp = "sql" }
    [task.schema]
    image = "t:1.0"
    [service.api]
    image = "a:1.0"
    replicas = 3
    health = { run = ["ping"] }
    after = { db = "ready", schema = "done" }
    [task.warm]
    image = "w:1.0"
    after = { api = "current" }
    [service.late]
    image = "l:1.0"
    after = { api = "current" }
    "#};

/// The script of the gate for a service or task, and its variables.
struct Script {
    text: String,
    variables: Vec<(String, String)>,
}

fn script(sandbox: &Sandbox, on: &str) -> Script {
    gate(sandbox, "Deployment/api", on)
}

/// The script of a gate of an object.
fn gate(sandbox: &Sandbox, object: &str, on: &str) -> Script {
    let list = sandbox.json(&["-q", "render", "--only", object]);
    let objects = list["items"].as_array().unwrap().iter();
    let gates = objects.filter_map(|object| object["spec"]["template"]["spec"]["initContainers"].as_array());
    let gate = gates.flatten().find(|gate| gate["name"] == format!("wait-for-{on}")).unwrap();
    assert_eq!(gate["command"][0], "/bin/sh");
    let text = |value: &serde_json::Value| value.as_str().unwrap().to_owned();
    let variables = gate["env"].as_array().unwrap().iter();
    Script {
        text: text(&gate["command"][2]),
        variables: variables.map(|one| (text(&one["name"]), text(&one["value"]))).collect(),
    }
}

/// Runs a script. The clock advances a minute each time it is read; `answers` are the results of `program`, in turn.
fn run(script: &Script, program: &str, answers: &str) -> Run {
    let sandbox = Sandbox::empty();
    let stand_in = |name: &str, text: &str| {
        let path = sandbox.path(name);
        fs::write(&path, format!("#!/bin/sh\ncd {}\n{text}\n", sandbox.path(".").display())).unwrap();
        fs::set_permissions(&path, fs::Permissions::from_mode(0o755)).unwrap();
    };
    let turn = "echo x >> turns; turn=`wc -l < turns | tr -d ' '`";
    stand_in("date", "echo x >> dates; expr `wc -l < dates` '*' 60");
    stand_in("sleep", "");
    stand_in("cat", "echo token");
    stand_in(program, &format!("echo \"$@\" >> asked; {turn}\n{answers}"));
    let path = format!("{}:/usr/bin:/bin", sandbox.path(".").display());
    let mut shell = Command::new("/bin/sh");
    let output = shell
        .args(["-c", &script.text])
        .envs(script.variables.iter().cloned())
        .env("PATH", path)
        .output()
        .unwrap();
    let run = Run::of(&output);
    assert!(fs::metadata(sandbox.path("asked")).is_ok(), "{run:?}");
    Run { err: sandbox.read("asked"), ..run }
}

#[test]
fn a_gate_opens_when_the_address_responds() {
    let script = script(&Sandbox::with(STACK), "db");
    let opened = run(&script, "nc", "[ $turn -ge 3 ]");
    assert_eq!(opened.code, 0);
    assert_eq!(opened.out, "waiting for db:5432 to be ready\nwaiting for db:5432 to be ready\ndb is ready\n");
    assert!(opened.err.starts_with("-z -w 2 db 5432\n"), "{}", opened.err);
    let shut = run(&script, "nc", "false");
    assert_eq!(shut.code, 75, "it gives up");
    assert!(shut.out.ends_with("gave up after 10m of waiting for db:5432 to be ready\n"), "{}", shut.out);
    assert_eq!(shut.out.lines().count(), 10, "one line a minute, and the last");
}

#[test]
fn a_gate_opens_when_the_job_completes_and_fails_with_it() {
    let script = script(&Sandbox::with(STACK), "schema");
    // As the API sends it to a terminal: with line breaks, and with the conditions of newer versions.
    let answer = |kind: &str| {
        format!(
            "[ $turn -lt 2 ] && {{ echo '{{ \"status\": {{ \"active\": 1 }} }}'; exit; }}\n\
             printf '{{\\n  \"status\": {{\\n    \"conditions\": [\\n      {{ \"type\": \"SuccessCriteriaMet\", \"status\": \"True\" }},\\n\
             {{\\n \"type\": \"{kind}\",\\n \"status\": \"True\",\\n \"lastProbeTime\": \"x\" }} ] }} }}\\n'"
        )
    };
    let done = run(&script, "curl", &answer("Complete"));
    assert_eq!((done.code, done.out.as_str()), (0, "waiting for schema to be done\nschema is done\n"));
    assert!(done.err.contains("Authorization: Bearer token"), "{}", done.err);
    assert!(done.err.contains("/apis/batch/v1/namespaces/s/jobs/s-schema-"), "{}", done.err);
    let failed = run(&script, "curl", &answer("Failed"));
    assert_eq!(failed.code, 1);
    assert!(failed.out.contains("schema failed: see the log of job s-schema-"), "{}", failed.out);
    let deaf = run(&script, "curl", "exit 7");
    assert_eq!(deaf.code, 75);
    assert!(deaf.out.ends_with("gave up after 10m of waiting for schema to be done\n"), "{}", deaf.out);
    // A Job that was deleted never becomes done, so the gate says what to do.
    let gone =
        run(&script, "curl", "echo '{ \"kind\": \"Status\", \"reason\": \"NotFound\", \"code\": 404 }'");
    assert_eq!(gone.code, 75);
    assert!(gone.out.contains("not found: apply the stack again, which runs schema again"), "{}", gone.out);
    let refused =
        run(&script, "curl", "echo '{ \"kind\": \"Status\", \"reason\": \"Forbidden\", \"code\": 403 }'");
    assert!(refused.out.contains("not allowed to read job s-schema-"), "{}", refused.out);
}

/// A Deployment as the API sends it, with the signs that also stand in other fields of a real one.
fn rollout(version: &str, generation: [u32; 2], counts: [u32; 4]) -> String {
    let [wanted, replicas, updated, available] = counts;
    format!(
        "printf '%s' '{{ \"kind\": \"Deployment\", \"metadata\": {{ \"name\": \"s-api\", \"generation\": {}, \
         \"annotations\": {{ \"fracht/version\": \"{version}\", \"last\": \"{{\\\"spec\\\":{{\\\"replicas\\\":9}},\\\"status\\\":{{}}}}\" }}, \
         \"managedFields\": [ {{ \"fieldsV1\": {{ \"f:spec\": {{ \"f:replicas\": {{}} }}, \"f:status\": {{ \"f:replicas\": {{}} }} }} }} ] }}, \
         \"spec\": {{ \"replicas\": {wanted}, \"template\": {{ \"spec\": {{ \"containers\": [] }} }} }}, \
         \"status\": {{ \"observedGeneration\": {}, \"replicas\": {replicas}, \"updatedReplicas\": {updated}, \
         \"readyReplicas\": {available}, \"availableReplicas\": {available}, \"conditions\": [ {{ \"type\": \"Available\", \"status\": \"True\" }} ] }} }}'",
        generation[0], generation[1]
    )
}

#[test]
fn a_gate_opens_when_only_the_new_version_is_left() {
    let sandbox = Sandbox::with(STACK);
    let of_task = gate(&sandbox, "Job", "api");
    let variable = |name: &str| {
        let found = of_task.variables.iter().find(|(known, _)| known == name);
        found.unwrap_or_else(|| panic!("no {name}")).1.clone()
    };
    let version = variable("VERSION");
    let deployment = sandbox.run(&["render", "--only", "Deployment/api"]).out;
    assert!(deployment.contains(&format!("fracht/version: {version}")), "{deployment}");
    let current = rollout(&version, [4, 4], [3, 3, 3, 3]);
    // In this order a rollout goes on, each answer with what is still missing.
    let answers = [
        "echo '{ \"kind\": \"Status\", \"code\": 404 }'".to_owned(),
        rollout("0000dead", [3, 3], [3, 3, 3, 3]),
        rollout(&version, [4, 3], [3, 3, 3, 3]),
        rollout(&version, [4, 4], [3, 4, 1, 3]),
        rollout(&version, [4, 4], [3, 4, 3, 3]),
        rollout(&version, [4, 4], [3, 3, 3, 2]),
        current.clone(),
    ];
    let case = |(turn, answer): (usize, &String)| format!("{}) {answer} ;;", turn + 1);
    let turns: Vec<String> = answers.iter().enumerate().map(case).collect();
    let opened = run(&of_task, "curl", &format!("case $turn in\n{}\nesac", turns.join("\n")));
    assert_eq!(opened.code, 0, "{opened:?}");
    assert_eq!(
        opened.out.lines().filter(|line| *line == "waiting for api to be current").count(),
        6,
        "{opened:?}"
    );
    assert!(opened.out.ends_with("api is current\n"));
    assert!(opened.out.contains("s-api not found: apply the stack again"), "{opened:?}");
    assert!(opened.err.contains("/apis/apps/v1/namespaces/s/deployments/s-api"), "{}", opened.err);
    let stuck = run(&of_task, "curl", &rollout(&version, [4, 4], [3, 3, 3, 1]));
    assert_eq!(stuck.code, 75);
    assert!(stuck.out.contains("api: 1 of 3 replicas are available\n"), "{}", stuck.out);
    assert!(stuck.out.ends_with("gave up after 10m of waiting for api to be current\n"), "{}", stuck.out);
    // A service does not name the version, so that it is not restarted with each one.
    let of_service = gate(&sandbox, "Deployment/late", "api");
    assert!(of_service.variables.iter().all(|(name, _)| name != "VERSION"));
    assert_eq!(run(&of_service, "curl", &current).out, "api is current\n");
    let none = rollout("x", [4, 4], [0, 0, 0, 0]).replace("\"readyReplicas\": 0, ", "");
    assert_eq!(run(&of_service, "curl", &none).code, 0, "none are wanted, and none are left");
}

#[test]
fn a_task_that_waits_for_a_version_runs_again_with_each() {
    let job = |stack: &str| {
        let objects = Sandbox::with(stack).json(&["-q", "render"]);
        let objects = objects["items"].as_array().unwrap().clone();
        let find = |kind: &str, name: &str| {
            let is = |object: &&serde_json::Value| {
                object["kind"] == kind && object["metadata"]["name"].as_str().unwrap().starts_with(name)
            };
            objects.iter().find(is).unwrap().clone()
        };
        let late = find("Deployment", "s-late")["spec"]["template"].clone();
        let rules = find("Role", "s-warm.gate")["rules"].clone();
        (find("Job", "s-warm")["metadata"]["name"].clone(), late, rules)
    };
    let (name, late, rules) = job(STACK);
    let (next, late_next, _) = job(&STACK.replace("a:1.0", "a:1.1"));
    assert_ne!(name, next, "the task must see the new version");
    assert_eq!(late, late_next, "the service goes on");
    assert_eq!(
        rules,
        serde_json::json!([{
            "apiGroups": ["apps"], "resources": ["deployments"], "resourceNames": ["s-api"], "verbs": ["get"]
        }])
    );
}
