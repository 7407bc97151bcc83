use indoc::{formatdoc, indoc};
use std::collections::BTreeSet;

use fracht_core::model::{Model, Protocol, Reach};
use fracht_core::plan::ports::{NODE_RANGE, PortPlan, PortScope};
use proptest::prelude::*;

use crate::{failed, good, verdict};
use fracht_testkit::random_stack::{parts, stack_file};

/// The open ports as `service/port`, with their external numbers.
fn open_ports(model: &Model) -> Vec<(String, Vec<u16>)> {
    let plan = PortPlan::of(model);
    let open = plan.entries.into_iter().filter(|entry| !entry.at.is_empty());
    open.map(|entry| {
        let port = entry.port(model).unwrap();
        (format!("{}/{}", model.workloads[entry.service].name, port.name), entry.at)
    })
    .collect()
}

/// A stack with some services, `(name, replicas, port)`, on a machine and on a cluster.
fn stack(services: &[(&str, u32, &str)]) -> String {
    let mut text = String::from(indoc! {r#"
            [stack]
            name = "s"
            [target.laptop]
            on = "machine"
            [target.prod]
            on = "cluster"
            "#});
    for (name, replicas, port) in services {
        text += &formatdoc!(
            r#"
            [service.{name}]
            image = "a:1.0"
            replicas = {replicas}
            port.web = {port}
            "#
        );
    }
    text
}

fn numbers(target: &str, services: &[(&str, u32, &str)]) -> Vec<Vec<u16>> {
    let verdict = good(&stack(services), target);
    open_ports(&verdict.facts.model).into_iter().map(|(_, at)| at).collect()
}

#[test]
fn chosen_numbers_avoid_the_set_ones() {
    let services = [
        ("a", 1, r#"{ number = 80, reach = "node" }"#),
        ("b", 1, r#"{ number = 80, reach = "node", at = "8080.." }"#),
        ("c", 1, r#"{ number = 9000, reach = "balancer", at = 8080 }"#),
        ("d", 1, r#"{ number = 9000, reach = "node", at = "auto" }"#),
    ];
    assert_eq!(numbers("laptop", &services), [[8081], [8082], [8080], [9000]]);
}

#[test]
fn each_replica_on_a_machine_has_its_own_number() {
    let services = [
        ("a", 2, r#"{ number = 80, reach = "node", at = "8000..8009" }"#),
        ("b", 3, r#"{ number = 80, reach = "node", at = "8001.." }"#),
        ("c", 0, r#"{ number = 7000, reach = "node" }"#),
    ];
    assert_eq!(numbers("laptop", &services), [vec![8000, 8001], vec![8002, 8003, 8004], vec![7000]]);
}

#[test]
fn a_cluster_has_its_own_range_of_numbers() {
    let services = [
        ("a", 2, r#"{ number = 80, reach = "node" }"#),
        ("b", 2, r#"{ number = 80, reach = "node", at = 30000 }"#),
        ("c", 2, r#"{ number = 80, reach = "balancer" }"#),
        ("d", 2, r#"{ number = 8000, reach = "balancer", as = 80, at = 443 }"#),
    ];
    assert_eq!(numbers("prod", &services), [[30000], [80], [443]], "of the first the cluster picks one");
}

#[test]
fn a_search_begins_again_at_the_start_of_the_range() {
    let last = |at: &str| format!("{{ number = 80, reach = \"node\", at = \"{at}\" }}");
    let (machine, node) = (last("65535.."), last("32767.."));
    assert_eq!(
        numbers("laptop", &[("a", 1, &machine), ("b", 1, &machine), ("c", 1, &machine)]),
        [[65535], [1024], [1025]]
    );
    assert_eq!(
        numbers("prod", &[("a", 1, &node), ("b", 1, &node), ("c", 1, &node)]),
        [[32767], [30000], [30001]]
    );
}

#[test]
fn ports_below_1024_get_a_number_above() {
    let auto = |number: u16| format!("{{ number = {number}, reach = \"node\", at = \"auto\" }}");
    let (low, high) = (auto(1023), auto(1024));
    assert_eq!(numbers("laptop", &[("a", 1, &low), ("b", 1, &high)]), [[9023], [1024]]);
}

/// A range that is written is reserved before numbers are chosen, and clashes with another one.
#[test]
fn written_ranges_are_reserved() {
    let range = r#"{ number = 80, reach = "node", at = "8000..8009" }"#;
    let chosen = r#"{ number = 80, reach = "node", at = "8000.." }"#;
    assert_eq!(numbers("laptop", &[("a", 1, chosen), ("b", 2, range)]), [vec![8002], vec![8000, 8001]]);
    assert_eq!(failed(&stack(&[("a", 2, range), ("b", 2, range)]), "laptop"), ["port-clash", "port-clash"]);
}

#[test]
fn a_clash_names_the_place() {
    let port = |more: &str| format!("{{ number = 80, reach = \"node\", at = 30001{more} }}");
    let (plain, renamed) = (port(""), port(", as = 81"));
    let messages = |target: &str| {
        let verdict = verdict(&stack(&[("a", 1, &plain), ("b", 1, &renamed)]), target);
        let findings = verdict.report.findings().iter();
        findings.map(|finding| finding.diagnostic.message.clone()).collect::<Vec<_>>()
    };
    let both = "`service.a/web` and `service.b/web` both use";
    assert_eq!(messages("laptop"), [format!("{both} TCP port 30001 on the machine")]);
    assert_eq!(messages("prod"), [format!("{both} port 30001 on the nodes")]);
}

#[test]
fn a_clash_names_both_owners_and_a_free_number() {
    let services = [
        ("a", 1, r#"{ number = 80, reach = "node", at = 8000 }"#),
        ("b", 1, r#"{ number = 80, reach = "balancer", at = 8000 }"#),
        ("c", 1, r#"{ number = 80, reach = "node", at = 8001 }"#),
    ];
    let verdict = verdict(&stack(&services), "laptop");
    let plan = &verdict.facts.ports;
    let [clash] = plan.clashes.as_slice() else { panic!("{:#?}", plan.clashes) };
    assert_eq!(clash.scope, PortScope::Machine);
    assert_eq!(clash.first.words(&verdict.facts.model), "service.a/web");
    assert_eq!(clash.second.words(&verdict.facts.model), "service.b/web");
    assert_eq!((clash.number, clash.free), (8000, Some(8002)));
}

#[test]
fn ports_clash_only_in_the_same_scope() {
    let both = |a: &str, b: &str| stack(&[("a", 1, a), ("b", 1, b)]);
    let node = r#"{ number = 80, reach = "node", at = 30080 }"#;
    let udp = r#"{ number = 80, reach = "node", at = 30080, protocol = "udp" }"#;
    let balancer = r#"{ number = 80, reach = "balancer", at = 443 }"#;
    assert_eq!(failed(&both(node, node), "prod"), ["port-clash"]);
    assert_eq!(
        failed(&both(node, udp), "prod"),
        ["port-clash"],
        "nodes hand out numbers, whatever the protocol"
    );
    assert_eq!(failed(&both(node, udp), "laptop"), [""; 0], "on a machine another protocol is another port");
    let of_one = |first: &str, second: &str| {
        formatdoc!(
            r#"
                [stack]
                name = "s"
                [service.a]
                image = "a:1.0"
                port.t = {{ number = {first}, reach = "node", at = 30053 }}
                port.u = {{ number = {second}, protocol = "udp", reach = "node", at = 30053 }}
                "#
        )
    };
    assert_eq!(failed(&of_one("53", "53"), "cluster"), [""; 0], "one port of one service speaks both");
    assert_eq!(failed(&of_one("53", "54"), "cluster"), ["port-clash"]);
    let kubelet = r#"{ number = 10250, reach = "balancer" }"#;
    assert_eq!(failed(&stack(&[("a", 1, kubelet)]), "prod"), ["port-range"]);
    assert_eq!(failed(&stack(&[("a", 1, kubelet)]), "laptop"), [""; 0]);
    assert_eq!(failed(&both(balancer, balancer), "prod"), [""; 0], "each has an address of its own");
    assert_eq!(failed(&both(balancer, balancer), "laptop"), ["port-clash"], "a machine has one");
}

#[test]
fn a_service_cannot_use_a_number_twice() {
    let pod = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.x = 80
        port.y = 80
        "#};
    assert_eq!(failed(pod, "cluster"), ["port-clash"]);
    let inner = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.x = 80
        port.y = { number = 81, as = 80 }
        "#};
    assert_eq!(failed(inner, "cluster"), ["port-clash"]);
    let outer = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.x = { number = 80, reach = "balancer" }
        port.y = { number = 81, reach = "balancer", at = 80 }
        "#};
    assert_eq!(failed(outer, "cluster"), ["port-clash"]);
}

#[test]
fn replicas_need_a_number_each() {
    let of = |replicas, at: &str| {
        stack(&[("a", replicas, &format!(r#"{{ number = 80, reach = "node", at = {at} }}"#))])
    };
    assert_eq!(failed(&of(2, "8000"), "laptop"), ["at-with-replicas"]);
    assert_eq!(failed(&of(3, r#""8000..8001""#), "laptop"), ["at-with-replicas"]);
    assert_eq!(failed(&of(2, r#""8000..8001""#), "laptop"), [""; 0]);
    assert_eq!(failed(&of(9, r#""auto""#), "laptop"), [""; 0]);
    assert_eq!(failed(&of(9, "30000"), "prod"), ["health-missing"], "one number serves them all");
    assert_eq!(failed(&of(2, r#""30000..30001""#), "prod"), ["health-missing", "at-with-replicas"]);
    assert_eq!(failed(&of(1, "29999"), "prod"), ["port-range"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Every open port has a number, and no number is used twice in one place.
    #[test]
    fn chosen_numbers_never_clash(parts in parts(), machine in any::<bool>()) {
        let mut parts = parts;
        if machine {
    // One fixed number is not enough for several replicas.
            for part in &mut parts {
                part.more &= !(1 << 21);
            }
        }
        let mut text = stack_file(&parts);
        text += if machine { "[target.t]\non = \"machine\"\n" } else { "[target.t]\ndomain = \"made.example\"\n" };
        let model = good(&text, "t").facts.model;
        let mut taken = BTreeSet::new();
        for entry in PortPlan::of(&model).entries {
            let port = entry.port(&model).unwrap();
            let open = match port.reach.value {
                Reach::Stack => false,
                Reach::Web => machine,
                Reach::Node | Reach::Balancer => !entry.is_picked_by_cluster(&model),
            };
            prop_assert_eq!(open, !entry.at.is_empty());
            let replicas = model.workloads[entry.service].service().unwrap().replicas.value.least().max(1) as usize;
            let wanted = if machine { replicas } else { 1 };
            prop_assert!(!open || entry.at.len() == wanted);
            for number in entry.at {
                let node = port.reach.value == Reach::Node;
                let place = (!machine && !node).then_some(entry.service);
                let protocol = if node && !machine { Protocol::Tcp } else { port.protocol };
                prop_assert!(taken.insert((place, protocol, machine || node, number)));
                prop_assert!(machine || !node || NODE_RANGE.contains(&number));
            }
        }
    }
}

/// A stack whose services want numbers that clash: each with the number that it sets or starts from, and its replicas.
fn greedy() -> impl Strategy<Value = String> {
    let service = (0_u16..6, 0_u8..4, 1_u32..4, any::<bool>());
    prop::collection::vec(service, 1..12).prop_map(|services| {
        let mut text = stack(&[]);
        for (index, (number, kind, replicas, udp)) in services.into_iter().enumerate() {
            let first = 30100 + number;
            let at = match kind {
                0 => format!(", at = {first}"),
                1 => format!(", at = \"{first}..\""),
                2 => ", at = \"auto\"".to_owned(),
                _ => String::new(),
            };
            let protocol = if udp { ", protocol = \"udp\"" } else { "" };
            text += &formatdoc!(
                r#"
                [service.s{index}]
                image = "a:1.0"
                replicas = {}
                port.web = {{ number = {}, reach = "node"{protocol}{at} }}
                "#,
                if kind == 0 { 1 } else { replicas },
                30100 + number % 3
            );
        }
        text
    })
}

proptest! {
    /// What is settled has no clash and leaves nothing open; kept, it is the plan, and settling again changes nothing.
    #[test]
    fn a_settled_plan_is_kept(text in greedy(), elsewhere in prop::collection::btree_set(30100_u16..30120, 0..8)) {
        let elsewhere: BTreeSet<(Protocol, u16)> =
            elsewhere.into_iter().map(|number| (Protocol::Tcp, number)).collect();
        for target in ["laptop", "prod"] {
            let mut model = verdict(&text, target).facts.model;
            let settled = PortPlan::settled(&model, &elsewhere);
            let numbers = |plan: &PortPlan| plan.entries.iter().map(|entry| entry.at.clone()).collect::<Vec<_>>();
            let is_outer = |scope| matches!(scope, PortScope::Machine | PortScope::Nodes);
            prop_assert!(settled.clashes.iter().all(|clash| !is_outer(clash.scope)));
            let mut used = BTreeSet::new();
            for entry in &settled.entries {
                let port = entry.port(&model).unwrap();
                let count = model.workloads[entry.service].service().unwrap().replicas.value.least();
                let count = if target == "laptop" { count as usize } else { 1 };
                prop_assert_eq!(entry.at.len(), count);
                for number in &entry.at {
                    let protocol = if target == "prod" { Protocol::Tcp } else { port.protocol };
                    prop_assert!(used.insert((protocol, *number)) && !elsewhere.contains(&(protocol, *number)));
                }
            }
            model.kept = settled.kept(&model);
            let kept = PortPlan::of(&model);
            prop_assert_eq!(numbers(&kept), numbers(&settled));
            prop_assert!(kept.unfit.is_empty() && kept.clashes.iter().all(|clash| !is_outer(clash.scope)));
            prop_assert_eq!(PortPlan::settled(&model, &elsewhere).kept(&model), settled.kept(&model));
            // Without what was elsewhere, nothing has to move.
            prop_assert_eq!(numbers(&PortPlan::settled(&model, &BTreeSet::new())), numbers(&settled));
        }
    }
}
