//! The keys of the language: the value of each in the model.

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
    let stack = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a\"\n[network.n]\n[rules]\nimage-unpinned = \"error\"\n\
                 unused = \"off\"\n[target.prod]\n[target.test]\nrules.image-unpinned = \"hint\"\n";
    let severities = |target| -> Vec<(&'static str, Severity)> {
        let verdict = verdict(stack, target);
        verdict.report.findings().iter().map(|f| (f.diagnostic.rule.name, f.severity)).collect()
    };
    assert_eq!(severities("prod"), [("image-unpinned", Severity::Error)]);
    assert_eq!(severities("test"), [("image-unpinned", Severity::Hint)]);
}

#[test]
fn an_external_service_has_its_name_in_a_cluster_and_its_address_on_a_machine() {
    let stack = "[stack]\nname = \"s\"\n[outside.feed]\nhost = \"feed.{target.domain}\"\nport.in = 443\n\
                 [outside.gauge]\naddress = \"192.0.2.7\"\nport.read = 5055\n[outside.six]\naddress = \"2001:db8::1\"\nport.x = 1\n\
                 [service.a]\nimage = \"a:1\"\nenv.A = \"{outside.feed} {outside.feed/in} {outside.gauge/read} {port.gauge/read} {outside.six/x}\"\n\
                 [target.prod]\ndomain = \"buoys.example\"\n[target.machine]\non = \"machine\"\ndomain = \"buoys.example\"\n";
    let text = |target: &str| {
        let model = verdict(stack, target).facts.model;
        assert!(
            matches!(&model.outsides.iter().next().unwrap().place.value, OutsidePlace::Host(h) if &**h == "feed.buoys.example")
        );
        let env = &model.workloads.iter().next().unwrap().main.env[0].value;
        assert!(
            env.parts.iter().any(|p| matches!(p, Part::Known { address: Some(Address::Outside(_)), .. }))
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
    let stack = "[stack]\nname = \"s\"\n[config.c]\nlines = [\"a.env\", \"more.env\"]\nfiles = \"conf/*.csv\"\n\
                 [config.there]\npresent = \"shared\"\nkeys = [\"R\"]\n\
                 [service.a]\nimage = \"a:1\"\nuse = [\"config.c\"]\nenv.R = \"{config.there/R}\"\nmount.\"/x\" = \"config.c/x.csv\"\n";
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
        format!("{HEAD}mount.\"/c\" = {mount}\nreplicas = 3\nspread = \"zone\"\n[target.t]\n{target}\n")
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
    let stack = "pass = [\"objects/*.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n\
                 [[patch]]\non = \"Deployment/a\"\nmerge = { a = 1.5, b = [true, \"x\"], c.d = 1_000 }\n\
                 [[target.t.patch]]\non = \"Deployment/a\"\nops = [{ op = \"remove\", path = \"/a\" }]\n[target.other]\n";
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
        format!(
            "[stack]\nname = \"s\"\n[network.deep]\nclosed = true\n[network.quay]\n[outside.feed]\nhost = \"f.example\"\n\
             [service.a]\nimage = \"a:1\"\nnetwork = [{networks}]\nenv.FEED = \"{{outside.feed}}\"\n\
             [service.b]\nimage = \"b:1\"\nnetwork = [\"quay\"]\n"
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
