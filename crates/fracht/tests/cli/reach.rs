use indoc::indoc;
use insta::assert_snapshot;
use serde_json::json;

use crate::sandbox::Sandbox;

#[test]
fn connections_of_the_demo() {
    let sandbox = Sandbox::demo();
    assert_snapshot!(sandbox.run(&["reach", "-t", "prod"]).shown());
    assert_snapshot!("reach_laptop", sandbox.run(&["reach", "-t", "laptop"]).shown());
}

const LOGIN: &str = r#"
[stack]
name = "s"
[service.admin]
image = "a:1.0"
port.http = { number = 80, reach = "balancer" }
port.udp = { number = 53, reach = "node", protocol = "udp", at = 30053 }
env.ADMIN_USER = "keeper"
env.ADMIN_PASSWORD = "{secret.admin/password}"
[service.deaf]
image = "d:1.0"
[secret.admin]
key.password = { env = "ADMIN_PASSWORD" }
[target.cluster]
[target.machine]
on = "machine"
"#;

#[test]
fn a_login_is_shown_by_its_location_and_never_by_its_value() {
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
fn a_stack_without_ports_has_no_connections() {
    let run = Sandbox::with("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n").run(&["reach"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert!(run.out.contains("nothing is open to the outside") && run.out.contains("nothing can be reached"));
}

#[test]
fn a_large_stack_is_listed() {
    let services =
        (0..40).map(|n| format!("[service.s{n}]\nimage = \"a:1.0\"\nport.x = 80\n")).collect::<Vec<_>>();
    let run = Sandbox::with(&format!("[stack]\nname = \"s\"\n{}", services.concat())).run(&["reach"]);
    assert!(run.out.contains("service.s7 uses no service; it can reach 39 of 40 services\n"), "{}", run.out);
}

#[test]
fn json_of_a_very_large_stack_lists_only_used_pairs() {
    let stack = |count: usize| {
        let services = (0..count)
            .map(|n| format!("[service.s{n}]\nimage = \"a:1.0\"\nport.x = 80\n"))
            .collect::<Vec<_>>();
        let more = "env.A = \"{service.s3/x}\"\n[task.t]\nimage = \"t:1.0\"\n";
        Sandbox::with(&format!("[stack]\nname = \"s\"\n{}{more}", services.concat())).json(&["reach"])
    };
    let talks = |answer: &serde_json::Value, index: usize| {
        let caller = &answer["inside"][index];
        let talks: Vec<_> =
            caller["talks"].as_array().unwrap().iter().map(|talk| talk["to"].clone()).collect();
        (caller["can_talk_to"].clone(), talks)
    };
    let (usual, large) = (stack(20), stack(200));
    assert_eq!((&usual["talks_with"], &large["talks_with"]), (&json!("all"), &json!("used")));
    let (count, all) = talks(&usual, 0);
    assert_eq!((count, all.len()), (json!(19), 20));
    assert_eq!(talks(&large, 0), (json!(199), vec![]));
    assert_eq!(talks(&large, 199), (json!(199), vec![json!("s3")]));
    assert_eq!(talks(&large, 200), (json!(200), vec![]), "a task is no service that it could talk to");
}

/// `reach` shows the connections that the policies of closed networks still allow.
#[test]
fn connections_that_closed_networks_allow_are_shown() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [network.n]
        closed = true
        [network.m]
        [task.t]
        image = "t:1.0"
        network = ["n"]
        [service.a]
        image = "a:1.0"
        network = ["n"]
        after = { t = "done" }
        [service.b]
        image = "b:1.0"
        network = ["m"]
        port.web = { number = 443, reach = "balancer" }
        port.other = { number = 80, reach = "node" }
        port.dns = { number = 53, protocol = "udp", reach = "node", at = 30053 }
        [target.any]
        [target.known]
        api = ["192.0.2.10/32"]
        [target.laptop]
        on = "machine"
        "#};
    let sandbox = Sandbox::with(stack);
    let caller = |target: &str, name: &str| {
        let answer = sandbox.json(&["-q", "reach", "-t", target]);
        answer["inside"].as_array().unwrap().iter().find(|caller| caller["name"] == name).unwrap().clone()
    };
    let at =
        |caller: &serde_json::Value| (caller["talks"][0]["may"].clone(), caller["talks"][0]["ports"].clone());
    let (a, t) = (caller("any", "a"), caller("any", "t"));
    assert_eq!((&a["gets_out"], &t["gets_out"]), (&json!(true), &json!(false)));
    assert_eq!(a["gets_out_at"][1]["ports"], json!([443, 6443]));
    assert_eq!(at(&a), (json!("some-open-ports"), json!(["web", "dns"])));
    assert_eq!(at(&t), (json!("some-open-ports"), json!(["dns"])));
    let known = caller("known", "a");
    assert_eq!(
        (&known["gets_out"], &known["gets_out_at"][1]["to"]),
        (&json!(false), &json!(["192.0.2.10/32"]))
    );
    assert_eq!(at(&known), (json!("some-open-ports"), json!(["dns"])));
    assert_eq!(caller("laptop", "a")["gets_out_at"], json!([]));
    let run = sandbox.run(&["-q", "reach", "-t", "any"]);
    assert!(run.out.contains("for the cluster's API 443 6443 anywhere: a"), "{}", run.out);
    assert!(
        run.out.contains("ANY-NODE:PICKED-PORT") && run.out.contains("kubectl get service s-b-node -n s"),
        "{}",
        run.out
    );
}

#[test]
fn effects_of_patches_and_passed_files_are_named() {
    let stack = indoc! {r#"
        pass = ["p.yaml"]
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.x = 1
        [[patch]]
        on = "Deployment/a"
        merge = { spec.paused = true }
        [[patch]]
        on = "Deployment/s-a"
        ops = [{ op = "add", path = "/spec/template/metadata/labels/x", value = "y" }]
        [[patch]]
        on = "Service/a"
        merge = { spec.sessionAffinity = "ClientIP" }
        "#};
    let policy = "apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: p}\n---\napiVersion: v1\nkind: ConfigMap\nmetadata: {name: c}\n";
    let answer = Sandbox::with(stack).file("p.yaml", policy).json(&["reach"]);
    assert_eq!(
        answer["not_considered"],
        json!(["Deployment/s-a (patched)", "Service/a (patched)", "NetworkPolicy/p (p.yaml)"])
    );
}

/// The login of a database is not the login of the service that uses it.
#[test]
fn logins_are_matched_to_their_service() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.db]
        key.password = { env = "P" }
        [secret.own]
        key.admin = { env = "A" }
        [outside.mail]
        host = "mail.example"
        port.smtp = 25
        [service.db]
        image = "d:1.0"
        port.sql = { number = 5432, reach = "node" }
        env.DB_USER = "tide"
        env.DB_PASSWORD = "{secret.db/password}"
        [service.api]
        image = "a:1.0"
        port.web = { number = 80, reach = "node" }
        env.DB_HOST = "{service.db}"
        env.DB_USER = "tide"
        env.DB_PASSWORD = "{secret.db/password}"
        env.MAIL = "smtp://me:{secret.own/admin}@{outside.mail/smtp}"
        env.ADMIN_USER = "keeper"
        env.ADMIN_PASSWORD = "{secret.own/admin}"
        "#};
    let answer = Sandbox::with(stack).json(&["reach"]);
    let logins = |way: usize| -> Vec<String> {
        let logins = answer["ways_in"][way]["logins"].as_array().unwrap().clone();
        let word = |login: &serde_json::Value| {
            login["user"]["name"].as_str().or(login["secret"]["reference"].as_str()).unwrap().to_owned()
        };
        logins.iter().map(word).collect()
    };
    assert_eq!(logins(0), ["tide", "secret.db/password"]);
    assert_eq!(logins(1), ["keeper", "secret.own/admin"]);
}

/// What the words of logins, shared addresses and other stacks add.
#[test]
fn closed_ports_logins_and_what_stacks_share_are_shown() {
    let sandbox = Sandbox::with(indoc! {r#"
        [stack]
        name = "s"
        [service.app]
        image = "registry.example/app:1.0"
        port.http = { number = 80, reach = "web", host = "tides.example", login = { user = "{config.c/USER}", password = "secret.made/admin" } }
        port.debug = 6060
        port.feed = { number = 7000, protocol = "udp" }
        network = ["back"]
        mount."/etc/app.conf" = "config.c/app.conf"
        [service.next]
        image = "registry.example/app:2.0"
        behind = "app"
        port = { http = 80, debug = 6060, feed = { number = 7000, protocol = "udp" } }
        network = ["back"]
        [service.store]
        image = "registry.example/base/postgresql:16.4"
        port.sql = 5432
        use = ["secret.store"]
        network = ["back"]
        mount."/var/lib/postgresql/data" = { scratch = "1Gi" }
        [service.probe]
        image = "registry.example/probe:1.0"
        network = "back"
        env.APP = "{service.app/debug}"
        [config.c]
        key.USER = "harbour"
        key."app.conf" = "store={service.store/sql}"
        [secret.made]
        key.admin = { make = "24 letters" }
        [secret.store]
        key.POSTGRES_PASSWORD = { env = "PW", make = "32 hex" }
        [network.back]
        admits = [{ stack = "console", service = "page", namespace = "office" }]
        "#});
    let reach = sandbox.json(&["reach"]);
    let way = &reach["ways_in"][0];
    assert_eq!(way["also"], serde_json::json!(["next"]));
    assert_eq!(way["logins"][0]["user"]["name"], "{config.c/USER}");
    let read = way["logins"][1]["secret"]["read"].as_str().unwrap();
    assert!(read.contains("kubectl get secret s-made -n s"), "{read}");
    // Ports below 1024 need another number on this machine; UDP cannot be forwarded.
    let closed = |service: &str, port: &str| {
        let all = reach["closed"].as_array().unwrap().iter();
        let found = all.clone().find(|one| one["service"] == service && one["port"] == port);
        found.unwrap_or_else(|| panic!("{service}/{port} is open")).clone()
    };
    assert_eq!(closed("app", "debug")["forward"], "kubectl port-forward -n s service/app 6060:6060");
    assert_eq!(closed("app", "debug")["also"], serde_json::json!(["next"]));
    assert_eq!(closed("app", "feed")["forward"], serde_json::Value::Null);
    // What uses the address of `app` uses `next` as well.
    let inside = reach["inside"].as_array().unwrap();
    let talks = inside.iter().find(|one| one["name"] == "probe").unwrap()["talks"].as_array().unwrap();
    let uses: Vec<_> = talks.iter().map(|talk| (talk["to"].as_str().unwrap(), &talk["uses"])).collect();
    assert_eq!(uses, [("app", &true.into()), ("next", &true.into()), ("store", &false.into())]);
    assert_eq!(closed("store", "sql")["logins"][0]["user"]["name"], "postgres", "the image's own");
    assert_eq!(closed("store", "sql")["logins"][1]["secret"]["reference"], "secret.store/POSTGRES_PASSWORD");
    assert_eq!(
        reach["admits"],
        serde_json::json!([{ "network": "back", "stack": "console", "service": "page", "namespace": "office" }])
    );
    // The address is in a file that it mounts.
    let app = reach["inside"].as_array().unwrap().iter().find(|one| one["name"] == "app").unwrap();
    let store = app["talks"].as_array().unwrap().iter().find(|talk| talk["to"] == "store").unwrap();
    assert_eq!(store["uses"], true);
    let text = sandbox.run(&["reach"]).out;
    for part in
        ["app, next", "Network back admits page of stack console in namespace office", "Login for store"]
    {
        assert!(text.contains(part), "{part} in\n{text}");
    }
    // Who has to create a secret is told how, and where it goes.
    let render = sandbox.run(&["render"]);
    let command = "kubectl create secret generic s-made -n s --from-literal=admin=\"$(LC_ALL=C tr -dc A-Za-z </dev/urandom | head -c 24)\"";
    assert!(render.err.contains(command), "{}", render.err);
    let missing = sandbox.run(&["render", "--secrets"]);
    assert_eq!(missing.code, 2);
    assert!(
        missing.err.contains("export PW=\"$(LC_ALL=C tr -dc 0-9a-f </dev/urandom | head -c 32)\""),
        "{}",
        missing.err
    );
    let own = sandbox.command(&["render", "--secrets", "--only", "Secret"]).env("PW", "x").output().unwrap();
    let own = String::from_utf8(own.stdout).unwrap();
    assert!(own.contains("s-store") && !own.contains("s-made"), "{own}");
}
