use fracht_core::model::{Model, TargetKind, Text};
use fracht_core::origin::{Layer, Origin};
use indoc::indoc;

use crate::{failed, good, verdict};

const STACK: &str = r#"
[stack]
name = "tidedesk"
title = "Tide forecasts"

[service.api]
image = "api:1.0"
args = ["serve", "--slow"]
replicas = 2
port.http = 8080
env.LOG_LEVEL = "info"
env.WHERE = "{target.name} {target.namespace} {stack.name}"

[volume.tides]
size = "1Gi"

[target.laptop]
on = "machine"
service.api.replicas = 1
service.api.args = ["serve"]
service.api.port.http.reach = "node"

[target.prod]
namespace = "tides"
service.api.env.LOG_LEVEL = "warn"
service.api.env.EXTRA = "1"
service.canary = { image = "api:2.0" }
volume.tides.class = "fast"
"#;

fn variable<'m>(model: &'m Model, service: &str, name: &str) -> &'m Text {
    let workload = model.workloads.iter().find(|workload| *workload.name == *service).unwrap();
    &workload.main.env.iter().find(|variable| *variable.name == *name).unwrap().value
}

#[test]
fn a_target_states_only_the_difference() {
    let laptop = good(STACK, "laptop").facts.model;
    let api = &laptop.workloads.iter().next().unwrap();
    assert_eq!(laptop.target.on.value, TargetKind::Machine);
    assert_eq!(api.service().unwrap().replicas.value.least(), 1);
    assert_eq!(api.main.args.as_ref().unwrap().len(), 1, "a list replaces");
    assert_eq!(api.ports()[0].number.value, 8080, "a short form becomes the table that it stands for");
    assert!(api.ports()[0].reach.value.is_open());
    assert_eq!(variable(&laptop, "api", "LOG_LEVEL").plain(), "info");

    let prod = good(STACK, "prod").facts.model;
    assert_eq!(prod.target.on.value, TargetKind::Cluster);
    assert_eq!(variable(&prod, "api", "LOG_LEVEL").plain(), "warn", "tables merge by key");
    assert_eq!(variable(&prod, "api", "EXTRA").plain(), "1");
    assert_eq!(prod.workloads.len(), 2, "a target can add a service");
    assert_eq!(prod.volumes.iter().next().unwrap().class.as_ref().unwrap().value.as_ref(), "fast");
}

#[test]
fn texts_can_refer_to_the_target_and_the_stack() {
    let text = |target| variable(&good(STACK, target).facts.model, "api", "WHERE").plain();
    assert_eq!(text("laptop"), "laptop tidedesk tidedesk");
    assert_eq!(text("prod"), "prod tides tidedesk");
}

#[test]
fn every_value_keeps_the_layer_that_sets_it() {
    let layer = |origin| match origin {
        Origin::Written { layer, .. } => Some(layer),
        Origin::Default => None,
    };
    let prod = good(STACK, "prod").facts.model;
    assert_eq!(layer(variable(&prod, "api", "LOG_LEVEL").origin), Some(Layer::Target(1)));
    assert_eq!(layer(variable(&prod, "api", "WHERE").origin), Some(Layer::Stack));
    assert_eq!(layer(prod.target.namespace.origin), Some(Layer::Target(1)));
    assert_eq!(layer(prod.target.on.origin), None);
    let laptop = good(STACK, "laptop").facts.model;
    let api = laptop.workloads.iter().next().unwrap();
    assert_eq!(layer(api.service().unwrap().replicas.origin), Some(Layer::Target(0)));
    assert_eq!(layer(laptop.target.namespace.origin), None);
}

#[test]
fn a_misspelled_name_in_a_target_has_a_suggestion() {
    let stack = STACK.replace("service.api.replicas = 1", "service.apj.replicas = 1");
    let verdict = verdict(&stack, "laptop");
    let finding = &verdict.report.findings()[0].diagnostic;
    assert_eq!(
        (finding.rule.name, &*finding.message),
        ("missing-key", "`image` is missing in `service.apj`")
    );
    assert!(finding.help.iter().any(|help| help.contains("`api`")), "{finding:#?}");
}

#[test]
fn a_mistake_in_a_target_is_reported_for_every_target() {
    let stack = STACK.replace("volume.tides.class", "volume.tides.clas");
    assert!(failed(&stack, "laptop").contains(&"unknown-key"));
    assert!(failed(&stack, "prod").contains(&"unknown-key"));
}

#[test]
fn a_stack_without_targets_has_a_default_target() {
    let model = good("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n", "cluster").facts.model;
    assert_eq!((&*model.target.name, &*model.target.namespace.value), ("cluster", "s"));
}

const LIKE: &str = r#"
[stack]
name = "s"
[rules]
size-missing = "off"
[pattern.base]
user = 10
env = { A = "base", B = "base", C = "base" }
[pattern.small]
like = "pattern.base"
memory = "8Mi"
env.B = "small"
[pattern.loud]
env.LOUD = "1"
env.A = "loud"
[service.a]
like = ["pattern.small", "pattern.loud"]
image = "a:1.0"
env.C = "own"
[service.quiet]
like = ["pattern.small", "pattern.loud"]
image = "q:1.0"
drop = ["env.LOUD", "memory"]
[target.test]
service.a.env.C = "test"
pattern.base.env.B = "unseen"
pattern.small.env.B = "tested"
[target.prod]
like = "target.test"
drop = ["service.a.env.LOUD"]
namespace = "p"
service.a.drop = ["env.B"]
service.a.replicas = 3
[target.bare]
drop = ["service.quiet"]
service.a.like = "pattern.loud"
"#;

/// The variables of a service, `NAME=value`.
fn variables(model: &Model, service: &str) -> Vec<String> {
    let workload = model.workloads.iter().find(|workload| *workload.name == *service).unwrap();
    let mut all: Vec<_> = workload
        .main
        .env
        .iter()
        .map(|variable| format!("{}={}", variable.name, variable.value.plain()))
        .collect();
    all.sort();
    all
}

/// What a target drops is dropped once: nothing says that it is not there.
#[test]
fn drops_of_services_and_keys_are_found() {
    for target in ["test", "prod", "bare"] {
        assert_eq!(failed(LIKE, target), [""; 0], "{target}");
    }
    let bare = good(LIKE, "bare").facts.model;
    assert_eq!(bare.workloads.iter().map(|workload| &*workload.name).collect::<Vec<_>>(), ["a"]);
}

#[test]
fn a_target_adds_the_first_service() {
    let stack = indoc! {r#"
            [stack]
            name = "s"
            [target.t]
            service.a = { image = "a:1.0" }
            task.b = { image = "b:1.0" }
            "#};
    let model = good(stack, "t").facts.model;
    assert_eq!(model.workloads.iter().map(|workload| &*workload.name).collect::<Vec<_>>(), ["a", "b"]);
}

#[test]
fn patterns_are_merged_in_order() {
    let test = good(LIKE, "test").facts.model;
    assert_eq!(variables(&test, "a"), ["A=loud", "B=tested", "C=test", "LOUD=1"]);
    let a = test.workloads.iter().next().unwrap();
    assert_eq!(a.main.user.unwrap().value.uid, 10, "a pattern is like another one");
    assert!(a.main.memory.is_some());
}

/// A pattern has the keys of services and tasks: a task ignores ports, replicas and health checks.
#[test]
fn keys_of_a_pattern_that_a_task_does_not_have_are_ignored() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [pattern.both]
        image = "a:1.0"
        port.http = 80
        health = { http = "/", port = "http" }
        replicas = 2
        retries = 1
        beside.x = { image = "x:1.0" }
        spread = "node"
        [service.a]
        like = "pattern.both"
        [task.t]
        like = "pattern.both"
        "#};
    let model = good(stack, "cluster").facts.model;
    let [a, t] = [0, 1].map(|index| model.workloads.iter().nth(index).unwrap().clone());
    assert!(a.main.health.is_some() && a.ports().len() == 1 && a.sidecars.len() == 1);
    assert!(t.main.health.is_none() && t.ports().is_empty() && t.sidecars.is_empty());
    assert!(a.spread.is_some() && t.spread.is_none());
}

#[test]
fn drop_removes_only_from_earlier_layers() {
    let test = good(LIKE, "test").facts.model;
    assert_eq!(variables(&test, "quiet"), ["A=loud", "B=tested", "C=base"]);
    assert!(test.workloads.iter().nth(1).unwrap().main.memory.is_none());
    let prod = good(LIKE, "prod").facts.model;
    assert_eq!(variables(&prod, "a"), ["A=loud", "C=test"], "a target drops what a pattern or the stack set");
}

#[test]
fn a_target_like_another_adds_its_own_values() {
    let prod = good(LIKE, "prod").facts.model;
    assert_eq!(&*prod.target.namespace.value, "p");
    let a = prod.workloads.iter().next().unwrap();
    assert_eq!(a.service().unwrap().replicas.value.least(), 3);
}

#[test]
fn a_target_can_drop_a_service_and_change_its_patterns() {
    let bare = good(LIKE, "bare").facts.model;
    assert_eq!(bare.workloads.len(), 1);
    assert_eq!(variables(&bare, "a"), ["A=loud", "C=own", "LOUD=1"]);
}

#[test]
fn inconsistent_layers_are_reported() {
    let with = |more: &str| failed(&format!("{LIKE}\n{more}"), "test");
    assert_eq!(with("[service.x]\nimage = \"x:1.0\"\nlike = \"pattern.smal\"\n"), ["unknown-name"]);
    assert_eq!(
        with(indoc! {r#"
            [pattern.x]
            like = "pattern.y"
            [pattern.y]
            like = "pattern.x"
            "#}),
        ["like-cycle"]
    );
    assert_eq!(with("[service.x]\nimage = \"x:1.0\"\ndrop = [\"env.A\"]\n"), ["drop-misses"]);
    assert_eq!(with("[service.x]\nimage = \"x:1.0\"\ndrop = [\"env..A\"]\n"), ["bad-value"]);
    assert_eq!(with("[service.x]\nimage = \"x:1.0\"\nlike = \"target.test\"\n"), ["bad-value"]);
    let target = |more: &str| failed(&format!("{LIKE}\n{more}"), "odd");
    assert_eq!(target("[target.odd]\nlike = \"target.od\"\n"), ["unknown-name"]);
    assert_eq!(
        target(indoc! {r#"
            [target.odd]
            like = "target.even"
            [target.even]
            like = "target.odd"
            "#}),
        ["like-cycle"]
    );
    assert_eq!(target("[target.odd]\ndrop = [\"service.none\", \"volume.none\"]\n"), ["drop-misses"; 2]);
}

mod split {
    use std::path::Path;

    use fracht_core::check::Project;
    use fracht_core::files::MemoryFiles;
    use indoc::indoc;
    use proptest::prelude::*;

    use fracht_testkit::random_stack::{parts, stack_file};

    /// The whole result of a check, without places.
    fn verdict(files: &MemoryFiles) -> (String, Vec<String>) {
        let path = Path::new("/s/fracht.toml");
        let mut project = Project::open(files, path, path).unwrap();
        let verdict = project.check("cluster").unwrap();
        let findings = verdict.report.findings().iter();
        let problems =
            findings.map(|f| format!("{} {}", f.diagnostic.rule.name, f.diagnostic.message)).collect();
        let workload = |workload: &fracht_core::model::Workload| {
            let texts: Vec<_> = workload.texts().map(|(_, text)| text.parts.clone()).collect();
            let ports: Vec<_> = workload.ports().iter().map(|p| (p.name.clone(), p.number.value)).collect();
            let waits: Vec<_> = workload.after.iter().map(|a| (a.on.index(), a.condition)).collect();
            format!("{} {} {texts:?} {ports:?} {waits:?}\n", workload.reference(), workload.main.image.value)
        };
        (verdict.facts.model.workloads.iter().map(workload).collect(), problems)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        /// A stack in several files has the same result as in one.
        #[test]
        fn included_files_are_merged_into_one_stack(parts in parts(), cut in 0_usize..8) {
            prop_assume!(!parts.iter().any(|part| part.text.contains('\n')));
            let whole = stack_file(&parts);
            let heads = whole.match_indices("\n[service.").map(|(at, _)| at + 1);
            let heads: Vec<usize> = heads.collect();
            prop_assume!(!heads.is_empty());
            let at = heads[cut % heads.len()];
        // The tables of a service follow it, so that the rest consists of whole tables.
            let (first, rest) = whole.split_at(at);
            let files = MemoryFiles::default()
                .with("/s/fracht.toml", format!("include = [\"more/*.toml\"]\n{first}"))
                .with("/s/more/rest.toml", rest);
            let one = verdict(&MemoryFiles::default().with("/s/fracht.toml", whole.as_str()));
            prop_assert_eq!(verdict(&files), one);
        }
    }

    #[test]
    fn a_table_defined_in_two_files_shows_both() {
        let files = MemoryFiles::default()
            .with(
                "/s/fracht.toml",
                indoc! {r#"
                include = ["*.toml", "none-*.toml"]
                [stack]
                name = "s"
                [service.a]
                image = "a:1.0"
                "#},
            )
            .with(
                "/s/b.toml",
                indoc! {r#"
                [service.a]
                image = "a:2.0"
                [service.b]
                image = "b:1.0"
                replica = 1
                [stack]
                name = "t"
                "#},
            );
        let mut project =
            Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml")).unwrap();
        let verdict = project.check("cluster").unwrap();
        let mut found: Vec<_> = verdict
            .report
            .findings()
            .iter()
            .map(|finding| {
                let place = |label: &fracht_core::diag::Label| project.sources().location(label.span);
                let related = finding.diagnostic.related.first().map(place);
                (finding.diagnostic.rule.name, place(finding.diagnostic.primary.as_ref().unwrap()), related)
            })
            .collect();
        found.sort();
        let at = |place: &str| place.to_owned();
        assert_eq!(
            found,
            [
                ("defined-twice", at("b.toml:1"), Some(at("fracht.toml:4"))),
                ("defined-twice", at("b.toml:6"), Some(at("fracht.toml:2"))),
                ("file-unreadable", at("fracht.toml:1"), None),
                ("unknown-key", at("b.toml:5"), None),
            ]
        );
        assert_eq!(verdict.facts.model.workloads.len(), 2);
    }
}
