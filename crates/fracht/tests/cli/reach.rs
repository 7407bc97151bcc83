use insta::assert_snapshot;
use serde_json::json;

use crate::sandbox::Sandbox;

#[test]
fn who_can_get_to_what_in_the_demo() {
    let sandbox = Sandbox::demo();
    assert_snapshot!(sandbox.run(&["reach", "-t", "prod"]).shown());
    assert_snapshot!("reach_laptop", sandbox.run(&["reach", "-t", "laptop"]).shown());
}

const LOGIN: &str = r#"
[stack]
name = "s"
[service.admin]
image = "a:1"
port.http = { number = 80, reach = "balancer" }
port.udp = { number = 53, reach = "node", protocol = "udp", at = 30053 }
env.ADMIN_USER = "keeper"
env.ADMIN_PASSWORD = "{secret.admin/password}"
[service.deaf]
image = "d:1"
[secret.admin]
key.password = { env = "ADMIN_PASSWORD" }
[target.cluster]
[target.machine]
on = "machine"
"#;

#[test]
fn a_login_is_told_by_where_it_is_kept_and_never_by_its_value() {
    let sandbox = Sandbox::with(LOGIN);
    let mut command = sandbox.command(&["reach", "-t", "cluster", "--format", "json"]);
    let run = crate::sandbox::Run::of(&command.env("ADMIN_PASSWORD", "gull-and-kelp").output().unwrap());
    assert!(!run.shown().contains("gull-and-kelp"));
    let answer: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    let way = &answer["ways_in"][0];
    assert_eq!(way["addresses"], json!(["OWN-ADDRESS:80"]));
    assert_eq!(way["learn"], "kubectl get service s-admin-balancer -n s");
    assert_eq!(way["logins"][0]["user"], json!({ "variable": "ADMIN_USER", "name": "keeper" }));
    let secret = &way["logins"][1]["secret"];
    assert_eq!(secret["reference"], "secret.admin/password");
    assert_eq!(secret["read"], "kubectl get secret s-admin -n s -o jsonpath='{.data.password}' | base64 -d");
    let machine = sandbox.json(&["reach", "-t", "machine"]);
    assert_eq!(machine["ways_in"][0]["logins"][1]["secret"]["read"], "the variable ADMIN_PASSWORD");
    assert_eq!(machine["inside"][1]["talks"][0]["may"], "all", "what names no network shares the common one");
}

#[test]
fn a_stack_without_ports_has_nobody_to_talk_to() {
    let run = Sandbox::with("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n").run(&["reach"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert!(run.out.contains("nothing is open to the outside") && run.out.contains("nobody to talk to"));
}

#[test]
fn a_large_stack_is_listed() {
    let services =
        (0..40).map(|n| format!("[service.s{n}]\nimage = \"a:1\"\nport.x = 80\n")).collect::<Vec<_>>();
    let run = Sandbox::with(&format!("[stack]\nname = \"s\"\n{}", services.concat())).run(&["reach"]);
    assert!(run.out.contains("service.s7 talks to nobody; it can talk to 39 of 40\n"), "{}", run.out);
}
