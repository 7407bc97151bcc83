//! Images: looked up in a registry, pinned, built and pushed.

use std::process::Command;

use fracht_engine::stand_in::{Server, StandIn};
use fracht_testkit::registry::{Registry, Says, Served};
use indoc::indoc;
use insta::assert_snapshot;
use regex::Regex;

use crate::sandbox::{Run, Sandbox};

const STACK: &str = indoc! {r#"
    [stack]
    name = "s"
    [build.base]
    source = "./base"
    tag = "content"
    [build.page]
    source = "./page"
    tag = "content"
    args.BASE = "{build.base}"
    [service.db]
    image = "registry.example/db:16.4"
    port.sql = 5433
    [service.app]
    build = "page"
    port.http = 80
    confine = "strict"
    user = 10001
    [service.cache]
    image = "registry.example/cache:7"
    confine = "strict"
    [target.prod]
    registry = "registry.example/tides"
    nodes = ["linux/amd64", "linux/arm64"]
    "#};

struct Harbor {
    sandbox: Sandbox,
    registry: Served,
    engine: StandIn,
    server: Server,
}

impl Harbor {
    fn new() -> Self {
        let sandbox = Sandbox::with(STACK)
            .file("base/Containerfile", "FROM scratch\n")
            .file("page/Containerfile", "ARG BASE\nFROM $BASE\n");
        let mut registry = Registry::default();
        let both = [("linux/amd64", 150 << 20), ("linux/arm64", 151 << 20)];
        let says = Says { ports: vec!["5432/tcp"], user: "999", data: vec!["/var/lib/db"] };
        registry.image("db", "16.4", &both, &says);
        registry.image("db", "16.6", &both, &says);
        registry.image("db", "16.4-slim", &[("linux/amd64", 40 << 20)], &says);
        registry.image("cache", "7", &[("linux/amd64", 20 << 20)], &Says::default());
        let engine = StandIn::default();
        let server = Server::start(&engine, &sandbox.path("engine.sock")).unwrap();
        Self { sandbox, registry: Served::start(registry), engine, server }
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.sandbox.command(arguments);
        command.env("FRACHT_ENGINE", self.server.path());
        command.env("FRACHT_REGISTRY_MAP", format!("registry.example=http://{}", self.registry.address));
        command
    }

    fn run(&self, arguments: &[&str]) -> Run {
        Run::of(&self.command(arguments).output().unwrap())
    }
}

/// A text without ages, digests and the numbers of ports.
fn timeless(text: &str) -> String {
    let text = Regex::new(r"\d+ d ago").unwrap().replace_all(text, "9 d ago");
    Regex::new(r"content-[0-9a-f]{12}").unwrap().replace_all(&text, "content-000000000000").into_owned()
}

#[test]
fn images_are_looked_up_and_checked_against_the_stack() {
    let harbor = Harbor::new();
    let look = harbor.run(&["images", "--look"]);
    assert_eq!(look.code, 1, "{look:?}");
    assert_snapshot!("look", timeless(&look.out));
    let check = harbor.run(&["check", "--look", "--format", "json"]);
    let check: serde_json::Value = serde_json::from_str(&check.out).unwrap();
    let problems = check["problems"].as_array().unwrap().iter();
    let looked: Vec<String> = problems
        .filter(|problem| problem["rule"].as_str().unwrap().starts_with("image-"))
        .map(|problem| format!("{} {}", problem["rule"].as_str().unwrap(), problem["place"]["line"]))
        .collect();
    assert_eq!(
        looked,
        [
            "image-newer 11",
            "image-says-data 11",
            "image-smaller 11",
            "image-says-port 12",
            "image-absent 14",
            "image-floating 19",
            "image-platform 19",
            "image-says-user 19",
        ]
    );
    // Without being asked, nothing is looked up.
    harbor.registry.requests();
    for arguments in [&["check"][..], &["images"], &["render"]] {
        harbor.run(arguments);
    }
    assert_eq!(harbor.registry.requests(), [""; 0]);
    let json = harbor.run(&["images", "db", "--look", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(json["images"][0]["found"]["state"], "there");
    assert_eq!(json["images"][0]["found"]["platforms"][1]["platform"], "linux/arm64");
    let says = |key: &str| json["images"][0]["found"][key].to_string();
    assert_eq!(
        [says("ports"), says("user"), says("data"), says("health")],
        ["[\"5432\"]", "\"999\"", "[\"/var/lib/db\"]", "[\"ok\"]"]
    );
}

#[test]
fn digests_are_kept_and_move_only_when_they_are_asked_for() {
    let harbor = Harbor::new();
    let pinned = harbor.run(&["images", "--pin"]);
    assert_eq!(pinned.code, 0, "{pinned:?}");
    let lock = harbor.sandbox.read("fracht.lock");
    let lines: Vec<&str> = lock.lines().filter(|line| line.starts_with('"')).collect();
    assert!(lines[0].starts_with("\"registry.example/cache:7\" = \"sha256:"), "{lock}");
    assert!(lines[1].starts_with("\"registry.example/db:16.4\" = \"sha256:"), "{lock}");
    let digest = lines[1].rsplit('"').nth(1).unwrap().to_owned();
    let rendered = harbor.run(&["render", "--only", "Deployment/db"]).out;
    assert!(rendered.contains(&format!("image: registry.example/db:16.4@{digest}\n")), "{rendered}");
    // The tag moves: the lock stays, and the difference is told.
    harbor.registry.change(|registry| {
        registry.image("db", "16.4", &[("linux/amd64", 7), ("linux/arm64", 7)], &Says::default());
    });
    assert!(harbor.run(&["images", "--pin"]).err.contains("keeps 2 images; nothing to change"));
    assert_eq!(harbor.sandbox.read("fracht.lock"), lock);
    let told = harbor.run(&["images", "--look"]).out;
    assert!(told.contains("warning  tag `16.4` of `service.db` leads to another image now\n"), "{told}");
    let moved = harbor.run(&["images", "--pin", "db"]);
    assert!(
        moved.err.contains("registry.example/db:16.4 gets sha256:") && moved.err.contains("before sha256:"),
        "{moved:?}"
    );
    assert_ne!(harbor.sandbox.read("fracht.lock"), lock);
    // One that cannot be looked up changes nothing.
    let lock = harbor.sandbox.read("fracht.lock");
    harbor.registry.change(|registry| registry.manifests.clear());
    let failed = harbor.run(&["images", "--pin", "cache", "db"]);
    assert_eq!(failed.code, 2);
    assert!(failed.err.contains("cannot pin 2 images; nothing was changed"), "{failed:?}");
    assert_eq!(harbor.sandbox.read("fracht.lock"), lock);
}

#[test]
fn a_broken_line_of_the_lock_is_told_and_kept() {
    for (line, message) in [
        (
            "\"registry.example/db:16.4\" = \"sha256:short\"",
            "invalid image `registry.example/db:16.4` in the lock",
        ),
        ("\"Not A Reference\" = \"sha256:0\"", "invalid image `Not A Reference` in the lock"),
        ("\"registry.example/db:16.4\" = 7", "invalid image `registry.example/db:16.4` in the lock"),
    ] {
        let harbor = Harbor::new();
        let lock = format!("[image]\n{line}\n");
        std::fs::write(harbor.sandbox.path("fracht.lock"), &lock).unwrap();
        let run = harbor.run(&["images", "--pin"]);
        assert_eq!(run.code, 1, "{run:?}");
        assert!(run.err.contains(message), "{run:?}");
        assert_eq!(harbor.sandbox.read("fracht.lock"), lock);
    }
}

#[test]
fn images_are_built_in_order_once_and_pushed() {
    let harbor = Harbor::new();
    let built = harbor.run(&["images", "--build", "--push"]);
    assert_eq!(built.code, 0, "{built:?}");
    assert_snapshot!(
        "build",
        timeless(&Regex::new("sha256:[0-9a-f]{12}").unwrap().replace_all(&built.out, "sha256:000000000000"))
    );
    let pushed = harbor.engine.pushed();
    // To the address at which the registry is.
    assert!(pushed[0].starts_with(&format!("{}/tides/base:content-", harbor.registry.address)), "{pushed:?}");
    let again = harbor.run(&["images", "--build", "page"]);
    assert_eq!(again.out.matches("unchanged").count(), 2, "{again:?}");
    std::fs::write(harbor.sandbox.path("base/Containerfile"), "FROM scratch\nRUN false\n").unwrap();
    let failed = harbor.run(&["images", "--build"]);
    assert_eq!(failed.code, 2);
    let told = failed.err.split_once("error: ").unwrap().1;
    assert_eq!(
        told,
        "the build of `build.base` failed: building at STEP \"RUN false\": exit status 1\n\
        help:   | STEP 1/2: FROM scratch\nhelp:   | STEP 2/2: RUN false\n\
        help:   | building at STEP \"RUN false\": exit status 1\n\
        help: fix the recipe or the files of ./base, and run the command again\n"
    );
}

#[test]
fn logins_are_read_from_their_file_and_from_variables() {
    let harbor = Harbor::new();
    harbor.registry.change(|registry| registry.demands = "Bearer".into());
    let look = |change: &dyn Fn(&mut Command)| {
        let mut command = harbor.command(&["images", "db", "--look"]);
        change(&mut command);
        Run::of(&command.output().unwrap())
    };
    let denied = look(&|_| {});
    let words = "registry.example/db:16.4 could not be looked up: access denied: log in to the registry\n";
    assert!(denied.code == 0 && denied.out.contains(words), "{denied:?}");
    let known = |run: &Run| run.out.contains("registry.example/db:16.4") && !run.out.contains("not known");
    // The registry of the target is the one that the variables are for.
    let own = look(&|command| {
        _ = command.env("FRACHT_REGISTRY_USER", "gull").env("FRACHT_REGISTRY_PASSWORD", "tern");
    });
    assert!(known(&own), "{own:?}");
    let other = look(&|command| {
        command.env("FRACHT_REGISTRY_USER", "gull").env("FRACHT_REGISTRY_PASSWORD", "tern");
        command.env("FRACHT_REGISTRY_HOST", "other.example");
    });
    assert!(!known(&other), "a login does not go to another registry: {other:?}");
    let file = harbor.sandbox.path("logins.json");
    std::fs::write(&file, r#"{"auths":{"registry.example":{"auth":"Z3VsbDp0ZXJu"}}}"#).unwrap();
    let read = look(&|command| _ = command.env("REGISTRY_AUTH_FILE", &file));
    assert!(known(&read), "{read:?}");
    std::fs::write(&file, "gull:tern").unwrap();
    let broken = look(&|command| _ = command.env("REGISTRY_AUTH_FILE", &file));
    assert!(
        broken.err.contains("no registry login was read from") && !broken.err.contains("tern"),
        "{broken:?}"
    );
    let map = look(&|command| _ = command.env("FRACHT_REGISTRY_MAP", "registry.example"));
    assert!(map.code == 2 && map.err.contains("invalid part of the variable FRACHT_REGISTRY_MAP"), "{map:?}");
}

#[test]
fn a_registry_without_tls_is_asked_only_where_the_target_says_so() {
    let harbor = Harbor::new();
    let address = harbor.registry.address.clone();
    let stack = harbor.sandbox.read("fracht.toml").replace("registry.example/db", &format!("{address}/db"));
    let look = |stack: &str| {
        std::fs::write(harbor.sandbox.path("fracht.toml"), stack).unwrap();
        harbor.registry.requests();
        harbor.run(&["images", "db", "--look"])
    };
    let refused = look(&stack);
    assert!(refused.out.contains("not known"), "{refused:?}");
    assert_eq!(harbor.registry.requests(), [""; 0], "nothing is asked in plain text");
    let plain = look(&format!("{stack}without-tls = [\"{address}\"]\n"));
    assert!(plain.out.contains("150Mi"), "{plain:?}");
}
