//! The demo's laptop on a real container engine, with small images that stand for the real ones. It needs the socket of an
//! engine in `FRACHT_TEST_ENGINE`, and in `FRACHT_TEST_REGISTRY` the address of a registry that the engine has as
//! `registry.example`; the gate sets both where it has them.

use std::env;
use std::io::Write as _;
use std::net::{TcpListener, TcpStream};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use fracht_engine::api::Engine;
use fracht_engine::transport::Socket;
use serde_json::Value;

use crate::sandbox::{Run, Sandbox};

/// The small images: a name, and the lines of its recipe upon a shell with small servers.
const IMAGES: [(&str, &str); 6] = [
    ("base/runtime:12.1", ""),
    (
        "base/postgresql:16.4",
        "RUN printf '#!/bin/sh\\ntest -f /tmp/ready\\n' > /bin/pg_isready && chmod 755 /bin/pg_isready\n\
         ENTRYPOINT [\"sh\", \"-c\", \"echo database of $POSTGRES_DB with $POSTGRES_PASSWORD; sleep 0.5; touch /tmp/ready; exec sleep 86400\"]\n",
    ),
    (
        "base/cache:7.4",
        "RUN echo keys > /index.html\nENTRYPOINT [\"httpd\", \"-f\", \"-p\", \"6379\", \"-h\", \"/\"]\n",
    ),
    ("base/exporter:1.8", "ENTRYPOINT [\"sh\", \"-c\", \"echo exporter $*; exec sleep 86400\", \"x\"]\n"),
    (
        "tidedesk/gauge:0.9.2",
        "ENTRYPOINT [\"sh\", \"-c\", \"echo gauge uses $CACHE; mkdir /tmp/w; touch /tmp/w/healthz; exec httpd -f -p 8090 -h /tmp/w\"]\n",
    ),
    (
        "tidedesk/gateway:2.1",
        "ENTRYPOINT [\"sh\", \"-c\", \"mkdir /tmp/w; wget -q -O /tmp/w/index.html $UPSTREAM/; exec httpd -f -p 8000 -h /tmp/w\"]\n",
    ),
];

/// The engine, the registry and the demo.
struct Harbor {
    sandbox: Sandbox,
    socket: String,
    registry: String,
}

impl Harbor {
    /// `None` if there is no engine to test with.
    fn new() -> Option<Self> {
        let (Ok(socket), Ok(registry)) = (env::var("FRACHT_TEST_ENGINE"), env::var("FRACHT_TEST_REGISTRY"))
        else {
            // For who reads the output of one test.
            std::io::stderr().write_all(b"skipped: no container engine to test with\n").unwrap();
            return None;
        };
        let harbor = Self { sandbox: Sandbox::demo(), socket, registry };
        let engine = harbor.engine();
        for (name, lines) in IMAGES {
            let recipe = format!("FROM registry.example/base/tools:1\n{lines}");
            let mut archive = tar::Builder::new(Vec::new());
            let mut header = tar::Header::new_gnu();
            header.set_size(recipe.len() as u64);
            header.set_mode(0o644);
            archive.append_data(&mut header, "Containerfile", recipe.as_bytes()).unwrap();
            let archive = archive.into_inner().unwrap();
            let name = format!("registry.example/{name}");
            let query =
                format!("dockerfile=Containerfile&t={}&rm=1", fracht_engine::transport::encoded(&name));
            engine.build((&name, &query), &mut &*archive, &mut |_| {}).unwrap();
        }
        Some(harbor)
    }

    fn engine(&self) -> Engine {
        Engine::new(Box::new(Socket::at(&self.socket)))
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.sandbox.command(arguments);
        command.env("FRACHT_ENGINE", &self.socket);
        command.env("FRACHT_REGISTRY_MAP", format!("registry.example=http://{}", self.registry));
        command.env("TIDEDESK_DB_PASSWORD", "gull-and-kelp").env("TIDEDESK_BUOY_TOKEN", "tern-and-skua");
        command
    }

    fn run(&self, arguments: &[&str]) -> Run {
        Run::of(&self.command(arguments).output().unwrap())
    }

    fn start(&self) -> Run {
        self.run(&["start", "-t", "laptop"])
    }

    /// The state of a container.
    fn state(&self, name: &str) -> Value {
        let run = self.run(&["state", "-t", "laptop", "--format", "json"]);
        let state: Value = serde_json::from_str(&run.out).unwrap();
        let containers = state["containers"].as_array().unwrap();
        containers.iter().find(|one| one["name"] == name).unwrap_or_else(|| panic!("{name}: {state}")).clone()
    }

    fn change(&self, from: &str, to: &str) {
        let stack = self.sandbox.read("fracht.toml");
        assert!(stack.contains(from), "{from}");
        std::fs::write(self.sandbox.path("fracht.toml"), stack.replace(from, to)).unwrap();
    }

    /// The ids of all containers, by their names.
    fn ids(&self) -> Vec<(String, String)> {
        let containers = self.engine().containers(&[("fracht.stack", "tidedesk")]).unwrap();
        let mut ids: Vec<_> = containers.iter().map(|one| (one.name().to_owned(), one.id.clone())).collect();
        ids.sort();
        ids
    }

    /// The names of the containers that are not those of before.
    fn replaced(&self, before: &[(String, String)]) -> Vec<String> {
        let now = self.ids();
        now.into_iter().filter(|one| !before.contains(one)).map(|(name, _)| name).collect()
    }
}

impl Drop for Harbor {
    fn drop(&mut self) {
        self.run(&["stop", "-t", "laptop", "--with-data", "--yes"]);
    }
}

/// What a web server at a port of this machine answers.
fn page(port: u16) -> String {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(5))).unwrap();
    stream.write_all(b"GET / HTTP/1.0\r\n\r\n").unwrap();
    let mut answer = String::new();
    std::io::Read::read_to_string(&mut stream, &mut answer).unwrap();
    answer
}

/// One test, since they would be in each other's way.
#[test]
fn the_laptop_of_the_demo_runs() {
    let Some(harbor) = Harbor::new() else { return };
    harbor.run(&["stop", "-t", "laptop", "--with-data", "--yes"]);
    let all_is_well = |what: &str| {
        let state = harbor.run(&["state", "-t", "laptop"]);
        assert_eq!(state.code, 0, "{what}: {state:?}");
    };

    // It starts, builds what is missing, and serves.
    let first = harbor.start();
    assert_eq!(first.code, 0, "{first:?}");
    assert!(page(8000).ends_with("high water at noon\n"), "{}", page(8000));
    all_is_well("after the start");
    let before = harbor.ids();
    assert_eq!(before.len(), 8, "{before:?}");

    // Again: nothing.
    let again = harbor.start();
    assert!(again.out.contains("nothing to change"), "{again:?}");
    assert_eq!(harbor.replaced(&before), [""; 0]);

    // Networks are apart: the gateway does not reach the database, the api does.
    let reaches = |name: &str, host: &str| {
        let script = format!("timeout 2 wget -q -O /dev/null http://{host}:6379/ 2>/dev/null");
        harbor.run(&["inside", name, "-t", "laptop", "--", "sh", "-c", &script]).code == 0
    };
    assert!(reaches("gauge", "cache") && !reaches("gateway", "cache"));

    // A container is killed for good, and one crashes, which the engine restarts.
    harbor.engine().kill("tidedesk.laptop.gauge.0").unwrap();
    assert_eq!(harbor.state("gauge")["change"], "start");
    assert_eq!(harbor.start().code, 0);
    all_is_well("after a kill");

    // One value changes: only what has it is replaced.
    harbor.change(
        "env.CACHE = \"{service.cache/cache}\"\nhealth  = { http",
        "env.CACHE = \"{service.cache/cache}\"\nenv.NEW = \"1\"\nhealth  = { http",
    );
    let before = harbor.ids();
    assert_eq!(harbor.state("gauge")["why"], "its definition has changed");
    assert_eq!(harbor.start().code, 0);
    assert_eq!(harbor.replaced(&before), ["tidedesk.laptop.gauge.0"]);

    // Output, also since a moment; the password is covered.
    let output = harbor.run(&["output", "-t", "laptop"]).out;
    assert!(output.contains("db           | database of tides with ***\n"), "{output}");
    assert!(output.contains("gauge        | gauge uses cache:6379\n"), "{output}");
    let lines = harbor.run(&["output", "api", "-t", "laptop", "--since", "10m", "--last", "1"]).out;
    assert_eq!(lines.lines().count(), 1, "{lines}");
    let mut following =
        harbor.command(&["output", "-t", "laptop", "--follow"]).stdout(Stdio::piped()).spawn().unwrap();
    let mut first_line = [0; 8];
    std::io::Read::read_exact(following.stdout.as_mut().unwrap(), &mut first_line).unwrap();
    following.kill().unwrap();
    following.wait().unwrap();

    // Inside and once: exit codes, input, mounts and variables.
    let inside = ["inside", "api", "-t", "laptop", "--", "sh", "-c"];
    let program = "cat; wc -l < /etc/forecast/stations.csv; echo $MODEL_HORIZON_HOURS >&2; exit 5";
    let mut cat = harbor
        .command(&[&inside[..], &[program]].concat())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    cat.stdin.take().unwrap().write_all(b"tide\n").unwrap();
    let ran = Run::of(&cat.wait_with_output().unwrap());
    assert_eq!((ran.code, ran.out.lines().next()), (5, Some("tide")), "{ran:?}");
    assert!(ran.err.trim().parse::<u32>().is_ok(), "{ran:?}");
    let once = harbor.run(&["once", "refit", "-t", "laptop"]);
    assert_eq!((once.code, once.out.as_str()), (0, "forecast refit\n"), "{once:?}");
    let once = harbor.run(&["once", "api", "-t", "laptop", "--", "sh", "-c", "id -u; touch /x; exit 9"]);
    assert_eq!((once.code, once.out.as_str()), (9, "10001\n"), "its file system is read-only: {once:?}");
    assert!(once.err.contains("Read-only file system"), "{once:?}");
    assert!(harbor.ids().iter().all(|(name, _)| !name.contains("once")));

    // A health check that fails is told with its reason, and what waits for it.
    harbor.change(
        "health   = { http = \"/healthz\", port = \"http\", every = \"5s\", boot = \"45s\" }",
        "health   = { http = \"/nothing\", port = \"http\", every = \"1s\", boot = \"2s\" }",
    );
    let sick = harbor.start();
    assert_eq!(sick.code, 1);
    assert!(
        sick.err.contains("error: `api` failed: not ready after 2.0 s: GET /nothing answered 404\n"),
        "{sick:?}"
    );
    assert!(sick.err.contains("| forecast serve --horizon="), "{sick:?}");
    harbor.change("http = \"/nothing\"", "http = \"/healthz\"");
    assert_eq!(harbor.start().code, 0);
    all_is_well("after a sick version");

    // A number of this machine is taken by a program: told before anything is changed.
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let number = listener.local_addr().unwrap().port();
    harbor.change("port.web.at = 8000", &format!("port.web.at = {number}"));
    let before = harbor.ids();
    let taken = harbor.start();
    assert_eq!((taken.code, harbor.replaced(&before)), (1, vec![]), "{taken:?}");
    assert!(taken.err.contains(&format!("both use TCP port {number} on this machine")), "{taken:?}");
    drop(listener);
    harbor.change(&format!("port.web.at = {number}"), "port.web.at = 8000");

    // A build upon a build, pushed, looked up, pinned.
    let (stack, own_recipe) =
        (harbor.sandbox.read("fracht.toml"), harbor.sandbox.read("forecast/Containerfile"));
    let more = "[build.base]\nsource = \"./base\"\ntag = \"content\"\n[target.laptop]\nregistry = \"registry.example/tidedesk\"\nbuild.forecast.tag = \"content\"\nbuild.forecast.args.BASE = \"{build.base}\"\n";
    std::fs::create_dir(harbor.sandbox.path("base")).unwrap();
    std::fs::write(
        harbor.sandbox.path("base/Containerfile"),
        format!("FROM registry.example/base/runtime:12.1\nRUN touch /built-upon # {}\n", std::process::id()),
    )
    .unwrap();
    std::fs::write(harbor.sandbox.path("fracht.toml"), stack.replace("[target.laptop]\n", more)).unwrap();
    std::fs::write(
        harbor.sandbox.path("forecast/Containerfile"),
        "ARG BASE\nFROM $BASE\nCOPY forecast /usr/bin/forecast\nENTRYPOINT [\"/bin/sh\", \"/usr/bin/forecast\"]\n",
    )
    .unwrap();
    // Its content is new at each run, so that no registry has it.
    let lost = harbor.run(&["images", "forecast", "-t", "laptop", "--look"]);
    assert!(lost.code == 1 && lost.out.contains("never pushed"), "{lost:?}");
    let built = harbor.run(&["images", "-t", "laptop", "--build", "--push"]);
    assert_eq!(built.code, 0, "{built:?}");
    assert_eq!(built.out.matches("  built\n").count(), 2, "{}", built.out);
    let looked = harbor.run(&["images", "forecast", "-t", "laptop", "--look", "--format", "json"]);
    let looked: Value = serde_json::from_str(&looked.out).unwrap();
    assert_eq!(looked["images"][0]["found"]["platforms"][0]["platform"], "linux/amd64", "{looked}");
    let before = harbor.ids();
    assert_eq!(harbor.start().code, 0);
    assert_eq!(harbor.replaced(&before).len(), 4, "what has the image, and its sidecar");
    assert_eq!(harbor.run(&["inside", "api", "-t", "laptop", "--", "test", "-f", "/built-upon"]).code, 0);
    let pinned = harbor.run(&["images", "db", "-t", "laptop", "--pin"]);
    assert!(
        pinned.code == 2 && pinned.err.contains("postgresql:16.4: not found"),
        "it was never pushed: {pinned:?}"
    );
    let recipe = "FROM registry.example/base/tools:1\nRUN exit 3\n";
    std::fs::write(harbor.sandbox.path("base/Containerfile"), recipe).unwrap();
    let failed = harbor.run(&["images", "-t", "laptop", "--build"]);
    assert!(failed.code == 2 && failed.err.contains("the build of `build.base` failed"), "{failed:?}");

    // It is killed at some moments of a start, and finished by the next one.
    std::fs::write(harbor.sandbox.path("fracht.toml"), &stack).unwrap();
    std::fs::write(harbor.sandbox.path("forecast/Containerfile"), own_recipe).unwrap();
    for tenths in [1, 3, 5, 8, 12, 16, 20, 24] {
        harbor.run(&["stop", "-t", "laptop"]);
        let mut run =
            harbor.command(&["start", "-t", "laptop", "--quiet"]).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(tenths * 100));
        run.kill().unwrap();
        run.wait().unwrap();
        let next = harbor.start();
        assert_eq!(next.code, 0, "killed after {tenths} tenths: {next:?}");
        all_is_well("after a kill of the start");
        assert_eq!(harbor.ids().len(), 8);
    }

    // It stops, its data stays, and goes when it is meant to.
    let begun = Instant::now();
    let stopped = harbor.run(&["stop", "-t", "laptop"]);
    assert!(stopped.out.contains("removed 8 containers, 3 networks, 0 volumes"), "{stopped:?}");
    assert!(begun.elapsed() < Duration::from_secs(40), "{:?}", begun.elapsed());
    assert_eq!(harbor.ids(), []);
    let stopped = harbor.run(&["stop", "-t", "laptop", "--with-data", "--yes"]);
    assert!(stopped.out.contains("2 volumes"), "{stopped:?}");
    a_pinned_image_runs(&harbor);
}

/// An image is pinned, and started by its digest.
fn a_pinned_image_runs(harbor: &Harbor) {
    let stack = "[stack]\nname = \"buoy\"\n[service.web]\nimage = \"registry.example/base/web:1\"\n\
                 port.http = { number = 8080, reach = \"node\", at = 38090 }\nhealth = { http = \"/\" }\n\
                 [target.laptop]\non = \"machine\"\n";
    std::fs::write(harbor.sandbox.path("fracht.toml"), stack).unwrap();
    let pinned = harbor.run(&["images", "--pin"]);
    assert_eq!(pinned.code, 0, "{pinned:?}");
    assert!(harbor.sandbox.read("fracht.lock").contains("\"registry.example/base/web:1\" = \"sha256:"));
    let started = harbor.start();
    assert_eq!(started.code, 0, "{started:?}");
    assert!(page(38090).contains("200 OK"));
    assert_eq!(harbor.run(&["state"]).code, 0);
    assert_eq!(harbor.run(&["stop", "--with-data"]).code, 0);
}
