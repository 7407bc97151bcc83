//! `--beside`: two stacks in one place.

use insta::assert_snapshot;

use crate::sandbox::Sandbox;

const DESK: &str = r#"[stack]
name = "desk"
[service.web]
image = "registry.example/desk/web:1.0"
port.http = { number = 80, reach = "web" }
port.admin = { number = 9000, reach = "node", at = 30100 }
env.STORE = "{outside.store/wire}"
env.FEED = "{outside.feed/in}"
[service.cache]
image = "registry.example/base/cache:7.4"
port.cache = 6379
[outside.store]
service = "store"
port.wire = 7400
[network.inner]
[outside.feed]
host = "feed.example"
port.in = 443
[target.laptop]
on = "machine"
outside.store.host = "store.example"
drop = ["outside.store.service"]
service.web.port.admin.at = 8100
[target.prod]
namespace = "harbour"
domain = "harbour.example"
"#;

const DEPOT: &str = r#"[stack]
name = "desk-batch"
[service.store]
image = "registry.example/depot/store:2.0"
port.wire = 7401
port.http = { number = 80, reach = "web", path = "/" }
network = ["back"]
[service.jobs]
image = "registry.example/depot/jobs:2.0"
env.FEED = "{outside.feed/in}"
port.admin = { number = 9000, reach = "node", at = 30100 }
[service.cache]
image = "registry.example/base/cache:7.2"
port.cache = 6379
[network.back]
[outside.feed]
host = "other.example"
port.in = 443
[target.laptop]
on = "machine"
service.jobs.port.admin.at = 8100
[target.prod]
namespace = "harbour"
domain = "harbour.example"
"#;

fn both() -> Sandbox {
    Sandbox::empty().file("desk/fracht.toml", DESK).file("depot/fracht.toml", DEPOT)
}

/// Node ports, host and path, services, other objects, the namespace, ports that do not exist, and who is not let in.
#[test]
fn every_kind_of_clash_in_a_cluster_is_told_at_both_places() {
    let run = both().run(&["check", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
    assert_eq!(run.code, 1);
    assert_snapshot!(run.shown());
}

#[test]
fn a_number_on_one_machine_is_told_and_settled() {
    let sandbox = both();
    let run = sandbox.run(&["ports", "--stack", "desk", "-t", "laptop", "--beside", "depot"]);
    assert_eq!(run.code, 1);
    assert_snapshot!(run.shown());
    let arguments = ["ports", "--stack", "desk", "-t", "laptop", "--beside", "depot", "--assign"];
    let run = sandbox.run(&arguments);
    assert_eq!(run.code, 0, "{run:?}");
    let lines = "web.admin = { at = 8101, instead-of = 8100 }\nweb.http = 8081\n";
    assert!(sandbox.read("desk/fracht.lock").ends_with(lines));
    assert_eq!(sandbox.run(&["check", "--stack", "desk", "-t", "laptop", "--beside", "depot"]).code, 0);
    // Seen from the other side, the choice holds as well.
    let run = sandbox.run(&["ports", "--stack", "depot", "-t", "laptop", "--beside", "desk"]);
    assert!(run.code == 0 && run.out.contains("localhost:8101"), "{run:?}");
}

#[test]
fn order_and_reach_tell_what_stacks_need_of_each_other() {
    let admits = DEPOT
        .replace("[network.back]", "[network.back]\nadmits = [{ stack = \"desk\", service = \"web\" }]")
        .replace("7401", "7400")
        .replace("30100", "30101")
        .replace("service.cache", "service.fast")
        .replace("outside.feed", "outside.other")
        .replace("path = \"/\"", "path = \"/store\"")
        .replace("name = \"desk-batch\"", "name = \"depot\"")
        .replace("[target.prod]", "[target.prod]\nnamespace-present = true");
    let sandbox = Sandbox::empty().file("desk/fracht.toml", DESK).file("depot/fracht.toml", admits);
    let order = sandbox.run(&["order", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
    assert_eq!(order.code, 0, "{order:?}");
    let shown = &order.out[order.out.find("Beside it").unwrap()..];
    assert_snapshot!("order_beside", shown);
    let reach = sandbox.run(&["reach", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
    let shown = &reach.out[reach.out.find("Between").unwrap()..];
    assert_snapshot!("reach_beside", shown);
    let answer = sandbox.json(&["reach", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
    let store = answer["beside"].as_array().unwrap().iter().find(|way| way["service"] == "store").unwrap();
    assert_eq!(
        (&store["admits"], &store["used_by"]),
        (&serde_json::json!(["web"]), &serde_json::json!(["web"]))
    );
    let answer = sandbox.json(&["order", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
    assert_eq!(answer["beside"][0]["stack"], "depot");
}

/// A port that is open needs no network that admits its user, whatever the other ports are.
#[test]
fn an_open_port_admits_everyone() {
    let shop = DEPOT.replace(
        "port.wire = 7401",
        "port.wire = { number = 7400, reach = \"balancer\" }\nport.inner = 7500",
    );
    let shop = shop.replace("port.http = { number = 80, reach = \"web\", path = \"/\" }\n", "");
    for (number, is_refused) in [(7400, false), (7500, true)] {
        let desk = DESK.replace("port.wire = 7400", &format!("port.wire = {number}"));
        let sandbox = Sandbox::empty().file("desk/fracht.toml", desk).file("depot/fracht.toml", &shop);
        let run = sandbox.run(&["check", "--stack", "desk", "-t", "prod", "--beside", "depot"]);
        assert_eq!(run.out.contains("error[no-route]"), is_refused, "{number} {}", run.out);
    }
}

#[test]
fn targets_are_matched_by_name_and_kind() {
    let sandbox = both();
    let run = sandbox.run(&["check", "--stack", "desk", "--beside", "depot"]);
    // Both targets are compared, each with the one of its name.
    assert!(run.out.contains("port 8100") && run.out.contains("port 30100"), "{}", run.out);
    for (arguments, message) in [
        (&["--beside", "desk"][..], "`--beside desk` is the stack itself"),
        (&["--beside", "nowhere"], "`nowhere` not found"),
        (&["--beside", "depot=prd"], "target `prd` not found in `depot`"),
        (
            &["--beside", "depot=prod"],
            "target `prod` of `depot` is on a cluster, `laptop` of this stack on a machine",
        ),
    ] {
        let run = sandbox.run(&[&["ports", "--stack", "desk", "-t", "laptop"], arguments].concat());
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?}");
        assert!(run.err.contains(message), "{arguments:?} {}", run.err);
    }
    // A stack with errors is compared as far as it can be read.
    let sandbox = sandbox
        .file("depot/fracht.toml", DEPOT.replace("image = \"registry.example/depot/jobs", "nonsense = \""));
    let run = sandbox.run(&["ports", "--stack", "desk", "-t", "laptop", "--beside", "depot"]);
    assert!(
        run.err.contains("what can be read of it is compared") && run.err.contains("port 8100"),
        "{}",
        run.err
    );
}

#[test]
fn two_stacks_of_one_name_are_told_once() {
    let same = DEPOT.replace("name = \"desk-batch\"", "name = \"desk\"");
    let sandbox = Sandbox::empty().file("desk/fracht.toml", DESK).file("depot/fracht.toml", same);
    for (target, place) in [("laptop", "on one machine"), ("prod", "in namespace `harbour`")] {
        let run = sandbox.run(&["check", "--stack", "desk", "-t", target, "--beside", "depot"]);
        assert_eq!(run.out.matches("error[name-clash]").count(), 1, "{}", run.out);
        assert!(run.out.contains(&format!("two stacks {place} have the same name: `desk`")), "{}", run.out);
    }
}
