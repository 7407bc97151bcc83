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
    let run = sandbox.run(&["new", "--image", image, "--port", "8080", "--port", "metrics=9102"]);
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
    let run = sandbox.run(&["new", "--image", "registry.example/a:1"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("already exists"), "{}", run.err);
    assert_eq!(sandbox.read("fracht.toml"), "mine");
}

#[test]
fn invalid_arguments_are_reported_and_nothing_is_written() {
    let cases: [(&[&str], &str); 9] = [
        (&[], "--image"),
        (&["--image", "No Image"], "invalid image `No Image`"),
        (&["--image", "a:1", "--name", "Feed Store"], "--name feed-store"),
        (&["--image", "a:1", "--port", "http"], "invalid port"),
        (&["--image", "a:1", "--port", "HTTP=80"], "invalid port"),
        (&["--image", "a:1", "--port", "80", "--port", "http=81"], "is set twice"),
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
