//! The steps, from one state of the engine to another definition, as a table.

use fracht_engine::desired::Desired;
use fracht_engine::stand_in::StandIn;
use fracht_engine::steps::{Need, Steps};

use super::{desired, differences, start};

const STACK: &str = "[network.back]\n[secret.p]\nkey.word = { env = \"WORD\" }\n[volume.v]\nsize = \"1Gi\"\n\
    [service.db]\nimage = \"db:1.0\"\nnetwork = [\"back\"]\nport.x = 5432\nhealth = { tcp = \"x\" }\nenv.P = \"{secret.p/word}\"\n\
    mount.\"/d\" = \"volume.v\"\n\
    [task.schema]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nafter = { db = \"ready\" }\n\
    [service.app]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nport.x = 80\nafter = { schema = \"done\" }\n\
    [service.app.beside.log]\nimage = \"log:1.0\"\n";

/// The steps as lines: what is removed, made, and what each container needs, unless it is nothing.
fn lines(desired: &Desired, steps: &Steps) -> Vec<String> {
    let mut lines: Vec<String> =
        steps.remove.iter().map(|removal| format!("remove {}: {}", removal.shown, removal.why)).collect();
    lines.extend(steps.remove_networks.iter().map(|name| format!("remove network {name}")));
    lines.extend(steps.create_networks.iter().map(|network| format!("create network {}", network.name)));
    lines.extend(steps.create_volumes.iter().map(|volume| format!("create volume {}", volume.name)));
    for (unit, needs) in desired.units.iter().zip(&steps.units) {
        for (replica, needs) in unit.replicas.iter().zip(needs.iter().flatten()) {
            let beside = replica.beside.iter().zip(&needs.beside);
            for (container, need) in std::iter::once((&replica.main, &needs.main)).chain(beside) {
                match need {
                    Need::Keep => {}
                    Need::Start => lines.push(format!("start {}", container.shown)),
                    Need::Create => lines.push(format!("create {}", container.shown)),
                    Need::Replace(why) => lines.push(format!("replace {}: {why}", container.shown)),
                }
            }
        }
    }
    lines
}

/// The steps to a stack after `change` was done to an engine on which [`STACK`] runs.
fn after(change: impl FnOnce(&StandIn), stack: &str, secret: &'static str) -> Vec<String> {
    let engine = StandIn::default();
    start(&engine, &desired(STACK, "gull").unwrap()).unwrap();
    change(&engine);
    let desired = desired(stack, secret).unwrap();
    let (steps, ended, _) = start(&engine, &desired).unwrap();
    assert!(ended.failed.is_empty() && ended.blocked.is_empty(), "{ended:?}");
    assert_eq!(differences(&engine, &desired), Vec::<String>::new());
    let lines = lines(&desired, &steps);
    assert_eq!(lines.is_empty(), steps.is_empty());
    lines
}

/// The steps after a part of [`STACK`] was written in another way.
fn written(part: &str, new: &str) -> Vec<String> {
    assert!(STACK.contains(part), "{part}");
    after(|_| {}, &STACK.replace(part, new), "gull")
}

#[test]
fn only_what_differs_is_replaced() {
    let none: [&str; 0] = [];
    assert_eq!(after(|_| {}, STACK, "gull"), none);
    assert_eq!(after(|_| {}, STACK, "tern"), ["replace db: the value of a secret has changed"]);
    assert_eq!(
        written("port.x = 5432", "port.x = 5432\nuser = 10"),
        ["replace db: its definition has changed"]
    );
    assert_eq!(
        written("port.x = 80", "port.x = 80\nuser = 10"),
        ["replace app: its definition has changed", "replace app.log: its service was started anew"]
    );
    assert_eq!(
        written("image = \"log:1.0\"", "image = \"log:2.0\""),
        ["replace app.log: its definition has changed"]
    );
    assert_eq!(written("port.x = 80", "port.x = 80\nreplicas = 2"), ["create app-1", "create app-1.log"]);
    assert_eq!(
        written("port.x = 80", "port.x = 80\nreplicas = 0"),
        ["remove app.log: the stack does not have it", "remove app: the stack does not have it"]
    );
    assert_eq!(
        written("[service.app.beside.log]\nimage = \"log:1.0\"\n", ""),
        ["remove app.log: the stack does not have it"]
    );
}

#[test]
fn a_network_that_changes_takes_its_containers_along() {
    assert_eq!(
        written("[network.back]\n", "[network.back]\nclosed = true\n"),
        [
            "remove app.log: its network has changed",
            "remove app: its network has changed",
            "remove schema: its network has changed",
            "remove db: its network has changed",
            "remove network s.m.back",
            "create network s.m.back",
            "create db",
            "create app",
            "replace app.log: its service was started anew",
            "create schema"
        ]
    );
}

#[test]
fn what_was_done_by_hand_is_undone() {
    let hand = |change: fn(&StandIn)| after(change, STACK, "gull");
    let remove = |engine: &StandIn, name: &str| {
        let api = fracht_engine::api::Engine::new(Box::new(engine.clone()));
        api.remove(name).unwrap();
    };
    assert_eq!(after(|engine| remove(engine, "s.m.db.0"), STACK, "gull"), ["create db"]);
    assert_eq!(hand(|engine| engine.set_status("s.m.db.0", "exited")), ["start db"]);
    assert_eq!(hand(|engine| engine.set_status("s.m.db.0", "paused")), ["replace db: it was paused by hand"]);
    assert_eq!(
        hand(|engine| engine.set_status("s.m.db.0", "created")),
        ["replace db: an earlier start did not finish"]
    );
    assert_eq!(
        hand(|engine| engine.set_status("s.m.app.0", "exited")),
        ["start app", "replace app.log: its service was started anew"]
    );
    // Its sidecar has the network of the run before.
    assert_eq!(
        hand(|engine| engine.crash("s.m.app.0", 1)),
        ["replace app.log: its service was started anew"]
    );
    assert_eq!(hand(|engine| engine.change_image("db:1.0")), ["replace db: its image has changed"]);
    assert_eq!(hand(|engine| engine.crash("s.m.schema", 3)), ["replace schema: it failed"]);
}

#[test]
fn data_stays_when_its_volume_is_not_used_any_more() {
    let stack =
        STACK.replace("mount.\"/d\" = \"volume.v\"\n", "").replace("[volume.v]\nsize = \"1Gi\"\n", "");
    let engine = StandIn::default();
    start(&engine, &desired(STACK, "gull").unwrap()).unwrap();
    start(&engine, &desired(&stack, "gull").unwrap()).unwrap();
    assert_eq!(engine.volumes(), ["s.m.v"]);
}
