//! The keys of the language: the value of each in the model.

use indoc::{formatdoc, indoc};
use std::path::Path;

use fracht_core::check::{Project, Verdict};
use fracht_core::diag::Severity;
use fracht_core::files::MemoryFiles;
use fracht_core::model::{Address, Content, Mounted, OutsidePlace, Part, Raw, Replicas};

use crate::values::HEAD;

/// The verdict on a stack with some files beside it.
pub(crate) fn verdict(stack: &str, target: &str) -> Verdict {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/a.env", "A=1\n")
        .with("/s/more.env", "B=2\n")
        .with("/s/conf/x.csv", "x")
        .with("/s/conf/y.csv", "y")
        .with("/s/conf/bad name.txt", "z")
        .with("/s/objects/w.yaml", "kind: W\n");
    let path = Path::new("/s/fracht.toml");
    Project::open(&files, path, path).unwrap().check(target).unwrap()
}

#[test]
fn severities_are_set_by_the_stack_and_the_target() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a"
        [network.n]
        [rules]
        image-unpinned = "error"
        unused = "off"
        [target.prod]
        [target.test]
        rules.image-unpinned = "hint"
        "#};
    let severities = |target| -> Vec<(&'static str, Severity)> {
        let verdict = verdict(stack, target);
        verdict.report.findings().iter().map(|f| (f.diagnostic.rule.name, f.severity)).collect()
    };
    assert_eq!(severities("prod"), [("image-unpinned", Severity::Error)]);
    assert_eq!(severities("test"), [("image-unpinned", Severity::Hint)]);
}

#[test]
fn an_external_service_has_its_name_in_a_cluster_and_its_address_on_a_machine() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [outside.feed]
        host = "feed.{target.domain}"
        port.in = 443
        [outside.gauge]
        address = "192.0.2.7"
        port.read = 5055
        [outside.six]
        address = "2001:db8::1"
        port.x = 1
        [service.a]
        image = "a:1.0"
        env.A = "{outside.feed} {outside.feed/in} {outside.gauge/read} {port.gauge/read} {outside.six/x}"
        [target.prod]
        domain = "buoys.example"
        [target.machine]
        on = "machine"
        domain = "buoys.example"
        "#};
    let text = |target: &str| {
        let model = verdict(stack, target).facts.model;
        assert!(
            matches!(&model.outsides.iter().next().unwrap().place.value, OutsidePlace::Host(h) if &**h == "feed.buoys.example")
        );
        let env = &model.workloads.iter().next().unwrap().main.env[0].value;
        assert!(
            env.parts.iter().any(|p| matches!(p, Part::Known { address: Some(Address::Outside(..)), .. }))
        );
        env.plain()
    };
    assert_eq!(text("prod"), "feed.buoys.example feed.buoys.example:443 gauge:5055 5055 six:1");
    assert_eq!(
        text("machine"),
        "feed.buoys.example feed.buoys.example:443 192.0.2.7:5055 5055 [2001:db8::1]:1"
    );
}

#[test]
fn configs_read_lines_and_files_by_pattern() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [config.c]
        lines = ["a.env", "more.env"]
        files = "conf/*.csv"
        [config.there]
        present = "shared"
        keys = ["R"]
        [service.a]
        image = "a:1.0"
        use = ["config.c"]
        env.R = "{config.there/R}"
        mount."/x" = "config.c/x.csv"
        "#};
    let verdict = verdict(stack, "cluster");
    assert!(verdict.checked().is_some(), "{:#?}", verdict.report.findings());
    let configs: Vec<_> = verdict.facts.model.configs.iter().collect();
    let names: Vec<&str> = configs[0].keys.iter().map(|key| &*key.name).collect();
    assert_eq!(names, ["A", "B", "x.csv", "y.csv"]);
    assert_eq!(&*configs[1].present.as_ref().unwrap().value, "shared");
    assert!(matches!(configs[1].keys[0].content, Content::Present));
}

#[test]
fn short_and_long_forms_mean_the_same() {
    let stack = |mount: &str, target: &str| {
        formatdoc!(
            r#"
            {HEAD}mount."/c" = {mount}
            replicas = 3
            spread = "zone"
            [target.t]
            {target}
            "#
        )
    };
    let of = |mount: &str, target: &str| {
        let verdict = verdict(&stack(mount, target), "t");
        assert!(verdict.checked().is_some(), "{:#?}", verdict.report.findings());
        verdict.facts.model.workloads.iter().next().unwrap().clone()
    };
    let plain = of("\"config.c\"", "");
    let long = of("\"config.c\"", "service.a.mount.\"/c\".mode = \"0400\"\nservice.a.spread.strict = true");
    assert!(matches!(
        (&plain.main.mounts[0].what, &long.main.mounts[0].what),
        (Mounted::Config(..), Mounted::Config(..))
    ));
    assert_eq!((plain.main.mounts[0].mode, long.main.mounts[0].mode), (None, Some(0o400)));
    assert!(long.main.mounts[0].read_only);
    let spread = long.spread.unwrap();
    assert!(spread.strict.value && spread.over.value == plain.spread.unwrap().over.value);
    let grown = of("\"config.c\"", "service.a.replicas = { max = 5 }\nservice.a.cpu = 1");
    assert_eq!(grown.service().unwrap().replicas.value, Replicas::Growing { min: 1, max: 5, cpu: 80 });
}

#[test]
fn patches_of_targets_follow_those_of_the_stack() {
    let stack = indoc! {r#"
        pass = ["objects/*.yaml"]
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        [[patch]]
        on = "Deployment/a"
        merge = { a = 1.5, b = [true, "x"], c.d = 1_000 }
        [[target.t.patch]]
        on = "Deployment/a"
        ops = [{ op = "remove", path = "/a" }]
        [target.other]
        "#};
    let patches = |target| verdict(stack, target).facts.model.patches.len();
    assert_eq!((patches("t"), patches("other")), (2, 1));
    let model = verdict(stack, "t").facts.model;
    assert_eq!((model.passed.len(), &*model.passed[0].shown), (1, "/s/objects/w.yaml"));
    let fracht_core::model::PatchChange::Merge(Raw::Table(fields)) = &model.patches[0].change else {
        panic!()
    };
    assert_eq!(fields[0].1, Raw::Float(1.5));
    assert_eq!(fields[1].1, Raw::List(vec![Raw::Boolean(true), Raw::Text("x".into())]));
    assert_eq!(fields[2].1, Raw::Table(vec![("d".into(), Raw::Integer(1000))]));
}

#[test]
fn services_in_closed_networks_cannot_reach_external_services() {
    let stack = |networks: &str| {
        formatdoc!(
            r#"
                [stack]
                name = "s"
                [network.deep]
                closed = true
                [network.quay]
                [outside.feed]
                host = "f.example"
                [service.a]
                image = "a:1.0"
                network = [{networks}]
                env.FEED = "{{outside.feed}}"
                [service.b]
                image = "b:1.0"
                network = ["quay"]
                "#
        )
    };
    let rules = |networks: &str| -> Vec<&'static str> {
        verdict(&stack(networks), "cluster")
            .report
            .findings()
            .iter()
            .map(|f| f.diagnostic.rule.name)
            .collect()
    };
    assert_eq!(rules("\"deep\""), ["no-route"]);
    assert_eq!(rules("\"deep\", \"quay\""), [""; 0]);
}
