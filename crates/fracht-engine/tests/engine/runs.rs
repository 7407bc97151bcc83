//! Runs against the stand-in: order, failures, interruptions, and any state before.

use std::collections::BTreeMap;

use fracht_engine::api::{ContainerSpec, Engine, NetworkSpec, VolumeSpec};
use fracht_engine::desired::Desired;
use fracht_engine::stand_in::{Scene, StandIn};
use fracht_engine::steps::name_conflicts;
use proptest::prelude::*;

use super::{Actual, desired, differences, end, start, start_from};

const STACK: &str = "[network.back]\nclosed = true\n[volume.v]\nsize = \"1Gi\"\n[config.c]\nkey.a = \"x\"\n\
    [service.db]\nimage = \"db:1.0\"\nnetwork = [\"back\"]\nport.x = 5432\nhealth = { tcp = \"x\", boot = \"1s\" }\n\
    mount.\"/d\" = \"volume.v\"\nmount.\"/c\" = \"config.c\"\n\
    [task.schema]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nafter = { db = \"ready\" }\nretries = 1\n\
    [service.app]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nreplicas = 2\n\
    port.x = { number = 80, reach = \"node\", at = \"9000..9001\" }\n\
    after = { schema = \"done\", db = \"ready\" }\nhealth = { tcp = \"x\", boot = \"1s\" }\n\
    [service.app.beside.first]\nimage = \"first:1.0\"\nonce = true\n\
    [service.app.beside.log]\nimage = \"log:1.0\"\n\
    [task.warm]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nafter = { app = \"current\" }\n\
    [task.nightly]\nimage = \"app:1.0\"\nnetwork = [\"back\"]\nschedule = \"15 3 * * *\"\n";

fn stack() -> Desired {
    desired(STACK, "").unwrap()
}

/// The starts in the order in which they were made.
fn starts(engine: &StandIn) -> Vec<String> {
    let requests = engine.requests();
    let started =
        requests.iter().filter_map(|line| line.strip_prefix("POST /containers/s.m.")?.strip_suffix("/start"));
    started.map(str::to_owned).collect()
}

#[test]
fn everything_starts_in_order() {
    let engine = StandIn::default();
    let (_, ended, _) = start(&engine, &stack()).unwrap();
    assert!(ended.failed.is_empty() && ended.blocked.is_empty(), "{ended:?}");
    let starts = starts(&engine);
    let at = |name: &str| {
        starts.iter().position(|one| one == name).unwrap_or_else(|| panic!("{name}: {starts:?}"))
    };
    for (before, after) in [
        ("db.0", "schema"),
        ("schema", "app.0.first"),
        ("schema", "app.1.first"),
        ("app.0.first", "app.0"),
        ("app.0", "app.0.log"),
        ("app.1.log", "warm"),
    ] {
        assert!(at(before) < at(after), "{before} before {after}: {starts:?}");
    }
    assert_eq!(starts.len(), 9, "nothing twice, and not the scheduled task: {starts:?}");
    assert_eq!(differences(&engine, &stack()), Vec::<String>::new());
}

/// Something that goes wrong.
type Change<'c> = &'c dyn Fn(&StandIn);

#[test]
fn what_fails_is_told_and_what_waits_for_it_is_not_started() {
    let sick = |engine: &StandIn| engine.scene(|scene| scene.sick = ["s.m.db.0".to_owned()].into());
    let ends = |name: &str, code: i64| {
        let name = name.to_owned();
        move |engine: &StandIn| engine.scene(|scene| scene.ends = [(name.clone(), code)].into())
    };
    let taken = |engine: &StandIn| engine.scene(|scene| scene.taken = [9001].into());
    let vanish = |engine: &StandIn| engine.scene(|scene| scene.vanish = ["s.m.schema".to_owned()].into());
    let table: [(Change<'_>, &str, &str, usize); 6] = [
        (&sick, "db", "not ready after 1.0 s: a connection to port 5432 failed", 3),
        (&ends("s.m.db.0", 1), "db", "ended 4 times, the last time with exit code 1", 3),
        (&ends("s.m.schema", 7), "schema", "ended with exit code 7", 2),
        (&ends("s.m.app.1.first", 2), "app-1.first", "ended with exit code 2", 1),
        (
            &taken,
            "app-1",
            "the engine did not start container s.m.app.1: listen tcp4 127.0.0.1:9001: bind: address already in use",
            1,
        ),
        (&vanish, "schema", "was removed by something else", 2),
    ];
    for (change, shown, reason, blocked) in table {
        let engine = StandIn::default();
        change(&engine);
        let (_, ended, _) = start(&engine, &stack()).unwrap();
        let failed: Vec<(&str, &str)> = ended.failed.iter().map(|one| (&*one.shown, &*one.reason)).collect();
        assert_eq!(failed, [(shown, reason)]);
        assert_eq!(ended.blocked.len(), blocked, "{reason}: {:?}", ended.blocked);
        // Once the cause is gone, the next run goes on.
        engine.scene(|scene| *scene = Scene::default());
        let (_, ended, _) = start(&engine, &stack()).unwrap();
        assert!(ended.failed.is_empty(), "{ended:?}");
        assert_eq!(differences(&engine, &stack()), Vec::<String>::new(), "{reason}");
    }
}

#[test]
fn a_container_knows_its_address_and_keeps_its_own_process_1() {
    let stack = "[network.back]\n[config.c]\nkey.a = \"at {service.b/x}\"\n\
                 [service.a]\nimage = \"a:1.0\"\nnetwork = [\"back\"]\nreplicas = 2\nenv.ME = \"http://{pod.ip}:80\"\n\
                 args = [\"--me={pod.ip}\"]\nmount.\"/c\" = \"config.c\"\n\
                 [service.b]\nimage = \"b:1.0\"\nnetwork = [\"back\"]\nport.x = 80\nprogram = [\"/usr/bin/tini\", \"--\", \"serve\"]\n";
    let engine = StandIn::default();
    let wanted = desired(stack, "").unwrap();
    let (_, ended, _) = start(&engine, &wanted).unwrap();
    assert!(ended.failed.is_empty(), "{ended:?}");
    // From the end of the block of the first network, 10.89.0.0/24.
    for (index, address) in ["10.89.0.254", "10.89.0.253"].iter().enumerate() {
        let definition = engine.definition(&format!("s.m.a.{index}"));
        assert_eq!(definition["Env"][0], format!("ME=http://{address}:80"));
        assert_eq!(definition["Cmd"][0], format!("--me={address}"));
        let endpoint = &definition["NetworkingConfig"]["EndpointsConfig"]["s.m.back"];
        assert_eq!(endpoint["IPAMConfig"]["IPv4Address"], *address);
        assert_eq!(definition["HostConfig"]["Init"], true);
    }
    let own = engine.definition("s.m.b.0");
    assert_eq!(own["HostConfig"]["Init"], false, "its program is a process 1 of its own");
    assert!(own["NetworkingConfig"]["EndpointsConfig"]["s.m.back"]["IPAMConfig"].is_null());
    // Nothing differs because of an address.
    assert!(start(&engine, &wanted).unwrap().0.is_empty());
}

#[test]
fn an_engine_that_takes_one_network_at_a_time_gets_all() {
    let stack = "[network.n0]\n[network.n1]\n[service.a]\nimage = \"a:1.0\"\nnetwork = [\"n0\", \"n1\"]\n\
                 [service.b]\nimage = \"a:1.0\"\nnetwork = [\"n1\"]\n";
    let engine = StandIn::default();
    engine.scene(|scene| scene.takes_one_network = true);
    let wanted = desired(stack, "").unwrap();
    let (_, ended, _) = start(&engine, &wanted).unwrap();
    assert!(ended.failed.is_empty(), "{ended:?}");
    assert!(engine.requests().contains(&"POST /networks/s.m.n1/connect".to_owned()));
    // It is in both, so that there is nothing to change.
    assert!(start(&engine, &wanted).unwrap().0.is_empty());
}

#[test]
fn a_task_is_tried_again_as_often_as_it_may() {
    let engine = StandIn::default();
    engine.scene(|scene| scene.ends = [("s.m.schema".to_owned(), 7)].into());
    start(&engine, &stack()).unwrap();
    assert_eq!(starts(&engine).iter().filter(|one| *one == "schema").count(), 2);
}

#[test]
fn an_interrupted_run_is_finished_by_the_next_one() {
    let whole = StandIn::default();
    start(&whole, &stack()).unwrap();
    let requests = whole.requests().len();
    assert!(requests > 80, "{requests}");
    let changed = desired(
        &STACK.replace("size = \"1Gi\"", "size = \"2Gi\"").replace("key.a = \"x\"", "key.a = \"y\""),
        "",
    );
    let changed = changed.unwrap();
    for after in 0..requests {
        let engine = StandIn::default();
        engine.scene(|scene| scene.cut_after = Some(after));
        let first = start(&engine, &stack());
        assert!(first.is_err() || first.is_ok_and(|(_, ended, _)| ended.failed.is_empty()), "{after}");
        engine.scene(|scene| scene.cut_after = None);
        // The definition may have changed in between.
        let next = if after % 2 == 0 { stack() } else { changed.clone() };
        let (_, ended, _) = start(&engine, &next).unwrap();
        assert!(ended.failed.is_empty() && ended.blocked.is_empty(), "{after}: {ended:?}");
        assert_eq!(differences(&engine, &next), Vec::<String>::new(), "after {after} requests");
    }
}

#[test]
fn what_a_killed_run_had_asked_for_may_come_late() {
    // What was seen is an empty engine; since then, all that a killed run had asked for was made.
    for late in ["s.m.db.0", "s.m.app.1", "s.m.schema"] {
        let engine = StandIn::default();
        start(&engine, &stack()).unwrap();
        let api = Engine::new(Box::new(engine.clone()));
        for one in
            engine.containers().iter().rev().filter(|one| one.name != late && one.name.contains(".log"))
        {
            api.remove(&one.name).unwrap();
        }
        for one in engine.containers().iter().rev().filter(|one| one.name != late) {
            api.remove(&one.name).unwrap();
        }
        let (_, ended, _) = start_from(&engine, &stack(), &Actual::default()).unwrap();
        assert!(ended.failed.is_empty() && ended.blocked.is_empty(), "{late}: {ended:?}");
        assert_eq!(differences(&engine, &stack()), Vec::<String>::new());
    }
    // A container of others is not touched.
    let engine = StandIn::default();
    let api = Engine::new(Box::new(engine.clone()));
    engine.add_image("x:1.0");
    api.create("s.m.db.0", &ContainerSpec { image: "x:1.0".into(), ..ContainerSpec::default() }).unwrap();
    let (_, ended, _) = start_from(&engine, &stack(), &Actual::default()).unwrap();
    assert_eq!(
        ended.failed[0].reason,
        "the engine did not create container s.m.db.0: that name is already in use"
    );
    assert_eq!(engine.containers()[0].files, [""; 0]);
}

/// Puts something of others on the engine: a container, a network and a volume.
fn add_others(engine: &StandIn) -> impl Fn(&StandIn) -> bool {
    engine.add_image("other:1.0");
    let api = Engine::new(Box::new(engine.clone()));
    let labels: BTreeMap<String, String> =
        [("fracht.stack", "s"), ("fracht.target", "other")].map(|(a, b)| (a.to_owned(), b.to_owned())).into();
    let spec = ContainerSpec { image: "other:1.0".into(), labels, ..ContainerSpec::default() };
    api.create("s.other.db.0", &spec).unwrap();
    api.create_network(&NetworkSpec { name: "theirs".into(), ..NetworkSpec::default() }).unwrap();
    api.create_volume(&VolumeSpec { name: "theirs".into(), ..VolumeSpec::default() }).unwrap();
    |engine| {
        engine.containers().iter().any(|one| one.name == "s.other.db.0" && one.status == "created")
            && engine.networks().contains(&"theirs".to_owned())
            && engine.volumes().contains(&"theirs".to_owned())
    }
}

#[test]
fn names_that_others_have_are_told() {
    let engine = StandIn::default();
    let api = Engine::new(Box::new(engine.clone()));
    engine.add_image("x:1.0");
    let spec = ContainerSpec { image: "x:1.0".into(), ..ContainerSpec::default() };
    api.create("s.m.db.0", &spec).unwrap();
    api.create_network(&NetworkSpec { name: "s.m.back".into(), ..NetworkSpec::default() }).unwrap();
    let labels: BTreeMap<String, String> =
        [("fracht.stack", "a"), ("fracht.target", "b")].map(|(a, b)| (a.to_owned(), b.to_owned())).into();
    api.create_volume(&VolumeSpec { name: "s.m.v".into(), labels }).unwrap();
    let stack = stack();
    let networks: Vec<&str> = stack.networks.iter().map(|network| &*network.name).collect();
    let conflicts = name_conflicts(&stack, &Actual::of(&api, &stack.owner, &networks).unwrap());
    let messages: Vec<&str> = conflicts.iter().map(|one| &*one.message).collect();
    assert_eq!(
        messages,
        [
            "the container `s.m.db.0` already exists: it belongs to something that Fracht did not create",
            "the network `s.m.back` already exists: it belongs to something that Fracht did not create",
            "the volume `s.m.v` already exists: it belongs to stack `a`, target `b`",
        ]
    );
}

/// Something that happens to an engine between two runs.
#[derive(Clone, Debug)]
enum Happens {
    Removed(usize),
    Ended(usize, bool),
    Paused(usize),
    Crashed(usize),
    NewImage(usize),
    Cut(usize),
}

fn happens() -> impl Strategy<Value = Happens> {
    prop_oneof![
        (0..20_usize).prop_map(Happens::Removed),
        (0..20_usize, any::<bool>()).prop_map(|(at, fresh)| Happens::Ended(at, fresh)),
        (0..20_usize).prop_map(Happens::Paused),
        (0..20_usize).prop_map(Happens::Crashed),
        (0..20_usize).prop_map(Happens::NewImage),
        (0..120_usize).prop_map(Happens::Cut),
    ]
}

/// A stack of services in a chain, each of which has what its bits say.
fn made_up(bits: &[u8]) -> Desired {
    let mut stack = "[network.n0]\n[network.n1]\nclosed = true\n[volume.v]\nsize = \"1Gi\"\n".to_owned();
    for (index, bits) in bits.iter().enumerate() {
        let has = |bit: u32| bits >> bit & 1 == 1;
        if has(7) && index > 0 {
            continue;
        }
        stack.push_str(&format!("[service.s{index}]\nimage = \"i{}:1.0\"\nport.x = 80\n", bits & 1));
        stack.push_str("health = { tcp = \"x\", boot = \"1s\" }\n");
        if has(1) {
            stack.push_str("replicas = 2\n");
        }
        stack.push_str(if has(2) { "network = [\"n0\", \"n1\"]\n" } else { "network = [\"n0\"]\n" });
        if has(4) {
            stack.push_str("mount.\"/d\" = \"volume.v\"\n");
        }
        if index > 0 {
            stack.push_str("after = { s0 = \"ready\" }\n");
        }
        if has(5) {
            stack.push_str(&format!("[service.s{index}.beside.b]\nimage = \"b{}:1.0\"\n", bits & 1));
        }
        if has(6) {
            stack.push_str(&format!(
                "[task.t{index}]\nimage = \"t:1.0\"\nnetwork = [\"n0\"]\nafter = {{ s{index} = \"ready\" }}\n"
            ));
        }
    }
    desired(&stack, "").unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    /// From any state, the steps end in the desired state; stopping leaves nothing of ours and all of others'.
    #[test]
    fn any_state_becomes_the_desired_one(
        before in prop::collection::vec(any::<u8>(), 1..5),
        after in prop::collection::vec(any::<u8>(), 1..5),
        events in prop::collection::vec(happens(), 0..6),
    ) {
        let engine = StandIn::default();
        let are_there = add_others(&engine);
        let api = Engine::new(Box::new(engine.clone()));
        start(&engine, &made_up(&before)).unwrap();
        for event in &events {
            let own: Vec<_> = engine.containers().into_iter().filter(|one| one.name.starts_with("s.m.")).collect();
            let pick = |at: &usize| own.get(at % own.len().max(1)).map_or(String::new(), |one| one.name.clone());
            match event {
                // What others share the network of is not removed.
                Happens::Removed(at) => _ = api.remove(&pick(at)),
                Happens::Ended(at, fresh) => engine.set_status(&pick(at), if *fresh { "created" } else { "exited" }),
                Happens::Paused(at) => engine.set_status(&pick(at), "paused"),
                Happens::Crashed(at) => engine.crash(&pick(at), 1),
                Happens::NewImage(at) => engine.change_image(&format!("i{}:1.0", at % 2)),
                Happens::Cut(at) => {
                    engine.scene(|scene| scene.cut_after = Some(*at));
                    let _ = start(&engine, &made_up(&after));
                    engine.scene(|scene| scene.cut_after = None);
                }
            }
        }
        let wanted = made_up(&after);
        let (_, ended, _) = start(&engine, &wanted).unwrap();
        prop_assert!(ended.failed.is_empty() && ended.blocked.is_empty(), "{ended:?}");
        prop_assert_eq!(differences(&engine, &wanted), Vec::<String>::new());
        // Nothing is left to do.
        let (steps, _, _) = start(&engine, &wanted).unwrap();
        prop_assert!(steps.is_empty(), "{steps:?}");
        end(&engine, &wanted.owner, true);
        prop_assert!(engine.containers().iter().all(|one| !one.name.starts_with("s.m.")));
        prop_assert!(engine.networks().iter().chain(&engine.volumes()).all(|name| name == "theirs"));
        prop_assert!(are_there(&engine));
    }
}
