//! `fracht show` and `fracht images`.

use indoc::indoc;
use insta::assert_snapshot;

use crate::sandbox::Sandbox;

#[test]
fn what_runs_in_the_demo() {
    assert_snapshot!("show_prod", Sandbox::demo().run(&["show", "-t", "prod"]).shown());
    assert_snapshot!("show_laptop", Sandbox::demo().run(&["show", "-t", "laptop"]).shown());
    let all = Sandbox::demo().json(&["show", "-t", "prod"]);
    assert_eq!(all["runs"][2]["replicas"], serde_json::json!({ "least": 2, "most": 12 }));
    assert_eq!(all["runs"][2]["containers"][1]["sidecar"], "exporter");
    // db 250m, cache 3 × 50m, api 2 × 110m, worker 250m, gauge 50m, gateway 50m.
    assert_eq!(all["fewest"]["cpu_request"], serde_json::json!({ "size": 970, "unset": 0 }));
    assert_eq!(all["most"]["cpu_request"]["size"], 970 + 10 * 110);
}

#[test]
fn what_runs_once_counts_only_where_it_needs_more() {
    let sandbox = Sandbox::with(indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "registry.example/a:1.0"
        cpu = "100m..1"
        memory = "64Mi..128Mi"
        replicas = 2
        beside.meter = { image = "registry.example/m:1.0", cpu = "10m..20m", memory = "8Mi..16Mi" }
        beside.seed = { image = "registry.example/s:1.0", once = true, cpu = "50m..2", memory = "256Mi..256Mi" }
        "#});
    let all = sandbox.json(&["show"]);
    let sum = |name: &str| all["fewest"][name]["size"].as_u64().unwrap();
    let mi = 1 << 20;
    // The seed needs more memory than the service, beside the meter; less CPU, but it may take more.
    assert_eq!(
        ["cpu_request", "cpu_limit", "memory_request", "memory_limit"].map(sum),
        [2 * 110, 2 * 2020, 2 * (256 + 8) * mi, 2 * (256 + 16) * mi]
    );
    assert!(sandbox.run(&["show"]).out.contains(" + seed    s:1.0  once, first"));
    assert!(sandbox.run(&["show", "a"]).out.contains("sidecar seed, runs once, before what follows"));
}

#[test]
fn one_service_as_it_will_be() {
    assert_snapshot!(Sandbox::demo().run(&["show", "api", "-t", "prod"]).shown());
    let api = Sandbox::demo().json(&["show", "service.api", "-t", "prod"]);
    let health = &api["containers"][0]["health"];
    assert_eq!((&health["boot_tries"], &health["given_up_after_seconds"]), (&9.into(), &45.0.into()));
    let unknown = Sandbox::demo().run(&["show", "gatway", "-t", "prod"]);
    assert_eq!(unknown.code, 2);
    assert!(unknown.err.contains("did you mean `gateway`?"), "{unknown:?}");
}

#[test]
fn images_have_their_users_and_builds_their_order() {
    assert_snapshot!("images_prod", Sandbox::demo().run(&["images", "-t", "prod"]).shown());
    let sandbox = Sandbox::with(indoc! {r#"
        [stack]
        name = "s"
        [build.app]
        source = "app"
        args = { TOOLS = "{build.tools}", MODE = "full" }
        [build.tools]
        source = "tools"
        recipe = "none"
        [service.a]
        build = "app"
        platform = "linux/arm64"
        [service.b]
        image = "registry.example/b:stable"
        after = { a = "ready" }
        [service.c]
        image = "registry.example/c@sha256:0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"
        [target.prod]
        registry = "registry.example/s"
        nodes = "linux/amd64"
        "#})
    .file("app/Containerfile", "FROM scratch")
    .file("tools/x", "x");
    let images = sandbox.json(&["images"]);
    let row = |at: usize, key: &str| images["images"][at][key].clone();
    let pins: Vec<_> = (0..5).map(|at| row(at, "pinned_by")).collect();
    assert_eq!(pins, ["version", "floating", "digest", "version", "version"]);
    assert_eq!(row(0, "platforms"), serde_json::json!(["linux/arm64"]));
    assert_eq!(row(1, "platforms"), serde_json::json!(["linux/amd64"]));
    assert_eq!(row(3, "used_by"), serde_json::json!(["gate of service.b"]));
    assert_eq!((row(4, "build"), row(4, "used_by")), ("tools".into(), serde_json::json!(["build.app"])));
    let order: Vec<_> = (0..2).map(|at| images["builds"][at]["name"].clone()).collect();
    assert_eq!(order, ["tools", "app"]);
    assert_eq!(images["builds"][0]["recipe"], serde_json::Value::Null);
    assert_eq!(images["builds"][1]["args"][0]["value"], row(4, "image"));
}

#[test]
fn values_of_secrets_are_never_shown() {
    let sandbox = Sandbox::with(indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "registry.example/a:1.0"
        use = ["secret.site"]
        env.PLAIN_PASSWORD = "gull-and-kelp-9"
        env.URL = "http://me:gull-and-kelp-9@{service.a/http}/"
        args = ["--token=gull-and-kelp-9", "{secret.site/TOKEN}"]
        port.http = 80
        [secret.site]
        lines = "site.env"
        "#})
    .file("site.env", "TOKEN=gull-and-kelp-9\nOTHER=\"gull-and-kelp-9\"\n");
    for format in ["text", "json"] {
        let run = sandbox.run(&["show", "a", "--format", format]);
        assert!(!run.out.contains("gull-and-kelp-9") && !run.err.contains("gull-and-kelp-9"), "{run:?}");
        assert!(run.out.contains("{secret.site/TOKEN}") && run.out.contains("****"), "{run:?}");
    }
}
