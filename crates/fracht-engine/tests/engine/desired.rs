//! What a stack becomes on a machine.

use fracht_engine::desired::Container;
use serde_json::{Value, json};

use super::desired;

/// The containers of a stack.
fn containers(stack: &str) -> Vec<Container> {
    desired(stack, "gull").unwrap().containers().map(|(_, _, container)| container.clone()).collect()
}

/// What of a container's definition is at a path.
fn at(container: &Container, path: &str) -> Value {
    let spec = serde_json::to_value(&container.spec).unwrap();
    spec.pointer(path).cloned().unwrap_or(Value::Null)
}

#[test]
fn a_service_becomes_what_its_keys_say() {
    let secret = "[secret.p]\nkey.word = { env = \"WORD\" }\n";
    let config = "[config.c]\nkey.a = \"x\"\nkey.b = \"{service.a/http}\"\nfiles = \"conf/*.txt\"\n";
    let volume = "[volume.v]\nsize = \"1Gi\"\n";
    let table: [(&str, &str, Value); 27] = [
        ("image = \"i:1.0\"", "/Image", json!("i:1.0")),
        ("program = [\"serve\", \"-v\"]", "/Entrypoint", json!(["serve", "-v"])),
        ("args = [\"-q\"]", "/Cmd", json!(["-q"])),
        ("", "/Cmd", Value::Null),
        ("workdir = \"/srv\"", "/WorkingDir", json!("/srv")),
        ("user = \"10:20\"", "/User", json!("10:20")),
        ("user = 10", "/User", json!("10")),
        ("", "/User", Value::Null),
        ("env.A = \"{secret.p/word}\"", "/Env", json!(["A=gull"])),
        ("env.A = \"{pod.name} {pod.node} {pod.namespace}\"", "/Env", json!(["A=a-0 harbour s"])),
        ("role = \"web\"\nenv.A = \"{pod.label/app.kubernetes.io/component}\"", "/Env", json!(["A=web"])),
        ("use = [{ from = \"config.c\", prefix = \"C_\" }]", "/Env", json!(["C_a=x", "C_b=a:80"])),
        ("use = [\"secret.p\"]\nenv.word = \"mine\"", "/Env", json!(["word=mine"])),
        ("confine = \"strict\"\nuser = 10", "/HostConfig/CapDrop", json!(["ALL"])),
        ("confine = \"strict\"\nuser = 10", "/HostConfig/ReadonlyRootfs", json!(true)),
        ("", "/HostConfig/SecurityOpt", json!(["no-new-privileges"])),
        ("confine = \"off\"", "/HostConfig/SecurityOpt", Value::Null),
        ("memory = \"32Mi..64Mi\"", "/HostConfig/Memory", json!(64 << 20)),
        ("cpu = \"100m..1500m\"", "/HostConfig/NanoCpus", json!(1_500_000_000_u64)),
        ("stop-within = \"90s\"", "/StopTimeout", json!(90)),
        ("", "/HostConfig/RestartPolicy/Name", json!("always")),
        ("", "/Healthcheck/Test", json!(["NONE"])),
        (
            "health = { run = [\"ok\", \"-q\"], every = \"2s\" }",
            "/Healthcheck",
            json!({ "Test": ["CMD", "ok", "-q"], "Interval": 2_000_000_000_u64, "Timeout": 2_000_000_000_u64,
                    "StartPeriod": 30_000_000_000_u64, "Retries": 3 }),
        ),
        (
            "mount.\"/d\" = \"volume.v\"",
            "/HostConfig/Mounts",
            json!([{ "Type": "volume", "Source": "s.m.v", "Target": "/d" }]),
        ),
        (
            "mount.\"/d\" = { from = \"volume.v\", part = \"x\", read-only = true }",
            "/HostConfig/Mounts/0/ReadOnly",
            json!(true),
        ),
        (
            "mount.\"/tmp\" = { scratch = \"1Mi\" }",
            "/HostConfig/Mounts",
            json!([{ "Type": "tmpfs", "Target": "/tmp", "TmpfsOptions": { "SizeBytes": 1 << 20, "Mode": 0o1777 } }]),
        ),
        (
            "mount.\"/src\" = { folder = \"./src\" }",
            "/HostConfig/Mounts",
            json!([{ "Type": "bind", "Source": "/s/src", "Target": "/src" }]),
        ),
    ];
    for (keys, path, value) in table {
        let image = if keys.starts_with("image") { "" } else { "image = \"i:1.0\"\n" };
        let stack = format!("{secret}{config}{volume}[service.a]\nport.http = 80\n{image}{keys}\n");
        assert_eq!(at(&containers(&stack)[0], path), value, "{keys}");
    }
}

#[test]
fn files_of_configs_and_secrets_have_modes_and_the_group_that_needs_them() {
    let stack = "[config.c]\nkey.a = \"x\"\nfiles = \"conf/*.txt\"\n[secret.p]\nkey.word = { env = \"WORD\" }\n\
                 [service.a]\nimage = \"i:1.0\"\nuser = \"10:20\"\nmount.\"/etc/c\" = \"config.c\"\n\
                 mount.\"/run/one\" = { from = \"secret.p/word\", mode = \"0400\" }\n";
    let files = &containers(stack)[0].files;
    let shown: Vec<String> = files
        .iter()
        .map(|file| {
            format!("{} {:o} {} {}", file.path, file.mode, file.gid, String::from_utf8_lossy(&file.bytes))
        })
        .collect();
    assert_eq!(shown, ["/etc/c/a 644 20 x", "/etc/c/a.txt 644 20 from a file", "/run/one 440 20 gull"]);
}

#[test]
fn networks_are_closed_and_have_names_and_ways_in() {
    let stack = "[network.back]\nclosed = true\n[network.front]\n\
                 [service.a]\nimage = \"i:1.0\"\nnetwork = [\"back\"]\nport.x = { number = 80, reach = \"node\", at = 9000 }\n\
                 [service.b]\nimage = \"i:1.0\"\nnetwork = [\"back\", \"front\"]\nport.x = 80\nreplicas = 2\nstable-names = true\n\
                 [service.c]\nimage = \"i:1.0\"\n";
    let desired = desired(stack, "").unwrap();
    let networks: Vec<String> = desired
        .networks
        .iter()
        .map(|network| format!("{} {}", network.name, network.spec.internal))
        .collect();
    assert_eq!(networks, ["s.m._ false", "s.m.a.entry false", "s.m.back true", "s.m.front false"]);
    let all = containers(stack);
    let [a, b, b1, c] = all.as_slice() else { panic!("{all:?}") };
    assert_eq!(at(a, "/HostConfig/NetworkMode"), "s.m.a.entry");
    assert_eq!(
        at(a, "/HostConfig/PortBindings"),
        json!({ "80/tcp": [{ "HostIp": "127.0.0.1", "HostPort": "9000" }] })
    );
    assert_eq!(at(b, "/HostConfig/NetworkMode"), "s.m.front");
    let names = |container, index: u32| {
        let own = format!("b-{index}.b-pods");
        assert_eq!(
            at(container, "/NetworkingConfig/EndpointsConfig/s.m.back/Aliases"),
            json!(["b", own, "b-pods"])
        );
    };
    names(b, 0);
    names(b1, 1);
    assert_eq!((&*b1.name, &*b1.shown, &*c.name), ("s.m.b.1", "b-1", "s.m.c.0"));
    assert_eq!(at(c, "/NetworkingConfig/EndpointsConfig"), json!({ "s.m._": { "Aliases": ["c"] } }));
}

#[test]
fn sidecars_share_the_network_of_their_service() {
    let stack = "[service.a]\nimage = \"i:1.0\"\nport.x = { number = 80, reach = \"node\", at = 9000 }\n\
                 [service.a.beside.first]\nimage = \"f:1.0\"\nonce = true\n[service.a.beside.log]\nimage = \"l:1.0\"\n";
    let desired = desired(stack, "").unwrap();
    let replica = &desired.units[0].replicas[0];
    assert_eq!((replica.before.len(), replica.beside.len()), (1, 1));
    let (first, log) = (&replica.before[0], &replica.beside[0]);
    assert_eq!((&*first.name, &*log.name), ("s.m.a.0.first", "s.m.a.0.log"));
    assert_eq!(at(log, "/HostConfig/NetworkMode"), "container:s.m.a.0");
    assert_eq!(at(log, "/HostConfig/PortBindings"), json!({}));
    assert_eq!(at(first, "/HostConfig/NetworkMode"), "s.m._");
    assert_eq!(at(first, "/HostConfig/RestartPolicy/Name"), "no");
}

#[test]
fn the_digest_changes_with_the_definition_and_not_with_secrets() {
    let stack = |more: &str| {
        format!(
            "[secret.p]\nkey.word = {{ env = \"WORD\" }}\n[config.c]\nkey.a = \"x\"\n[service.a]\nimage = \"i:1.0\"\n\
             port.x = 80\nenv.P = \"{{secret.p/word}}\"\nmount.\"/c\" = \"config.c\"\n{more}"
        )
    };
    let of = |more: &str, secret| {
        let desired = desired(&stack(more), secret).unwrap();
        let main = &desired.units[0].replicas[0].main;
        (main.digest.clone(), main.secrets.clone())
    };
    let (digest, secrets) = of("", "gull");
    assert_eq!(of("", "gull"), (digest.clone(), secrets.clone()));
    let (same, other) = of("", "tern");
    assert_eq!(same, digest);
    assert_ne!(other, secrets);
    for more in ["env.X = \"1\"", "user = 10", "renew = \"again\"", "[target.m.config.c.key]\na = \"y\""] {
        assert_ne!(of(more, "gull").0, digest, "{more}");
    }
}

#[test]
fn what_a_machine_cannot_have_is_told() {
    let table = [
        (
            "[secret.p]\npresent = \"there\"\nkeys = [\"word\"]\n[service.a]\nimage = \"i:1.0\"\nenv.P = \"{secret.p/word}\"\n",
            "the value of `secret.p/word` is only in the cluster",
        ),
        (
            "[config.p]\npresent = \"there\"\nkeys = [\"word\"]\n[service.a]\nimage = \"i:1.0\"\nenv.P = \"{config.p/word}\"\n",
            "the content of `config.p` is only in the cluster",
        ),
        (
            "[volume.v]\nsize = \"1Gi\"\n[service.a]\nimage = \"i:1.0\"\nmount.\"/a\" = \"volume.v\"\n\
             mount.\"/b\" = { from = \"volume.v\", part = \"x\" }\n",
            "`volume.v` is mounted as a whole and in part, which the engine cannot do",
        ),
    ];
    for (stack, message) in table {
        let refusals = desired(stack, "").unwrap_err();
        assert_eq!(refusals.len(), 1, "{refusals:?}");
        assert_eq!(refusals[0].message, message);
    }
}

#[test]
fn what_is_chosen_comes_with_all_that_it_waits_for() {
    let stack = "[service.db]\nimage = \"i:1.0\"\nport.x = 1\nhealth = { tcp = \"x\" }\n\
                 [service.app]\nimage = \"i:1.0\"\nafter = { schema = \"done\" }\n[service.other]\nimage = \"i:1.0\"\n\
                 [task.schema]\nimage = \"i:1.0\"\nafter = { db = \"ready\" }\n\
                 [task.nightly]\nimage = \"i:1.0\"\nschedule = \"15 3 * * *\"\nafter = { db = \"ready\" }\n";
    let desired = desired(stack, "").unwrap();
    let chosen = |names: &[&str]| {
        let ids: Vec<_> =
            desired.units.iter().filter(|unit| names.contains(&&*unit.name)).map(|unit| unit.id).collect();
        let chosen = desired.chosen(&ids);
        let units = desired.units.iter().zip(chosen).filter(|(_, chosen)| *chosen);
        units.map(|(unit, _)| unit.name.clone()).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(chosen(&[]), "db app other schema");
    assert_eq!(chosen(&["app"]), "db app schema");
    assert_eq!(chosen(&["nightly"]), "db nightly");
    assert_eq!(chosen(&["other", "schema"]), "db other schema");
}
