use indoc::indoc;
use insta::assert_snapshot;
use serde_json::json;

use crate::sandbox::{Run, Sandbox};

#[test]
fn two_targets_of_the_demo() {
    let run = Sandbox::demo().run(&["diff", "-t", "staging", "--against", "prod"]);
    assert_eq!(run.code, 1);
    assert_snapshot!(run.shown());
}

#[test]
fn rendered_objects_differ_only_after_the_stack_changes() {
    let sandbox = Sandbox::demo();
    sandbox.run(&["render", "-t", "prod", "--out", "objects"]);
    let diff = |sandbox: &Sandbox| sandbox.run(&["-q", "diff", "-t", "prod", "--against", "objects"]);
    assert_eq!(
        diff(&sandbox).shown(),
        "objects → prod\n\n36 unchanged\n--- standard error\n--- exit code 0\n"
    );
    let text = sandbox.read("fracht.toml").replace("replicas = 3", "replicas = 4");
    let sandbox = sandbox.file("fracht.toml", text).file("conf/stations.csv", "id,harbour\nx,y\n");
    let run = diff(&sandbox);
    assert_eq!(run.code, 1);
    assert!(run.out.contains("StatefulSet/cache\n  spec.replicas\n    3 → 4\n"), "{}", run.out);
    assert!(run.out.contains("data.stations.csv") && run.out.contains("old  gv01"), "{}", run.out);
    assert!(run.out.ends_with("4 changed, 32 unchanged\n"), "{}", run.out);
}

#[test]
fn lists_and_live_objects_are_read() {
    let stack = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:2.0\"\n";
    let written = r#"{"apiVersion":"v1","kind":"List","items":[{"apiVersion":"apps/v1","kind":"Deployment",
        "metadata":{"name":"s-a","namespace":"s"},"spec":{"replicas":2},"status":{"x":1}},
        {"apiVersion":"v1","kind":"Service","metadata":{"name":"gone","namespace":"s"}}]}"#;
    let live = written.replace("\"namespace\":\"s\"", "\"namespace\":\"s\",\"uid\":\"1\"");
    let sandbox = Sandbox::with(stack).file("written.json", written).file("live.json", live);
    let compared = |file: &str| {
        let answer = sandbox.json(&["diff", "--against", file]);
        let objects = answer["objects"].as_array().unwrap().clone();
        let object = move |kind: &str| objects.iter().find(|o| o["kind"] == kind).cloned();
        (object, answer["left_out"].clone())
    };
    let (object, left_out) = compared("written.json");
    assert_eq!(object("Service").unwrap()["change"], "removed");
    assert_eq!(left_out, json!({}));
    let (object, left_out) = compared("live.json");
    assert_eq!(
        (object("Service"), left_out),
        (None, json!({ "Service": 1 })),
        "of a cluster, what others made is left out"
    );
    assert_eq!(object("Namespace").unwrap()["change"], "added");
    let deployment = object("Deployment").unwrap();
    let field =
        |path: &str| deployment["fields"].as_array().unwrap().iter().find(|f| f["path"] == path).cloned();
    assert_eq!(
        field("spec.replicas").unwrap(),
        json!({ "path": "spec.replicas", "old": 2, "new": 1, "secret": false })
    );
    assert!(field("status").is_none() && field("metadata.uid").is_none());
    for (name, content, part) in [
        ("none", None, "--against takes a target (cluster), or a folder"),
        ("bad.yaml", Some("a: [\n"), "`bad.yaml:1` cannot be compared"),
        ("bad.yaml", Some("a: 1\n"), "has no `kind`"),
    ] {
        let sandbox = content.into_iter().fold(Sandbox::with(stack), |s, content| s.file(name, content));
        let run = sandbox.run(&["diff", "--against", name]);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{name}");
        assert!(run.err.contains(part), "{}", run.err);
    }
}

#[test]
fn values_of_secrets_are_compared_on_request_and_never_shown() {
    let sandbox = Sandbox::demo();
    let run = |arguments: &[&str], value: &str| {
        Run::of(&sandbox.command(arguments).env("TIDEDESK_DB_PASSWORD", value).output().unwrap())
    };
    run(&["render", "-t", "prod", "--secrets", "--out", "objects"], "gull-and-kelp");
    let diff = ["diff", "-t", "prod", "--against", "objects"];
    assert_eq!(run(&diff, "other").code, 0, "a Secret that is not made now is not gone");
    let with: Vec<&str> = diff.into_iter().chain(["--secrets"]).collect();
    assert_eq!(run(&with, "gull-and-kelp").code, 0);
    for format in ["text", "json"] {
        let changed = run(&[with.as_slice(), &["--format", format]].concat(), "sand-and-salt");
        assert_eq!(changed.code, 1);
        assert!(changed.out.contains("data.password"), "{}", changed.out);
        for value in ["gull-and-kelp", "Z3VsbC1hbmQta2VscA", "sand-and-salt", "c2FuZC1hbmQtc2FsdA"] {
            assert!(!changed.shown().contains(value), "{}", changed.shown());
        }
    }
}

/// `diff` and `render --out` tell what to do about fields that cannot be changed.
#[test]
fn a_manual_replacement_is_shown_with_its_command() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [volume.v]
        size = "2Gi"
        class = "slow"
        [volume.w]
        size = "2Gi"
        each = true
        [service.a]
        image = "a:1.0"
        mount."/d" = "volume.v"
        [service.b]
        image = "b:1.0"
        mount."/d" = "volume.w"
        "#};
    let sandbox = Sandbox::with(stack);
    sandbox.run(&["render", "--out", "objects"]);
    let changed = stack.replace("slow", "fast").replace("2Gi", "1Gi");
    let sandbox = sandbox.file("fracht.toml", changed);
    let claim = "cannot be changed: spec.resources.requests.storage, spec.storageClassName\n    remove it, then apply: \
                 kubectl delete persistentvolumeclaim s-v -n s\n    its data is lost: copy it first, and stop what mounts it\n";
    let set = "remove it, then apply: kubectl delete statefulset b -n s --cascade=orphan\n";
    for arguments in [&["diff", "--against", "objects"][..], &["render", "--out", "objects"]] {
        let run = sandbox.run(arguments);
        assert!(run.out.contains(claim) && run.out.contains(set), "{arguments:?}: {}", run.out);
    }
    let grown = sandbox
        .file("fracht.toml", stack.replace("slow", "fast").replace("2Gi", "3Gi").replace("class", "#"));
    let run = grown.run(&["-q", "diff", "--against", "objects"]);
    assert!(!run.out.contains("requests.storage,"), "a claim can grow: {}", run.out);
}

#[test]
fn fetching_and_renewing_are_changes_that_restart() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.api]
        image = "registry.example/api:1.0"
        [task.load]
        image = "registry.example/load:1.0"
        [target.a]
        [target.b]
        allow.targets-clash = "two clusters"
        service.api = { fetch = "always", renew = "release 2" }
        task.load.renew = "release 2"
        "#};
    let run = Sandbox::with(stack).run(&["-q", "diff", "-t", "b", "--against", "a"]);
    assert_eq!(run.code, 1);
    let objects = run.out.replace('\n', " ");
    assert!(objects.contains("metadata.annotations     new  fracht/renew: release 2"), "{}", run.out);
    assert!(objects.contains("containers[api].imagePullPolicy     new  Always"), "{}", run.out);
    assert!(objects.contains("changed  Job/s-load-") && objects.contains("metadata.name"), "{}", run.out);
    assert_eq!(objects.matches("fracht/renew: release 2").count(), 2, "of the service and of the task");
    assert!(run.out.ends_with("2 changed, 2 unchanged\n"), "{}", run.out);
}

#[test]
fn a_machine_has_nothing_to_compare() {
    let run = Sandbox::demo().run(&["diff", "-t", "laptop", "--against", "prod"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("target `laptop` is a machine"), "{}", run.err);
}
