use indoc::indoc;
use insta::assert_snapshot;

use crate::sandbox::Sandbox;

const RING: &str = indoc! {r#"
    [stack]
    name = "s"
    [service.a]
    image = "a:1.0"
    after = { bee = "started" }
    [service.bee]
    image = "b:1.0"
    after = { a = "started" }
    [service.c]
    image = "c:1.0"
    after = { a = "started" }
    [service.d]
    image = "d:1.0"
    "#};

#[test]
fn the_order_of_the_demo() {
    assert_snapshot!(Sandbox::demo().run(&["order", "-t", "prod"]).shown());
}

#[test]
fn the_order_of_the_demo_as_json() {
    assert_snapshot!(Sandbox::demo().run(&["order", "-t", "prod", "--format", "json"]).out);
}

#[test]
fn an_order_with_a_cycle_shows_it_and_its_dependents() {
    assert_snapshot!(Sandbox::with(RING).run(&["order"]).shown());
    let answer = Sandbox::with(RING).json(&["order"]);
    assert_eq!(answer["stuck"], serde_json::json!(["a", "bee", "c"]));
    assert_eq!(answer["circles"][0].as_array().unwrap().len(), 2);
}

/// What it takes to have one service serve, and what waits for one.
#[test]
fn a_part_of_an_order() {
    let sandbox = Sandbox::demo();
    assert_snapshot!("order_only", sandbox.run(&["order", "-t", "prod", "--only", "worker"]).shown());
    assert_snapshot!("order_behind", sandbox.run(&["order", "-t", "prod", "--behind", "db"]).shown());
    let names = |arguments: &[&str]| -> Vec<String> {
        let answer = sandbox.json(&[&["order", "-t", "prod"], arguments].concat());
        let waves = answer["waves"].as_array().unwrap().iter().flat_map(|wave| wave.as_array().unwrap());
        waves.map(|one| one["name"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(names(&["--only", "gateway"]), ["db", "cache", "schema", "api", "gateway"]);
    assert_eq!(names(&["--behind", "task.schema"]), ["schema", "api", "worker", "gateway"]);
    assert_eq!(names(&["--only", "refit"]), ["db"]);
    assert!(
        sandbox
            .run(&["order", "-t", "prod", "--behind", "gateway"])
            .out
            .contains("nothing waits for gateway")
    );
    let run = sandbox.run(&["order", "-t", "prod", "--only", "gatway"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("did you mean `gateway`?"), "{}", run.err);
    assert_eq!(sandbox.run(&["order", "-t", "prod", "--only", "a", "--behind", "b"]).code, 2);
    // A part of a circle shows the circle.
    let run = Sandbox::with(RING).run(&["order", "--only", "c"]);
    assert!(run.code == 1 && run.out.contains("Cycle: none of these can start"), "{run:?}");
}

/// Bars fit whatever the names and times are, and what follows an unknown time says so.
#[test]
fn a_timeline_fits_and_knows_what_it_does_not_know() {
    let chain = |count: usize, name: &str| {
        let service = |index: usize| {
            let health = match index % 3 {
                0 => format!("health = {{ tcp = \"p\", boot = \"{}s\" }}\n", 1 + index * 700),
                _ => "health = { tcp = \"p\" }\n".to_owned(),
            };
            let after = index.checked_sub(1).map_or_else(String::new, |before| {
                format!("after.{name}-{before} = \"{}\"\n", if index % 4 == 3 { "started" } else { "ready" })
            });
            format!("[service.{name}-{index}]\nimage = \"a:1.0\"\nport.p = 80\n{health}{after}")
        };
        format!("[stack]\nname = \"s\"\n{}", (0..count).map(service).collect::<String>())
    };
    for (count, name) in [(2, "a"), (12, "a-rather-long-name-of-a-service-that-is-cut"), (30, "b")] {
        let run = Sandbox::with(&chain(count, name)).run(&["order"]);
        let (_, timeline) = run.out.split_once("  0s").unwrap();
        assert!(timeline.lines().all(|line| line.chars().count() <= 100), "{}", run.out);
        assert!(timeline.matches(['━', '─', '?']).count() >= count, "{}", run.out);
    }
    let task = "[task.t]\nimage = \"t:1.0\"\n[service.a]\nimage = \"a:1.0\"\nport.p = 80\n\
                health = { tcp = \"p\", boot = \"20s\" }\nafter.t = \"done\"\n\
                [service.b]\nimage = \"b:1.0\"\nafter.t = \"started\"\n";
    let sandbox = Sandbox::with(&format!("[stack]\nname = \"s\"\n{task}"));
    assert_snapshot!("order_unknown", sandbox.run(&["order"]).shown());
    let answer = sandbox.json(&["order"]);
    let second = &answer["waves"][1];
    assert_eq!((&second[0]["after_unknown"], &second[1]["after_unknown"]), (&true.into(), &false.into()));
    let run = Sandbox::with(&chain(31, "c")).run(&["order"]);
    assert!(
        run.out.contains("The timeline of 31 waves does not fit; `--only NAME` shows a part of it."),
        "{}",
        run.out
    );
}

#[test]
fn the_ports_of_the_demo_on_a_machine_and_in_a_cluster() {
    let sandbox = Sandbox::demo();
    assert_snapshot!("ports_laptop", sandbox.run(&["ports", "-t", "laptop"]).shown());
    assert_snapshot!("ports_prod", sandbox.run(&["ports", "-t", "prod"]).shown());
}

#[test]
fn clashes_have_both_owners_and_a_free_number() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [target.laptop]
        on = "machine"
        [service.a]
        image = "a:1.0"
        port.web = { number = 80, reach = "node", at = 8000 }
        [service.b]
        image = "b:1.0"
        port.web = { number = 80, reach = "node", at = 8000 }
        [service.c]
        image = "c:1.0"
        replicas = 3
        port.web = { number = 80, reach = "node", at = "8000.." }
        "#};
    let sandbox = Sandbox::with(stack);
    assert_snapshot!(sandbox.run(&["ports"]).shown());
    let answer = sandbox.json(&["ports"]);
    assert_eq!(
        answer["clashes"],
        serde_json::json!([{
            "number": 8000, "protocol": "tcp", "place": "on the machine",
            "first": "service.a/web", "second": "service.b/web", "free": 8004,
        }])
    );
    assert_eq!(answer["ports"][2]["at"], serde_json::json!([8001, 8002, 8003]));
}

#[test]
fn a_stack_without_ports_says_so() {
    let run = Sandbox::with("[stack]\nname = \"s\"\n[task.a]\nimage = \"a:1.0\"\n").run(&["ports"]);
    assert!(run.out.contains("No service has a port."), "{}", run.out);
    assert_eq!(run.code, 0);
}

#[test]
fn a_stack_with_several_targets_requires_a_target() {
    let sandbox = Sandbox::demo();
    for command in ["order", "ports", "render"] {
        let run = sandbox.run(&[command]);
        assert_eq!(run.code, 2);
        assert!(run.err.contains("choose one with `-t NAME`: laptop, staging, prod"), "{}", run.err);
        let run = sandbox.run(&[command, "-t", "pord"]);
        assert_eq!((run.code, run.out.as_str()), (2, ""));
        assert!(
            run.err.contains("did you mean `prod`?") && run.err.contains("laptop, staging, prod"),
            "{}",
            run.err
        );
    }
}

#[test]
fn results_are_plain_when_piped_and_colored_on_request() {
    let sandbox = Sandbox::demo();
    let plain = sandbox.run(&["order", "-t", "prod"]);
    assert!(!plain.shown().contains('\u{1b}'));
    let colored = sandbox.run(&["order", "-t", "prod", "--color", "always"]);
    assert!(colored.out.contains('\u{1b}'));
    let without = sandbox.command(&["order", "-t", "prod"]).env("NO_COLOR", "1").output().unwrap();
    assert_eq!(String::from_utf8(without.stdout).unwrap(), plain.out);
}
