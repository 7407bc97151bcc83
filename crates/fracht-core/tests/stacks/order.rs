use indoc::{formatdoc, indoc};
use std::time::Duration;

use fracht_core::model::Condition;
use fracht_core::plan::order::Order;
use proptest::prelude::*;

use crate::{good, verdict};
use fracht_testkit::random_stack::{parts, stack_file};

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Everything starts, after what it waits for and no later than necessary.
    #[test]
    fn nothing_starts_before_what_it_waits_for(parts in parts()) {
        let verdict = good(&stack_file(&parts), "cluster");
        let order = &verdict.facts.order;
        prop_assert!(order.stuck.is_empty());
        let started = order.waves.iter().map(Vec::len).sum::<usize>();
        prop_assert_eq!(started + order.scheduled.len(), parts.len());
        prop_assert!(order.waves.iter().all(|wave| !wave.is_empty()));
        for (id, workload) in verdict.facts.model.workloads.entries() {
            let own = order.wave(id).unwrap();
            let latest = workload.after.iter().map(|after| order.wave(after.on).unwrap()).max();
            prop_assert_eq!(own, latest.unwrap_or(0) + 1, "{}", workload.name);
            let place = if workload.is_scheduled() { &order.scheduled } else { &order.waves[own - 1] };
            prop_assert!(place.contains(&id));
        }
    }

    /// The waves do not depend on the order of the tables.
    #[test]
    fn the_order_of_the_file_does_not_matter(parts in parts()) {
        let text = stack_file(&parts);
        let start = text.find("\n[service.part-").into_iter().chain(text.find("\n[task.part-")).min().unwrap() + 1;
        let (head, rest) = text.split_at(start);
        let mut tables: Vec<&str> = Vec::new();
        let mut from = 0;
        for (at, _) in rest.match_indices("\n[") {
            tables.push(&rest[from..=at]);
            from = at + 1;
        }
        tables.push(&rest[from..]);
        // A text of several lines may look like a header: such stacks are left out.
        prop_assume!(!parts.iter().any(|part| part.text.contains('\n')));
        tables.reverse();
        let turned = format!("{head}{}", tables.concat());
        let (one, other) = (good(&text, "cluster"), good(&turned, "cluster"));
        let (first, second) = (&one.facts.order, &other.facts.order);
        let waves = |model: &fracht_core::model::Model, order: &Order| {
            let mut waves: Vec<_> =
                model.workloads.entries().map(|(id, w)| (w.name.to_string(), order.wave(id))).collect();
            waves.sort();
            waves
        };
        prop_assert_eq!(waves(&one.facts.model, first), waves(&other.facts.model, second));
    }
}

const CHAIN: &str = r#"
[stack]
name = "s"
[service.db]
image = "db:1.0"
port.sql = 5432
health = { tcp = "sql", boot = "60s" }
[service.cache]
image = "cache:1.0"
port.c = 6379
health = { tcp = "c", boot = "90s" }
[task.schema]
image = "api:1.0"
after = { db = "ready" }
timeout = "2m"
[service.api]
image = "api:1.0"
after = { schema = "done", cache = "ready" }
[service.log]
image = "log:1.0"
after = { api = "started" }
"#;

#[test]
fn the_longest_chain_adds_boot_times_and_limits_of_tasks() {
    let verdict = good(CHAIN, "cluster");
    let chain = verdict.facts.order.longest_chain(&verdict.facts.model).unwrap();
    let names: Vec<&str> = chain.links.iter().map(|id| &*verdict.facts.model.workloads[*id].name).collect();
    assert_eq!(names, ["db", "schema", "api"]);
    // Behind a gate, each try has the whole time limit: 4 times 2 minutes, and pauses of 10, 20 and 40 seconds.
    assert_eq!(chain.time, Duration::from_secs(60 + 4 * 120 + 70));
    let unknown: Vec<&str> =
        chain.unknown.iter().map(|id| &*verdict.facts.model.workloads[*id].name).collect();
    assert_eq!(unknown, ["api"], "nothing says how long it may take, which is not no time");
    let free = CHAIN.replace("after = { db = \"ready\" }\n", "");
    let verdict = good(&free, "cluster");
    let chain = verdict.facts.order.longest_chain(&verdict.facts.model).unwrap();
    assert_eq!(chain.time, Duration::from_secs(120), "without a gate, all tries together");
}

#[test]
fn of_equally_long_chains_the_first_one_counts() {
    let service = |name: &str| {
        formatdoc!(
            r#"
                [service.{name}]
                image = "a:1.0"
                port.p = 80
                health = {{ tcp = "p", boot = "30s" }}
                "#
        )
    };
    let verdict = good(&format!("[stack]\nname = \"s\"\n{}{}", service("one"), service("two")), "cluster");
    let model = &verdict.facts.model;
    let chain = verdict.facts.order.longest_chain(model).unwrap();
    assert_eq!(chain.links.iter().map(|id| &*model.workloads[*id].name).collect::<Vec<_>>(), ["one"]);
}

#[test]
fn a_stack_without_times_has_no_longest_chain() {
    let verdict = good("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n", "cluster");
    assert_eq!(verdict.facts.order.longest_chain(&verdict.facts.model), None);
}

#[test]
fn a_cycle_is_reported_with_every_wait_and_its_dependents_cannot_start() {
    let ring = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        after = { b = "started" }
        [service.b]
        image = "b:1.0"
        after = { c = "started" }
        [service.c]
        image = "c:1.0"
        after = { a = "started" }
        [service.d]
        image = "d:1.0"
        after = { a = "started" }
        [service.e]
        image = "e:1.0"
        "#};
    let verdict = verdict(ring, "cluster");
    let order = &verdict.facts.order;
    let word = |id| verdict.facts.model.workloads[id].name.to_string();
    let edges: Vec<_> =
        order.cycles[0].iter().map(|wait| (word(wait.from), word(wait.on), wait.condition)).collect();
    let started = |from: &str, on: &str| (from.to_owned(), on.to_owned(), Condition::Started);
    assert_eq!(edges, [started("a", "b"), started("b", "c"), started("c", "a")]);
    assert_eq!(order.stuck.iter().map(|id| word(*id)).collect::<Vec<_>>(), ["a", "b", "c", "d"]);
    assert_eq!(order.waves.len(), 1);
    let finding = &verdict.report.findings()[0].diagnostic;
    assert_eq!(finding.rule.name, "start-cycle");
    assert_eq!(finding.related.len(), 2, "each other wait has its line");
    assert_eq!(verdict.report.findings().len(), 1, "one mistake, one message");
}
