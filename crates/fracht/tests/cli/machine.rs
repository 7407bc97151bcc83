//! A stack on this machine: the built program against the stand-in for a container engine.

use std::io::Write as _;
use std::process::{Command, Stdio};

use fracht_engine::stand_in::{Server, StandIn};
use indoc::indoc;
use insta::assert_snapshot;
use regex::Regex;

use crate::sandbox::{Run, Sandbox};

const STACK: &str = indoc! {r#"
    [stack]
    name = "s"
    [build.page]
    source = "./page"
    tag = "content"
    [service.db]
    image = "registry.example/db:1.0"
    port.sql = 5432
    network = ["back"]
    env.PASSWORD = "{secret.db/password}"
    mount."/data" = "volume.data"
    health = { tcp = "sql", boot = "5s" }
    [service.app]
    build = "page"
    network = ["back"]
    replicas = 2
    port.http = { number = 80, reach = "node", at = "38080..38081" }
    after = { schema = "done" }
    health = { http = "/", port = "http", boot = "5s" }
    mount."/etc/app" = "config.app"
    [task.schema]
    image = "registry.example/app:1.0"
    network = ["back"]
    after = { db = "ready" }
    [task.nightly]
    image = "registry.example/app:1.0"
    network = ["back"]
    schedule = "15 3 * * *"
    [config.app]
    key.tide = "high"
    [secret.db]
    key.password = { env = "DB_PASSWORD" }
    [volume.data]
    size = "1Gi"
    [network.back]
    [target.laptop]
    on = "machine"
    "#};

/// A stack and an engine.
struct Harbor {
    sandbox: Sandbox,
    engine: StandIn,
    server: Server,
}

impl Harbor {
    fn new() -> Self {
        let sandbox = Sandbox::with(STACK)
            .file("page/Containerfile", "FROM registry.example/base:1\nCOPY index.html /www/\n")
            .file("page/index.html", "<h1>tides</h1>");
        let engine = StandIn::default();
        let server = Server::start(&engine, &sandbox.path("engine.sock")).unwrap();
        Self { sandbox, engine, server }
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.sandbox.command(arguments);
        command.env("FRACHT_ENGINE", self.server.path()).env("DB_PASSWORD", "gull-and-kelp");
        command
    }

    fn run(&self, arguments: &[&str]) -> Run {
        Run::of(&self.command(arguments).output().unwrap())
    }

    /// Changes the stack file.
    fn change(&self, from: &str, to: &str) {
        let stack = self.sandbox.read("fracht.toml");
        assert!(stack.contains(from), "{from}");
        std::fs::write(self.sandbox.path("fracht.toml"), stack.replace(from, to)).unwrap();
    }

    /// The containers that were created since the last call.
    fn created(&self) -> usize {
        self.engine.requests().iter().filter(|line| *line == "POST /containers/create").count()
    }
}

/// A text without its times and its temporary paths.
pub(crate) fn timeless(text: &str) -> String {
    let text = Regex::new(r"\d+\.\d s").unwrap().replace_all(text, "0.0 s");
    let text = Regex::new(r"  \d s  ").unwrap().replace_all(&text, "  0 s  ");
    Regex::new(r"content-[0-9a-f]{12}").unwrap().replace_all(&text, "content-000000000000").into_owned()
}

#[test]
fn a_stack_starts_changes_and_stops() {
    let harbor = Harbor::new();
    let first = harbor.run(&["start"]);
    assert_eq!(first.code, 0, "{first:?}");
    assert_snapshot!("start", timeless(&first.out));
    for line in
        ["building page", "create network back", "create volume data", "pulling registry.example/db:1.0"]
    {
        assert!(first.err.contains(line), "{line}: {}", first.err);
    }
    assert_eq!(harbor.created(), 4);
    assert_snapshot!("state", timeless(&harbor.run(&["state"]).out));
    // Again: nothing changes.
    let again = harbor.run(&["start"]);
    assert!(again.out.starts_with("s serves on laptop: nothing to change, 4 containers\n"), "{again:?}");
    assert_eq!(harbor.created(), 0);
    // One value changes: only what has it is replaced.
    harbor.change("tide = \"high\"", "tide = \"low\"");
    let state = harbor.run(&["state"]);
    assert_eq!(state.code, 1);
    assert!(state.out.contains("replace      app-1      its definition has changed\n"), "{}", state.out);
    let changed = harbor.run(&["start"]);
    assert!(changed.out.contains("2 containers started, 2 unchanged"), "{changed:?}");
    // A file of the build changes.
    std::fs::write(harbor.sandbox.path("page/index.html"), "<h1>ebb</h1>").unwrap();
    harbor.created();
    assert!(harbor.run(&["start"]).err.contains("building page"));
    assert_eq!(harbor.created(), 2);
    let stopped = harbor.run(&["stop"]);
    assert_eq!(
        stopped.out,
        "Stopped s on laptop: removed 4 containers, 1 network, 0 volumes.\n\
         Data stays in data. Remove it with `fracht stop --with-data`.\n"
    );
    let order: Vec<&str> = stopped.err.lines().collect();
    assert_eq!(order.last(), Some(&"stopping db"), "in reverse: {order:?}");
    assert_eq!(harbor.engine.volumes(), ["s.laptop.data"]);
    let refused = harbor.run(&["stop", "--with-data"]);
    assert_eq!(refused.code, 2, "it does not ask without a terminal: {refused:?}");
    assert_eq!(harbor.run(&["stop", "--with-data", "--yes"]).code, 0);
    assert!(harbor.engine.volumes().is_empty());
    assert_eq!(harbor.run(&["stop"]).out, "Nothing of s runs on laptop.\n");
    assert_eq!(harbor.run(&["state"]).out, "Nothing of s runs on laptop. Start it with fracht start.\n");
}

#[test]
fn what_fails_is_told_with_its_output_and_what_waits_for_it() {
    let harbor = Harbor::new();
    harbor.engine.scene(|scene| scene.ends = [("s.laptop.schema".to_owned(), 3)].into());
    let failed = harbor.run(&["start"]);
    assert_eq!((failed.code, failed.out.as_str()), (1, ""), "{failed:?}");
    let told = failed.err.split_once("error: ").unwrap().1;
    assert_eq!(
        told,
        "`schema` failed: ended with exit code 3\n  | registry.example/app:1.0 starts\n\
         note: `app` was not started: it waits for schema\n\
         help: see all of its output with `fracht output schema`; the rest stays as it is\n"
    );
    assert!(
        harbor.engine.containers().iter().any(|one| one.name == "s.laptop.db.0" && one.status == "running")
    );
    let back = harbor.run(&["start", "--back"]);
    assert_eq!(back.code, 1);
    assert!(!harbor.engine.containers().iter().any(|one| one.name == "s.laptop.schema"));
    assert!(harbor.engine.containers().iter().any(|one| one.name == "s.laptop.db.0"), "it was there before");
    harbor.engine.scene(|scene| {
        scene.ends.clear();
        scene.sick = ["s.laptop.app.1".to_owned()].into();
    });
    harbor.change("boot = \"5s\"", "boot = \"2s\"");
    let sick = harbor.run(&["start"]);
    assert!(
        sick.err.contains("error: `app-1` failed: not ready after 2.0 s: GET / at port 80 failed\n"),
        "{sick:?}"
    );
    let state = harbor.run(&["state", "--format", "json"]);
    let state: serde_json::Value = serde_json::from_str(&state.out).unwrap();
    let app = state["containers"].as_array().unwrap().iter().find(|one| one["name"] == "app-1").unwrap();
    assert_eq!((&app["health"], &app["change"]), (&"not-ready".into(), &serde_json::Value::Null));
}

#[test]
fn nothing_is_changed_if_something_is_in_the_way() {
    let unchanged = |harbor: &Harbor, code: i32, words: &str| {
        let run = harbor.run(&["start"]);
        assert_eq!(run.code, code, "{run:?}");
        assert!(run.err.contains(words), "{words}: {}", run.err);
        let requests = harbor.engine.requests();
        assert!(requests.iter().all(|line| line.starts_with("GET")), "{requests:?}");
    };
    let harbor = Harbor::new();
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let number = listener.local_addr().unwrap().port().to_string();
    harbor.change("at = \"38080..38081\"", &format!("at = \"{number}..\""));
    unchanged(&harbor, 1, &format!("both use TCP port {number} on this machine"));
    drop(listener);
    let harbor = Harbor::new();
    let api = fracht_engine::api::Engine::new(Box::new(harbor.engine.clone()));
    let network = fracht_engine::api::NetworkSpec { name: "s.laptop.back".into(), ..Default::default() };
    api.create_network(&network).unwrap();
    harbor.engine.requests();
    unchanged(
        &harbor,
        2,
        "the network `s.laptop.back` already exists: it belongs to something that Fracht did not create",
    );
    let harbor = Harbor::new();
    let mut command = harbor.command(&["start"]);
    let run = Run::of(&command.env_remove("DB_PASSWORD").output().unwrap());
    assert!(run.err.contains("secret.db/password: set the variable DB_PASSWORD"), "{run:?}");
    let harbor = Harbor::new();
    harbor.engine.scene(|scene| scene.absent = ["registry.example/db:1.0".to_owned()].into());
    let run = harbor.run(&["start"]);
    assert_eq!(run.code, 2);
    assert!(
        run.err.contains(
            "cannot pull 1 image; nothing was changed\nhelp: registry.example/db:1.0: reading manifest"
        ),
        "{run:?}"
    );
    assert!(harbor.engine.networks().is_empty());
    // A stack with errors, a cluster, an engine that is not there.
    harbor.change("volume.data\"\n", "volume.dat\"\n");
    assert_eq!(harbor.run(&["start"]).code, 1);
    let sandbox = Sandbox::demo();
    let run = sandbox.run(&["start", "-t", "prod"]);
    assert_eq!(
        (run.code, run.err.lines().next()),
        (2, Some("error: target `prod` is a cluster, not this machine"))
    );
    let run = sandbox.run(&["state", "--engine", "nowhere.sock"]);
    assert_eq!(run.code, 2);
    assert!(
        run.err.starts_with(
            "error: cannot reach a container engine at `nowhere.sock`: no such socket\nhelp: start"
        ),
        "{run:?}"
    );
}

#[test]
fn output_is_merged_and_secrets_are_covered() {
    let harbor = Harbor::new();
    // The stand-in writes the name of the image.
    harbor.change("registry.example/db:1.0", "registry.example/gull-and-kelp:1.0");
    assert_eq!(harbor.run(&["start"]).code, 0);
    let all = harbor.run(&["output"]).out;
    let names: Vec<&str> = all.lines().map(|line| line.split(' ').next().unwrap()).collect();
    assert_eq!((names[0], names[1], names.len()), ("db", "schema", 4), "{all}");
    assert!(all.starts_with("db     | registry.example/***:1.0 starts\n"), "{all}");
    assert_eq!(harbor.run(&["output", "app", "--last", "1"]).out.lines().count(), 1);
    assert_eq!(harbor.run(&["output", "nothing"]).code, 2);
}

#[test]
fn programs_run_inside_and_once() {
    let harbor = Harbor::new();
    let early = harbor.run(&["inside", "db", "--", "true"]);
    assert!(early.err.contains("`db` does not run"), "{early:?}");
    assert_eq!(harbor.run(&["start"]).code, 0);
    let inside = harbor.run(&["inside", "app-1", "--", "exit", "7"]);
    assert_eq!((inside.code, inside.out.as_str()), (7, "exit 7\n"), "{inside:?}");
    assert_eq!(
        harbor.run(&["inside", "ap", "--", "true"]).err,
        "error: `ap` not found among the services\nhelp: did you mean `app`?\n"
    );
    harbor.engine.requests();
    let once = harbor.run(&["once", "nightly"]);
    assert_eq!((once.code, once.out.as_str()), (0, "registry.example/app:1.0 starts\n"), "{once:?}");
    let containers = harbor.engine.containers();
    assert!(containers.iter().all(|one| !one.name.contains("once")), "it is removed: {containers:?}");
    let service = harbor.run(&["once", "app"]);
    assert!(service.err.contains("`service.app` is a service, which does not end"), "{service:?}");
    // What is piped in reaches the program, and does not keep the command from ending.
    let mut piped = harbor.command(&["once", "app", "--", "cat"]).stdin(Stdio::piped()).spawn().unwrap();
    piped.stdin.take().unwrap().write_all(b"high water").unwrap();
    assert!(piped.wait().unwrap().success());
}

#[test]
fn one_of_two_runs_at_once_waits() {
    let harbor = Harbor::new();
    harbor.engine.scene(|scene| scene.slow = std::time::Duration::from_millis(20));
    let runs: Vec<_> = (0..3)
        .map(|_| harbor.command(&["start"]).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap())
        .collect();
    let runs: Vec<Run> = runs.into_iter().map(|run| Run::of(&run.wait_with_output().unwrap())).collect();
    assert!(runs.iter().all(|run| run.code == 0), "{runs:?}");
    let waited = runs.iter().filter(|run| run.err.contains("waiting for another run that changes `s`"));
    assert_eq!(waited.count(), 2, "{runs:?}");
    assert_eq!(harbor.created(), 4, "nothing twice");
}

#[test]
fn a_start_that_is_killed_is_finished_by_the_next_one() {
    let harbor = Harbor::new();
    harbor.engine.scene(|scene| scene.slow = std::time::Duration::from_millis(2));
    for milliseconds in (10..200).step_by(14) {
        let mut run = harbor.command(&["start", "--quiet"]).spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(milliseconds));
        run.kill().unwrap();
        run.wait().unwrap();
        if milliseconds % 4 == 0 {
            harbor.run(&["stop"]);
        }
    }
    assert_eq!(harbor.run(&["start"]).code, 0);
    let state = harbor.run(&["state"]);
    assert_eq!(state.code, 0, "{state:?}");
    assert_eq!(harbor.engine.containers().len(), 4);
}

#[test]
fn a_watched_stack_starts_again_when_a_file_changes() {
    let harbor = Harbor::new();
    let mut run =
        harbor.command(&["start", "--watch"]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let wait_for = |what: &str, is_there: &dyn Fn() -> bool| {
        let begun = std::time::Instant::now();
        while !is_there() {
            assert!(begun.elapsed().as_secs() < 30, "{what}");
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
    };
    let replicas =
        || harbor.engine.containers().iter().filter(|one| one.name.starts_with("s.laptop.app.")).count();
    wait_for("the start", &|| replicas() == 2 && harbor.run(&["state"]).code == 0);
    std::thread::sleep(std::time::Duration::from_millis(700));
    harbor.change("replicas = 2", "replicas = 1");
    wait_for("the change", &|| replicas() == 1);
    run.kill().unwrap();
    run.wait().unwrap();
}

#[test]
fn only_what_is_named_is_started_and_stopped() {
    let harbor = Harbor::new();
    let names = |harbor: &Harbor| -> Vec<String> {
        harbor.engine.containers().into_iter().map(|one| one.name.replace("s.laptop.", "")).collect()
    };
    let start = harbor.run(&["start", "schema"]);
    assert_eq!(start.code, 0, "{start:?}");
    assert_eq!(names(&harbor), ["db.0", "schema"], "with what it waits for");
    let state = harbor.run(&["state"]);
    assert!(state.code == 1 && state.out.contains("create       app-0      it is not there\n"), "{state:?}");
    assert_eq!(harbor.run(&["start", "--quiet"]).err, "");
    assert_eq!(names(&harbor).len(), 4);
    let stop = harbor.run(&["stop", "app"]);
    assert!(
        stop.out.starts_with("Stopped s on laptop: removed 2 containers, 0 networks, 0 volumes.\n"),
        "{stop:?}"
    );
    assert_eq!(names(&harbor), ["db.0", "schema"]);
    // A service that the stack does not have any more can still be stopped, and goes with the next start.
    harbor.change("[service.db]", "[service.store]");
    harbor.change("db = \"ready\"", "store = \"ready\"");
    let stop = harbor.run(&["stop", "db"]);
    assert_eq!((stop.code, names(&harbor)), (0, vec!["schema".to_owned()]), "{stop:?}");
    assert_eq!(harbor.run(&["start"]).code, 0);
    assert_eq!(names(&harbor), ["app.0", "app.1", "schema", "store.0"]);
    for (arguments, told) in [
        (&["start", "ap"][..], "help: did you mean `app`?"),
        (&["stop", "--yes"], "--with-data"),
        (&["once", "nothing"], "service or task `nothing` not found"),
        (&["output", "--since", "10"], "unit missing"),
        (&["inside", "app"], "<PROGRAM>"),
    ] {
        let run = harbor.run(arguments);
        assert!(run.code == 2 && run.err.contains(told), "{arguments:?}: {run:?}");
    }
}

#[test]
fn images_are_not_built_if_they_may_not() {
    let harbor = Harbor::new();
    let refused = harbor.run(&["start", "--skip-builds"]);
    assert_eq!(refused.code, 2);
    assert!(
        refused.err.contains("is not on this machine\nhelp: run it without `--skip-builds`\n"),
        "{refused:?}"
    );
    assert!(harbor.engine.networks().is_empty(), "nothing was changed");
    let built = harbor.run(&["images", "--build", "--format", "json"]);
    let document: serde_json::Value = serde_json::from_str(&built.out).unwrap();
    assert_eq!(document["builds"][0]["name"], "page");
    assert_eq!(harbor.run(&["start", "--skip-builds"]).code, 0);
    // One that ends again and again runs only at the moment.
    for _ in 0..3 {
        harbor.engine.crash("s.laptop.db.0", 1);
    }
    let state = harbor.run(&["state"]);
    assert!(state.code == 1 && state.out.contains("db         ends again and again  ready"), "{state:?}");
    // An image of another content under the same name is another image.
    harbor.engine.change_image("registry.example/db:1.0");
    let state = harbor.run(&["state"]);
    assert!(state.out.contains("replace      db         its image has changed\n"), "{}", state.out);
    assert!(harbor.run(&["start"]).out.contains("1 container started, 3 unchanged"));
    harbor.change("[service.db]\n", "[service.db]\nfetch = \"never\"\n");
    harbor.change("registry.example/db:1.0", "registry.example/db:1.1");
    let never = harbor.run(&["start"]);
    assert!(never.code == 2 && never.err.contains("and `fetch` is \"never\""), "{never:?}");
}

#[test]
fn no_output_shows_a_secret() {
    let harbor = Harbor::new();
    harbor.engine.scene(|scene| scene.ends = [("s.laptop.schema".to_owned(), 3)].into());
    harbor.change("registry.example/app:1.0", "registry.example/gull-and-kelp:1.0");
    harbor.run(&["start", "db"]);
    for arguments in [
        &["start"][..],
        &["state"],
        &["state", "--format", "json"],
        &["output"],
        &["output", "--follow"],
        &["start", "--back"],
        &["stop"],
    ] {
        let run = harbor.run(arguments);
        // The name of an image is what the stack says itself.
        let said = (run.out + &run.err)
            .replace("registry.example/gull-and-kelp", "")
            .replace("gull-and-kelp:1.0", "");
        assert!(!said.contains("gull-and-kelp"), "{arguments:?}: {said}");
    }
    // Without its value, the state is told as far as it can be.
    harbor.engine.scene(|scene| scene.ends.clear());
    assert_eq!(harbor.run(&["start"]).code, 0);
    let state = Run::of(&harbor.command(&["state"]).env_remove("DB_PASSWORD").output().unwrap());
    assert_eq!(state.code, 0, "{state:?}");
    assert!(state.err.contains("some values of secrets cannot be read"), "{state:?}");
}

#[test]
fn a_secret_of_the_cluster_is_told_and_the_help_leads_on() {
    let harbor = Harbor::new();
    harbor.change("key.password = { env = \"DB_PASSWORD\" }", "present = \"there\"\nkeys = [\"password\"]");
    let refused = harbor.run(&["start"]);
    assert_eq!(
        (refused.code, refused.err.as_str()),
        (
            2,
            "error: the value of `secret.db/password` is only in the cluster\n\
             help: use another one in `target.laptop`: `secret.local.key.password = { env = \"S_DB_PASSWORD\" }`\n"
        )
    );
    let own = "on = \"machine\"\nsecret.local.key.password = { env = \"S_DB_PASSWORD\" }\n\
               service.db.env.PASSWORD = \"{secret.local/password}\"\n";
    harbor.change("on = \"machine\"\n", own);
    let started =
        Run::of(&harbor.command(&["start"]).env("S_DB_PASSWORD", "tern-and-skua").output().unwrap());
    assert_eq!(started.code, 0, "{started:?}");
    assert_eq!(harbor.engine.definition("s.laptop.db.0")["Env"][0], "PASSWORD=tern-and-skua");
}
