//! `fracht.lock`: numbers that are chosen once.

use std::process::Stdio;

use indoc::indoc;

use crate::sandbox::Sandbox;

const STACK: &str = indoc! {r#"
    [stack]
    name = "s"
    [service.app]
    image = "a:1.0"
    port.web = { number = 80, reach = "node", at = "auto" }
    [service.bell]
    image = "a:1.0"
    replicas = 2
    port.web = { number = 80, reach = "node", at = "auto" }
    port.dns = { number = 53, reach = "node", at = "auto", protocol = "udp" }
    [target.laptop]
    on = "machine"
    [target.prod]
    service.bell.replicas = 1
    "#};

/// The numbers of a target, as `service/port number,number`.
fn numbers(sandbox: &Sandbox, target: &str) -> Vec<String> {
    let answer = sandbox.json(&["ports", "-t", target]);
    let ports = answer["ports"].as_array().unwrap().iter();
    ports
        .map(|port| {
            let at: Vec<String> = port["at"].as_array().unwrap().iter().map(ToString::to_string).collect();
            format!(
                "{}/{} {}",
                port["service"].as_str().unwrap(),
                port["port"].as_str().unwrap(),
                at.join(",")
            )
        })
        .collect()
}

fn assign(sandbox: &Sandbox, target: &str) -> String {
    let run = sandbox.run(&["ports", "--assign", "-t", target]);
    assert_eq!(run.code, 0, "{run:?}");
    sandbox.read("fracht.lock")
}

#[test]
fn numbers_stay_when_services_are_added_removed_and_renamed() {
    let sandbox = Sandbox::with(STACK);
    let lock = assign(&sandbox, "laptop");
    assert!(lock.ends_with(indoc! {"
        [port.laptop]
        app.web = 8080
        bell.dns = [8053, 8054]
        bell.web = [8081, 8082]
        "}));
    // Without the lock, a service before the others would take the first number.
    let first = "[service.aa]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"node\" }\n";
    let added = STACK.replace("[service.app]", &format!("{first}[service.app]"));
    let sandbox = sandbox.file("fracht.toml", &added);
    let before = ["app/web 8080", "bell/web 8081,8082", "bell/dns 8053,8054"];
    assert_eq!(numbers(&sandbox, "laptop"), [&["aa/web 8083"][..], &before].concat());
    assign(&sandbox, "laptop");
    assert_eq!(numbers(&sandbox, "laptop"), [&["aa/web 8083"][..], &before].concat());
    // Renamed: its number is free, and the new name takes it. The other numbers stay.
    let renamed = added.replace("service.app", "service.application");
    let sandbox = sandbox.file("fracht.toml", renamed);
    let run = sandbox.run(&["check"]);
    assert_eq!(run.code, 0, "{run:?}");
    let told = "the lock keeps a number for `service.app/web`, which does not exist";
    assert!(run.out.contains("warning[lock-differs]") && run.out.contains(told), "{}", run.out);
    assert!(run.out.contains("fracht.lock:6"), "{}", run.out);
    assign(&sandbox, "laptop");
    assert_eq!(numbers(&sandbox, "laptop"), ["aa/web 8083", "application/web 8080", before[1], before[2]]);
    // Removed and scaled: the rest stays.
    let removed = added.replace(first, "").replace("replicas = 2", "replicas = 3");
    let sandbox = sandbox.file("fracht.toml", removed);
    let lock = assign(&sandbox, "laptop");
    assert_eq!(
        numbers(&sandbox, "laptop"),
        ["app/web 8080", "bell/web 8081,8082,8083", "bell/dns 8053,8054,8055"]
    );
    assert_eq!(lock, assign(&sandbox, "laptop"));
    assert_eq!(sandbox.run(&["check", "--deny", "warnings"]).code, 0);
}

#[test]
fn numbers_on_nodes_are_kept_and_rendered() {
    let sandbox = Sandbox::with(STACK);
    assert!(!sandbox.run(&["render", "-t", "prod"]).out.contains("nodePort"));
    assign(&sandbox, "laptop");
    let lock = assign(&sandbox, "prod");
    // Each target has a table of its own.
    assert!(lock.contains("[port.laptop]") && lock.contains("[port.prod]"), "{lock}");
    let kept = numbers(&sandbox, "prod");
    let objects = sandbox.run(&["render", "-t", "prod"]).out;
    for line in &kept {
        let number: u16 = line.rsplit(' ').next().unwrap().parse().unwrap();
        // The numbers that clusters do not choose themselves while others are free.
        assert!((30000..30086).contains(&number), "{line}");
        assert!(objects.contains(&format!("nodePort: {number}")), "{objects}");
    }
    let all: std::collections::BTreeSet<&str> =
        kept.iter().map(|line| line.rsplit(' ').next().unwrap()).collect();
    assert_eq!(all.len(), 3, "a cluster counts node ports of both protocols together: {kept:?}");
    assert!(!sandbox.run(&["ports", "-t", "prod"]).out.contains("PICKED-PORT"));
}

#[test]
fn clashes_of_the_stack_are_settled() {
    let stack = STACK.replace("at = \"auto\"", "at = 9000").replace("replicas = 2", "replicas = 1");
    let sandbox = Sandbox::with(&stack.replace("[target.prod]\nservice.bell.replicas = 1\n", ""));
    assert_eq!(sandbox.run(&["check"]).code, 1);
    let lock = assign(&sandbox, "laptop");
    // The protocols are two ports; the first of two services keeps what it sets.
    assert!(lock.ends_with("[port.laptop]\nbell.web = { at = 9001, instead-of = 9000 }\n"), "{lock}");
    assert_eq!(sandbox.run(&["check", "--deny", "hints"]).out.matches("port-clash").count(), 0);
    // If the stack sets another number, the choice is out of date, which is told at both places.
    let changed = sandbox.read("fracht.toml").replace(
        "replicas = 1\nport.web = { number = 80, reach = \"node\", at = 9000 }",
        "replicas = 1\nport.web = { number = 80, reach = \"node\", at = 9500 }",
    );
    let sandbox = sandbox.file("fracht.toml", changed);
    let run = sandbox.run(&["check"]);
    assert!(run.out.contains("fracht.lock:5") && run.out.contains("at = 9500"), "{}", run.out);
    assert!(run.out.contains("but the stack sets another number"), "{}", run.out);
    assert_eq!(numbers(&sandbox, "laptop")[1], "bell/web 9500");
    assert!(!assign(&sandbox, "laptop").contains("bell"));
}

/// Runs at the same time keep the choices of all.
#[test]
fn several_runs_at_once_lose_nothing() {
    let targets: Vec<String> = (0..6).map(|index| format!("t{index}")).collect();
    let tables: Vec<String> =
        targets.iter().map(|name| format!("[target.{name}]\non = \"machine\"\n")).collect();
    let sandbox = Sandbox::with(&STACK.replace("[target.laptop]\non = \"machine\"\n", &tables.concat()));
    for _ in 0..5 {
        let _ = std::fs::remove_file(sandbox.path("fracht.lock"));
        let runs = targets.iter().map(|target| {
            sandbox.command(&["ports", "--assign", "-q", "-t", target]).stdout(Stdio::null()).spawn().unwrap()
        });
        let runs: Vec<_> = runs.collect();
        for mut run in runs {
            assert!(run.wait().unwrap().success());
        }
        let lock = sandbox.read("fracht.lock");
        assert!(targets.iter().all(|target| lock.contains(&format!("[port.{target}]"))), "{lock}");
    }
}

#[test]
fn a_broken_lock_is_told_and_never_overwritten() {
    let sandbox = Sandbox::with(STACK);
    for broken in [
        "[port.laptop]\napp.web = \n",
        "<<<<<<< ours\n[port.laptop]\n",
        "[port.laptop]\napp.web = 0\n",
        "\u{0}",
    ] {
        let sandbox = Sandbox::with(STACK).file("fracht.lock", broken);
        for arguments in [&["check"][..], &["ports", "-t", "laptop", "--assign"]] {
            let run = sandbox.run(arguments);
            assert_eq!(run.code, 1, "{broken:?} {run:?}");
            assert!((run.out + &run.err).contains("fracht.lock:"), "{broken:?}");
        }
        assert_eq!(sandbox.read("fracht.lock"), broken);
        assert_eq!(sandbox.run(&["render", "-t", "prod"]).code, 1);
    }
    // A folder, or bytes that are not text, have no line.
    let run = sandbox.file("fracht.lock", [0xff, 0xfe]).run(&["check"]);
    assert!(run.code == 1 && run.out.contains("cannot read `fracht.lock`: it is not UTF-8 text"), "{run:?}");
}

#[test]
fn nothing_is_chosen_in_a_stack_with_errors() {
    let sandbox = Sandbox::with(&STACK.replace("image = \"a:1.0\"", "image = \"a:1.0\"\nnonsense = 1"));
    let run = sandbox.run(&["ports", "--assign", "-t", "laptop"]);
    assert_eq!(run.code, 1);
    assert!(run.err.contains("no number was chosen or kept, since the stack has errors"), "{}", run.err);
    assert!(!sandbox.path("fracht.lock").exists());
    // Nothing to keep, so no file.
    let sandbox = Sandbox::with("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n");
    let run = sandbox.run(&["ports", "--assign"]);
    assert!(run.code == 0 && run.err.contains("there is nothing to keep"), "{run:?}");
    assert!(!sandbox.path("fracht.lock").exists());
}
