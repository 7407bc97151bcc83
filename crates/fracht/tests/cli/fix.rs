//! `check --fix`, and what else changes how a check ends.

use std::os::unix::fs::PermissionsExt as _;

use indoc::indoc;
use insta::assert_snapshot;

use crate::sandbox::Sandbox;

/// Mistakes with certain fixes, one with an uncertain one, and one without.
const STACK: &str = indoc! {r#"
    # A stack with mistakes.
    [stack]
    name = "harbour"

    [service.db]
    image    = "db:1.0"      # the database
    port.sql = "5432"
    replica  = 1

    [service.api]
    image = "a:1.0"
    args  = "serve"
    POOL  = "5"
    env.DB   = "sql://localhost:5432/tides"   # where it is
    env.NAME = "input.region"
    env.HOST = "{ service.db/sql }"
    env.DB_PASSWORD = "{secret.db/pasword}"
    program = "npm run dev"
    memory  = "1Gi..64Mi"
    user    = "nobody"

    [input.region]
    default = "north"

    [secret.db]
    key.password = { env = "PW" }
    "#};

#[test]
fn certain_fixes_are_made_and_comments_stay() {
    let sandbox = Sandbox::with(STACK);
    let dry = sandbox.run(&["check", "--fix", "--dry"]);
    assert_eq!((dry.code, sandbox.read("fracht.toml")), (1, STACK.to_owned()), "nothing is written");
    assert_snapshot!(dry.shown());
    std::fs::set_permissions(sandbox.path("fracht.toml"), std::fs::Permissions::from_mode(0o640)).unwrap();
    let run = sandbox.run(&["check", "--fix"]);
    assert_eq!(run.code, 1, "what is left has errors");
    let mode = std::fs::metadata(sandbox.path("fracht.toml")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o640);
    assert_eq!(sandbox.names("."), ["fracht.toml"]);
    let text = sandbox.read("fracht.toml");
    assert_snapshot!("the_stack_after_its_fixes", text);
    let again = sandbox.run(&["check", "--fix"]);
    assert!(again.out.starts_with("nothing to fix with certainty\n"), "{}", again.out);
    assert_eq!(sandbox.read("fracht.toml"), text);
}

#[test]
fn fixes_reach_included_files_and_keep_a_mark() {
    let more = "\u{feff}[service.b]\nimage = \"b:1.0\"\r\nreplica = 2\r\n";
    let sandbox =
        Sandbox::with("include = [\"more/*.toml\"]\n[stack]\nname = \"s\"\n").file("more/b.toml", more);
    assert_eq!(sandbox.run(&["check", "--fix"]).code, 0);
    assert_eq!(sandbox.read("more/b.toml"), more.replace("replica ", "replicas "));
}

/// A fix that leads to as many problems is not made.
#[test]
fn a_stack_never_gets_worse() {
    let stack = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 1\nreplica = 2\n";
    let sandbox = Sandbox::with(stack);
    let run = sandbox.run(&["check", "--fix"]);
    assert_eq!((run.code, sandbox.read("fracht.toml")), (1, stack.to_owned()), "{}", run.out);
}

#[test]
fn warnings_and_hints_fail_a_check_if_they_are_denied() {
    let of = |lines: &str| {
        Sandbox::with(&format!("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n{lines}"))
    };
    let good = of("");
    let hint = of("[volume.v]\nsize = \"1Gi\"\n");
    let warning = of("env.X = \"changeme\"\n");
    for (sandbox, codes) in [(good, [0, 0, 0]), (hint, [0, 0, 1]), (warning, [0, 1, 1])] {
        for (arguments, code) in
            [&["check"][..], &["check", "--deny", "warnings"], &["check", "--deny", "hints"]]
                .iter()
                .zip(codes)
        {
            let run = sandbox.run(arguments);
            assert_eq!(run.code, code, "{arguments:?}: {}", run.out);
        }
    }
}

#[test]
fn a_hundred_problems_are_shown_or_all() {
    let services: Vec<String> = (0..150).map(|at| format!("[service.s{at}]\nimage = \"a\"\n")).collect();
    let services = services.concat();
    let sandbox = Sandbox::with(&format!("[stack]\nname = \"s\"\n{services}"));
    let shown = |arguments: &[&str]| sandbox.run(arguments).out.matches("warning[image-unpinned]").count();
    assert_eq!((shown(&["check"]), shown(&["check", "--all"])), (100, 150));
    assert!(
        sandbox.run(&["check"]).out.contains("… and 50 more: fix these first, or show them with `--all`\n")
    );
}
