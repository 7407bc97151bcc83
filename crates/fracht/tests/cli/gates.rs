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
    after = { db = "ready", schema = "done" }
    "#};

/// The script of the gate for a service or task, and its variables.
struct Script {
    text: String,
    variables: Vec<(String, String)>,
}

fn script(sandbox: &Sandbox, on: &str) -> Script {
    let list = sandbox.json(&["-q", "render", "--only", "Deployment/api"]);
    let gates = list["items"][0]["spec"]["template"]["spec"]["initContainers"].as_array().unwrap().clone();
    let gate = gates.iter().find(|gate| gate["name"] == format!("wait-for-{on}")).unwrap();
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
