use indoc::indoc;
use std::collections::BTreeMap;
use std::io::Read as _;
use std::process::Stdio;

use insta::assert_snapshot;
use serde_json::{Value, json};

use crate::sandbox::{Run, Sandbox};

/// A snapshot per kind, so that a change can be read.
#[test]
fn the_objects_of_the_demo() {
    let run = Sandbox::demo().run(&["render", "-t", "prod"]);
    assert_eq!(run.err, "note: not rendered: secret.db; add --secrets to include them with their values\n");
    let kind_of = |object: &str| {
        let kind = object.lines().find_map(|line| line.strip_prefix("kind: ")).unwrap();
        kind.to_lowercase()
    };
    let mut kinds: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for object in run.out.split("---\n") {
        kinds.entry(kind_of(object)).or_default().push(object);
    }
    assert!(kinds.len() > 12, "{kinds:?}");
    for (kind, objects) in kinds {
        assert_snapshot!(format!("demo_{kind}"), objects.join("---\n"));
    }
}

#[test]
fn references_in_files_are_replaced_on_request() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [config.c.key]
        plain = { file = "app.conf" }
        "app.conf" = { file = "app.conf", references = true }
        [secret.s.key]
        plain = { file = "app.conf" }
        "app.conf" = { file = "app.conf", references = true }
        [service.db]
        image = "registry.example/db:1.0"
        port.sql = 5432
        [service.a]
        image = "registry.example/a:1.0"
        mount."/etc/c" = "config.c"
        mount."/etc/s" = "secret.s"
        after.db = "started"
        "#};
    let written = "log {0} ${x} {{service.db}}\r\nurl=sql://{service.db/sql}/x\n";
    let replaced = written.replace("{service.db/sql}", "db:5432");
    let sandbox = Sandbox::with(stack).file("app.conf", written);
    let all = sandbox.json(&["render", "--secrets"])["items"].clone();
    let data = |kind: &str| {
        let object = all.as_array().unwrap().iter().find(|object| object["kind"] == kind);
        object.unwrap()["data"].clone()
    };
    assert_eq!(data("ConfigMap"), json!({ "plain": written, "app.conf": replaced }));
    // The same two in base64.
    let encoded = json!({
        "plain": "bG9nIHswfSAke3h9IHt7c2VydmljZS5kYn19DQp1cmw9c3FsOi8ve3NlcnZpY2UuZGIvc3FsfS94Cg==",
        "app.conf": "bG9nIHswfSAke3h9IHt7c2VydmljZS5kYn19DQp1cmw9c3FsOi8vZGI6NTQzMi94Cg==",
    });
    assert_eq!(data("Secret"), encoded);

    let broken = sandbox.file("app.conf", b"\xff{service.db}").json(&["check"]);
    let problems = broken["problems"].as_array().unwrap();
    let places: Vec<_> =
        problems.iter().map(|problem| (&problem["rule"], &problem["place"]["line"])).collect();
    assert_eq!(places, [(&json!("bad-value"), &json!(5)), (&json!("bad-value"), &json!(8))]);
}

#[test]
fn a_secret_can_contain_others() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.site]
        lines = "site.env"
        references = true
        key.TOKEN = { env = "SITE_TOKEN" }
        [secret.files]
        key."app.conf" = { file = "app.conf", references = true }
        [service.db]
        image = "registry.example/db:1.0"
        port.sql = 5432
        [service.a]
        image = "registry.example/a:1.0"
        mount."/etc/a/app.conf" = "secret.files/app.conf"
        env.URL = "{secret.site/URL}"
        after.db = "started"
        "#};
    let sandbox = Sandbox::with(stack)
        .file("site.env", "PASSWORD='p{w}'\nURL=sql://app:{secret.site/PASSWORD}@{service.db/sql}/x\n")
        .file("app.conf", "pass {secret.site/PASSWORD}\ntoken {secret.site/TOKEN} {0}\n");
    // No key is unused.
    let checked = sandbox.run(&["check"]);
    assert!(!checked.out.contains("unused"), "{}", checked.out);
    let with = |token: &[u8]| {
        let token = std::os::unix::ffi::OsStrExt::from_bytes(token);
        let mut command = sandbox.command(&["render", "--secrets", "--only", "Secret", "--format", "json"]);
        let token: &std::ffi::OsStr = token;
        Run::of(&command.env("SITE_TOKEN", token).output().unwrap())
    };
    let list: Value = serde_json::from_str(&with(b"gull").out).unwrap();
    let data: Vec<&Value> = list["items"].as_array().unwrap().iter().map(|object| &object["data"]).collect();
    // `p{w}`, `sql://app:p{w}@db:5432/x`, `gull`; the file.
    let site =
        json!({ "PASSWORD": "cHt3fQ==", "URL": "c3FsOi8vYXBwOnB7d31AZGI6NTQzMi94", "TOKEN": "Z3VsbA==" });
    let files = json!({ "app.conf": "cGFzcyBwe3d9CnRva2VuIGd1bGwgezB9Cg==" });
    assert_eq!(data, [&site, &files]);
    for (token, reason) in [
        (&b""[..], "secret.files/app.conf: the value is empty"),
        (b"\xff", "secret.files/app.conf: {secret.site/TOKEN} is not UTF-8, which it must be inside a text"),
    ] {
        let run = with(token);
        assert_eq!((run.code, run.out.as_str()), (2, ""));
        assert!(run.err.contains(reason), "{}", run.err);
    }
}

#[test]
fn a_dash_is_standard_output() {
    let sandbox = Sandbox::demo();
    let whole = sandbox.run(&["render", "-t", "prod"]);
    assert_eq!(sandbox.run(&["render", "-t", "prod", "--out", "-"]).out, whole.out);
    assert_eq!(sandbox.run(&["manual", "--out", "-"]).out, sandbox.run(&["manual"]).out);
    assert!(!sandbox.path("-").exists());
}

#[test]
fn two_runs_give_the_same_bytes() {
    let sandbox = Sandbox::demo();
    for format in ["yaml", "json"] {
        let arguments = ["render", "-t", "prod", "--format", format];
        assert_eq!(sandbox.run(&arguments).out, sandbox.run(&arguments).out);
    }
}

#[test]
fn secrets_are_written_on_request_and_encoded_once() {
    let sandbox = Sandbox::demo();
    let with = |value: &str| {
        let mut command = sandbox.command(&["render", "-t", "prod", "--secrets", "--format", "json"]);
        Run::of(&command.env("TIDEDESK_DB_PASSWORD", value).output().unwrap())
    };
    let run = with("gull-and-kelp");
    assert_eq!(run.code, 0);
    assert!(!run.err.contains("secret"), "{}", run.err);
    let list: Value = serde_json::from_str(&run.out).unwrap();
    let secret = list["items"].as_array().unwrap().iter().find(|object| object["kind"] == "Secret").unwrap();
    assert_eq!(secret["data"], serde_json::json!({ "password": "Z3VsbC1hbmQta2VscA==" }));
    assert!(!run.out.contains("gull-and-kelp"));
    let empty = with("");
    assert_eq!(empty.code, 2);
    assert!(empty.err.contains("secret.db/password: the value is empty"), "{}", empty.err);
}

#[test]
fn all_missing_secrets_are_reported_at_once() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.a]
        key.x = { env = "FRACHT_TEST_NOT_SET" }
        key.y = { file = "none.txt" }
        [service.s]
        image = "s:1.0"
        mount."/a" = "secret.a"
        "#};
    let sandbox = Sandbox::with(stack);
    assert_eq!(sandbox.run(&["check"]).code, 0, "a check needs no secrets");
    let run = sandbox.run(&["render", "--secrets"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("cannot read 2 secret values"), "{}", run.err);
    assert!(run.err.contains("set the variable FRACHT_TEST_NOT_SET"), "{}", run.err);
    assert!(run.err.contains("none.txt: file not found"), "{}", run.err);
}

#[test]
fn the_final_line_break_of_a_secret_file_is_removed() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.a]
        key.pw = { file = "pw.txt" }
        [service.s]
        image = "s:1.0"
        mount."/a" = "secret.a"
        "#};
    for (content, encoded) in
        [("tide\n", "dGlkZQ=="), ("tide\r\n", "dGlkZQ=="), ("tide\n\n", "dGlkZQoK"), ("tide", "dGlkZQ==")]
    {
        let run = Sandbox::with(stack).file("pw.txt", content).run(&["render", "--secrets"]);
        assert!(run.out.contains(&format!("pw: {encoded}\n")), "{content:?}: {}", run.out);
    }
}

/// A value that a cluster refuses is reported before anything is written, without showing it.
#[test]
fn invalid_secret_values_are_reported() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.a]
        key.v = { file = "v" }
        key.".dockerconfigjson" = { file = "d" }
        key.f = { env = "FRACHT_TEST_LARGE" }
        [service.s]
        image = "s:1.0"
        env.V = "{secret.a/v}"
        pull = "secret.a"
        "#};
    let run = |v: &[u8], d: &str, large: usize| {
        let sandbox = Sandbox::with(stack).file("d", d);
        std::fs::write(sandbox.path("v"), v).unwrap();
        let mut command = sandbox.command(&["render", "--secrets"]);
        Run::of(&command.env("FRACHT_TEST_LARGE", "g".repeat(large)).output().unwrap())
    };
    assert_eq!(run(b"gull\n", "{}", 10).code, 0);
    for (v, d, part) in [
        (&b"gull\0"[..], "{}", "secret.a/v: has a NUL byte"),
        (b"\xffgull", "{}", "secret.a/v: not UTF-8"),
        (b"gull", "gull", "secret.a/.dockerconfigjson: not JSON"),
    ] {
        let run = run(v, d, 10);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{part}");
        assert!(run.err.contains(part) && !run.err.contains("gull"), "{}", run.err);
    }
}

#[test]
fn rendering_a_machine_names_the_targets_that_are_clusters() {
    let run = Sandbox::demo().run(&["render", "-t", "laptop"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(
        run.err.contains("target `laptop` is a machine")
            && run.err.contains("cluster targets: staging, prod"),
        "{}",
        run.err
    );
}

#[test]
fn a_stack_with_errors_renders_nothing() {
    let run = Sandbox::with(indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        x = 1
        "#})
    .run(&["render"]);
    assert_eq!((run.code, run.out.as_str()), (1, ""));
    assert!(run.err.contains("unknown-key"));
}

#[test]
fn a_stack_with_warnings_renders_and_counts_them() {
    let run = Sandbox::with("[stack]\nname = \"s\"\n[service.a]\nimage = \"a\"\n").run(&["render"]);
    assert_eq!(run.code, 0);
    assert!(run.out.contains("image: a\n"));
    assert_eq!(run.err, "note: 1 warning; run `fracht check` to see it\n");
    let quiet = Sandbox::with("[stack]\nname = \"s\"\n[service.a]\nimage = \"a\"\n").run(&["-q", "render"]);
    assert_eq!(quiet.err, "");
}

#[test]
fn a_broken_pipe_ends_the_program_quietly() {
    let sandbox = Sandbox::with(&large_stack());
    let mut child =
        sandbox.command(&["render"]).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut first = [0; 64];
    child.stdout.take().unwrap().read_exact(&mut first).unwrap();
    let run = Run::of(&child.wait_with_output().unwrap());
    assert_eq!((run.signal, run.err.as_str()), (Some(13), ""));
}

/// A stack whose objects do not fit into the buffer of a pipe.
fn large_stack() -> String {
    let services = (0..300).map(|n| format!("[service.s{n}]\nimage = \"a:1.0\"\nport.x = 80\n"));
    format!("[stack]\nname = \"s\"\n{}", services.collect::<String>())
}

#[test]
fn only_named_objects_are_written() {
    let sandbox = Sandbox::demo();
    let kinds = |arguments: &[&str]| -> Vec<String> {
        let run = sandbox.run(&[&["render", "-t", "prod"], arguments].concat());
        assert_eq!((run.code, run.err.as_str()), (0, ""), "{arguments:?}");
        run.out.lines().filter_map(|line| line.strip_prefix("kind: ")).map(str::to_owned).collect()
    };
    assert_eq!(kinds(&["--only", "Deployment/api"]), ["Deployment"]);
    assert_eq!(kinds(&["--only", "cronjob", "--only", "Ingress/gateway"]), ["CronJob", "Ingress"]);
    let run = sandbox.run(&["render", "-t", "prod", "--only", "Deployment/apo"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(
        run.err.contains("no object matches `Deployment/apo`") && run.err.contains("ConfigMap"),
        "{}",
        run.err
    );
}

/// A passed Secret is written so that only its owner can read it.
#[cfg(unix)]
#[test]
fn a_passed_secret_is_readable_by_its_owner_only() {
    use std::os::unix::fs::PermissionsExt as _;
    let stack = indoc! {r#"
        pass = ["s.yaml"]
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        "#};
    let secret = "apiVersion: v1\nkind: Secret\nmetadata:\n  name: mine\ndata:\n  k: Z3VsbA==\n";
    let sandbox = Sandbox::with(stack).file("s.yaml", secret);
    assert_eq!(sandbox.run(&["render", "--out", "objects"]).code, 0);
    let name = sandbox.names("objects").into_iter().find(|name| name.contains("secret-mine")).unwrap();
    let mode = sandbox.path("objects").join(name).metadata().unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o600);
}

/// `check` also finds the problems of objects, and `render` stops at them.
#[test]
fn problems_of_objects_are_found_before_they_are_written() {
    let stack = indoc! {r#"
        [[patch]]
        on = "Deployment/b"
        merge = { x = 1 }
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        [target.prod]
        [target.laptop]
        on = "machine"
        "#};
    let sandbox = Sandbox::with(stack);
    let check = sandbox.run(&["check"]);
    assert_eq!(check.code, 1);
    assert!(check.out.contains("patch-misses") && check.out.contains("only for target prod"), "{check:?}");
    let render = sandbox.run(&["render", "-t", "prod", "--out", "objects"]);
    assert_eq!((render.code, render.out.as_str()), (1, ""));
    assert!(render.err.contains("patch-misses"));
    assert_eq!(sandbox.names("."), ["fracht.toml"], "nothing is half written");
}
