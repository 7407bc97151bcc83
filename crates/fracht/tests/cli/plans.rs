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
