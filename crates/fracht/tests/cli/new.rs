use crate::sandbox::Sandbox;
use indoc::indoc;

const SETTINGS: &str = indoc! {r#"
    # made by hand
    export LOG_LEVEL=info
    DB_PASSWORD='gull and kelp'
    DATABASE_URL=postgres://tide:gull@db:5432/tides
    feed.poll-every=5s
    GREETING="a {b} \"c\"
    d"
    TOKEN_TTL=60
    BUILD=2f58ff1fdfddb79f2f58ff1fdfddb79f
    FEED=gull7Kelp9Sand3Salt5Tide1
    "#};

#[test]
fn an_image_and_a_port_give_a_valid_stack() {
    let sandbox = Sandbox::empty();
    let image = "registry.example/harbour/feedstore:1.0";
    let run = sandbox.run(&["new", image, "--port", "8080", "--port", "metrics=9102"]);
    assert_eq!((run.code, run.out.as_str()), (0, "Created fracht.toml\n  service.feedstore\n"), "{run:?}");
    assert!(run.err.contains("next: run `fracht check"), "{}", run.err);
    let check = sandbox.run(&["check"]);
    assert!(check.code == 0 && check.out.contains("no problems"), "{check:?}");
    let objects = sandbox.run(&["render"]).out;
    assert!(
        objects.contains(image)
            && objects.contains("containerPort: 9102")
            && objects.contains("readinessProbe")
    );
}

#[test]
fn settings_become_a_config_and_likely_secrets_come_from_the_environment() {
    let sandbox = Sandbox::empty().file("settings.env", SETTINGS);
    let run =
        sandbox.run(&["new", "--name", "feedstore", "--lines", "settings.env", "--out", "deep/fracht.toml"]);
    assert_eq!(
        run.out,
        "Created deep/fracht.toml\n  service.feedstore\n  config.feedstore: 5 settings\n  secret.feedstore: \
         DB_PASSWORD, DATABASE_URL, FEED (look like secrets: read from the environment,\n    values not written)\n"
    );
    let text = sandbox.read("deep/fracht.toml");
    assert!(!text.contains("gull") && !run.shown().contains("gull"), "{text}");
    for line in [
        "key.LOG_LEVEL = \"info\"\n",
        "key.\"feed.poll-every\" = \"5s\"\n",
        "key.GREETING = \"a {{b}} \\\"c\\\"\\nd\"\n",
        "key.TOKEN_TTL = \"60\"\n",
        "key.BUILD = \"2f58ff1fdfddb79f2f58ff1fdfddb79f\"\n",
        "key.FEED = { env = \"FEED\" }\n",
        "key.DB_PASSWORD = { env = \"DB_PASSWORD\" }\n",
        "key.DATABASE_URL = { env = \"DATABASE_URL\" }\n",
        "use = [{ from = \"config.feedstore\", spell = \"upper\" }, \"secret.feedstore\"]\n",
    ] {
        assert!(text.contains(line), "{line} in\n{text}");
    }
    let check = sandbox.run(&["check", "--stack", "deep"]);
    assert!(check.code == 0 && check.out.contains("no problems"), "{check:?}");
    assert!(sandbox.run(&["render", "--stack", "deep"]).out.contains("name: FEED_POLL_EVERY"));
}

#[test]
fn nothing_is_overwritten() {
    let sandbox = Sandbox::with("mine");
    let run = sandbox.run(&["new", "registry.example/a:1"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("already exists"), "{}", run.err);
    assert_eq!(sandbox.read("fracht.toml"), "mine");
}

#[test]
fn invalid_arguments_are_reported_and_nothing_is_written() {
    let cases: [(&[&str], &str); 12] = [
        (&[], "<IMAGE|FOLDER|--lines <FILE>>"),
        (&["No Image"], "invalid image `No Image`"),
        (&["a:1", "--name", "Feed Store"], "--name feed-store"),
        (&["a:1", "--port", "http"], "invalid port"),
        (&["a:1", "--port", "HTTP=80"], "invalid port"),
        (&["a:1", "--port", "80", "--port", "http=81"], "is set twice"),
        (&["./none"], "cannot open the folder `./none`"),
        (&["."], "no recipe in `.`"),
        (&[".", "--out", "none/fracht.toml"], "no recipe in `.`"),
        (&["--lines", "none.env"], "cannot read `none.env`"),
        (&["--lines", "broken.env"], "invalid line `broken.env:2`"),
        (&["--lines", "twice.env"], "`A` is set twice, again in `twice.env:2`"),
    ];
    for (arguments, part) in cases {
        let sandbox = Sandbox::empty().file("broken.env", "A=1\nnonsense\n").file("twice.env", "A=1\nA=2\n");
        let run = sandbox.run(&[&["new"], arguments].concat());
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?}");
        assert!(run.err.contains(part), "{arguments:?}: {}", run.err);
        assert_eq!(sandbox.names("."), ["broken.env", "twice.env"]);
    }
}

#[test]
fn a_data_store_gets_its_volume_its_variables_a_health_check_and_sizes() {
    for (image, parts) in [
        (
            "registry.example/base/postgresql:16.4",
            "port.sql = 5432|run = [\"pg_isready\", \"-q\"]|mount.\"/var/lib/postgresql/data\"|env.PGDATA|POSTGRES_USER = \"db\"|\
             key.POSTGRES_PASSWORD = { env = \"POSTGRES_PASSWORD\", make|size = \"10Gi\"|memory = ",
        ),
        ("mariadb:11.4.2", "port.sql = 3306|key.MARIADB_ROOT_PASSWORD|env.MARIADB_DATABASE = \"db\""),
        ("mysql:8.4.0", "mount.\"/var/lib/mysql\"|key.MYSQL_PASSWORD"),
        ("mongo:7.0.12", "port.store = 27017|env.MONGO_INITDB_ROOT_USERNAME"),
        ("redis:7.4.1", "port.cache = 6379|health = { tcp = \"cache\"|# mount.\"/data\" = \"volume.data\""),
        ("rabbitmq:3.13.7", "port.queue = 5672|key.RABBITMQ_DEFAULT_PASS"),
        ("memcached:1.6.31", "port.cache = 11211"),
        (
            "influxdb:2.7.10",
            "port.store = 8086|INIT_MODE = \"setup\"|INIT_BUCKET = \"db\"|key.DOCKER_INFLUXDB_INIT_PASSWORD",
        ),
        ("elasticsearch:8.15.1", "env.\"discovery.type\" = \"single-node\""),
        ("clickhouse/clickhouse-server:24.8.4", "mount.\"/var/lib/clickhouse\""),
        (
            "minio:2024.9",
            "mount.\"/data\"|port.store = 9000|args = [\"server\", \"/data\"]|key.MINIO_ROOT_PASSWORD",
        ),
        ("prometheus:2.54.1", "port.store = 9090"),
    ] {
        let sandbox = Sandbox::empty();
        let run = sandbox.run(&["new", image, "--name", "db"]);
        assert_eq!(run.code, 0, "{image}: {run:?}");
        let text = sandbox.read("fracht.toml");
        for part in parts.split('|') {
            assert!(text.contains(part), "{image}: {part} in\n{text}");
        }
        assert!(!text.contains("MYSQL") || image.starts_with("mysql"), "{text}");
        let check = sandbox.run(&["check", "--deny", "hints"]);
        assert_eq!(check.code, 0, "{image}: {check:?}\n{text}");
        // What is said in comments works as well.
        let kept = text.replace("# mount", "mount").replace("# [volume", "[volume").replace("# size", "size");
        let check = sandbox.file("fracht.toml", &kept).run(&["check", "--deny", "hints"]);
        assert_eq!(check.code, 0, "{image}: {check:?}\n{kept}");
    }
}

#[test]
fn a_folder_with_a_recipe_becomes_a_build() {
    let sandbox = Sandbox::empty().file("tide_clock/Dockerfile", "FROM scratch\nEXPOSE 8080\n");
    let run = sandbox.run(&["new", "tide_clock"]);
    assert_eq!(run.code, 0, "{run:?}");
    let text = sandbox.read("fracht.toml");
    for part in [
        "[build.tide-clock]\nsource = \"./tide_clock\"\nrecipe = \"Dockerfile\"",
        "build = \"tide-clock\"",
        "port.http = 8080",
    ] {
        assert!(text.contains(part), "{part} in\n{text}");
    }
    let check = sandbox.run(&["check", "--deny", "hints"]);
    assert_eq!(check.code, 0, "{check:?}\n{text}");
    let images = sandbox.run(&["images", "-t", "prod"]).out;
    assert!(images.contains("registry.example/team/tide-clock:content-"), "{images}");
    // Beside the recipe, the stack file is not part of what is built.
    let beside = Sandbox::empty().file("clock/Containerfile", "FROM scratch\n");
    let run = beside.run(&["new", "clock", "--out", "clock/fracht.toml"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert_eq!(beside.read("clock/.frachtignore"), "fracht.toml\n");
    assert_eq!(beside.run(&["check", "--stack", "clock"]).code, 0);
    let outside = beside.run(&["new", "clock", "--out", "clock/deep/fracht.toml"]);
    assert_eq!(outside.code, 2, "{outside:?}");
}

#[test]
fn a_stack_can_be_written_to_standard_output() {
    let sandbox = Sandbox::empty();
    let run = sandbox.run(&["new", "registry.example/harbour/clock:1.0", "--port", "8080", "--out", "-"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    assert!(sandbox.names(".").is_empty());
    let piped = Sandbox::with(&run.out);
    assert_eq!(piped.run(&["check", "--deny", "hints"]).code, 0, "{}", run.out);
}
