use indoc::indoc;
use std::path::Path;

use fracht_core::check::{Project, Verdict};
use fracht_core::files::MemoryFiles;
use fracht_core::input::{InputSource, InputValues};

use crate::failed;

const STACK: &str = r#"
[stack]
name = "s"
[input.version]
default = "1.0"
pattern = '\d+\.\d+'
help = "the release"
[build.app]
source = "app"
[build.tagged]
source = "app"
tag = "v{input.version}"
[service.a]
build = "app"
[service.b]
build = "app"
[task.t]
build = "tagged"
[service.c]
image = "registry.example/c:{input.version}"
env.VERSION = "{input.version}"
[target.prod]
registry = "registry.example/team"
[target.laptop]
on = "machine"
[target.none]
"#;

fn files() -> MemoryFiles {
    MemoryFiles::default()
        .with("/s/fracht.toml", STACK)
        .with("/s/app/Containerfile", "from scratch")
        .with("/s/app/src/main.rs", "fn main() {}")
        .with("/s/app/target/out", "made")
        .with("/s/app/.frachtignore", "/target/\n*.log\n!keep.log\n")
}

fn verdict(files: &MemoryFiles, target: &str, given: InputValues) -> Verdict {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap();
    project.set_inputs(given);
    project.check(target).unwrap()
}

fn images(files: &MemoryFiles, target: &str) -> Vec<String> {
    let verdict = verdict(files, target, InputValues::default());
    assert!(verdict.checked().is_some(), "{:#?}", verdict.report.findings());
    verdict.facts.model.workloads.iter().map(|workload| workload.main.image.value.to_string()).collect()
}

#[test]
fn a_build_is_one_image_wherever_it_is_used() {
    let images = images(&files(), "prod");
    assert_eq!(images[0], images[1]);
    assert!(images[0].starts_with("registry.example/team/app:content-"), "{images:?}");
    assert_eq!(images[2], "registry.example/c:1.0");
    assert_eq!(images[3], "registry.example/team/tagged:v1.0");
}

#[test]
fn the_tag_changes_only_with_the_content() {
    let tag = |files: &MemoryFiles| images(files, "laptop")[0].clone();
    let before = tag(&files());
    for (name, same) in [
        ("src/main.rs", false),
        ("src/new.rs", false),
        ("Containerfile", false),
        ("keep.log", false),
        ("some.log", true),
        ("target/out", true),
        ("src/target/x", false),
    ] {
        let after = tag(&files().with(format!("/s/app/{name}"), "changed"));
        assert_eq!(after == before, same, "{name}");
    }
    let ignoring_all = files().with("/s/app/.frachtignore", "*\n");
    let other_recipe = ignoring_all.clone().with("/s/app/Containerfile", "from something");
    assert_ne!(tag(&ignoring_all), tag(&other_recipe), "the recipe belongs to the content");
    // Two recipes among the same files give two images.
    let two = files().with("/s/app/Other", "from scratch");
    let chosen = STACK.replacen("source = \"app\"", "source = \"app\"\nrecipe = \"Other\"", 1);
    assert_ne!(tag(&two), tag(&two.clone().with("/s/fracht.toml", chosen)), "so does which one is chosen");
}

#[test]
fn the_tag_covers_arguments_and_what_a_build_takes_from() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [build.tools]
        source = "tools"
        [build.fixed]
        source = "tools"
        tag = "v1"
        [build.app]
        source = "app"
        args = { BASE = "{build.tools}", MODE = "slow" }
        [build.late]
        source = "app"
        args.BASE = "{build.fixed}"
        [service.app]
        build = "app"
        [service.late]
        build = "late"
        [target.laptop]
        on = "machine"
        "#};
    let files = files().with("/s/tools/Containerfile", "from scratch").with("/s/fracht.toml", stack);
    let tags = |files: &MemoryFiles| images(files, "laptop");
    let before = tags(&files);
    let changed = |right: &str, wrong: &str| {
        assert!(stack.contains(right), "{right}");
        tags(&files.clone().with("/s/fracht.toml", stack.replacen(right, wrong, 1)))
    };
    // Both images are made again if a base changes, also under a tag of its own.
    let base = tags(&files.clone().with("/s/tools/new", ""));
    assert!(before[0] != base[0] && before[1] != base[1], "{before:?} {base:?}");
    let slow = changed("slow", "fast");
    assert!(before[0] != slow[0] && before[1] == slow[1], "{before:?} {slow:?}");
    assert_ne!(before[0], changed("MODE", "MODUS")[0], "names of arguments count");
    assert_ne!(before[1], changed("v1", "v2")[1], "so does the tag of a base");
    // Where a table is written makes no difference.
    let tools = "[build.tools]\nsource = \"tools\"\n";
    let moved = stack.replacen(tools, "", 1) + tools;
    assert_eq!(before, tags(&files.clone().with("/s/fracht.toml", moved)));
}

#[test]
fn a_build_that_a_target_does_not_use_needs_no_values_of_inputs() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [input.tag]
        [input.color]
        [build.base]
        source = "app"
        tag = "{input.tag}"
        [build.app]
        source = "app"
        args = { BASE = "{build.base}" }
        [build.alone]
        source = "app"
        args.COLOR = "{input.color}"
        [service.web]
        image = "registry.example/web:1.0"
        [target.laptop]
        on = "machine"
        [target.prod]
        registry = "registry.example"
        service.web = { drop = ["image"], build = "app" }
        "#};
    let files = files().with("/s/fracht.toml", stack);
    assert_eq!(images(&files, "laptop"), ["registry.example/web:1.0"]);
    let report = verdict(&files, "prod", InputValues::default()).report;
    let missing: Vec<&str> = report.findings().iter().map(|finding| &*finding.diagnostic.message).collect();
    assert_eq!(missing, ["input `tag` has no value"], "also that of a build which another takes from");
    let mut given = InputValues::default();
    given.set("tag", InputSource::Argument, "v1");
    assert!(verdict(&files, "prod", given).checked().is_some());
}

#[test]
fn a_cluster_needs_a_registry_to_pull_from() {
    let rules = |target| -> Vec<&str> {
        let verdict = verdict(&files(), target, InputValues::default());
        verdict.report.findings().iter().map(|finding| finding.diagnostic.rule.name).collect()
    };
    assert_eq!(rules("none"), ["image-unpullable"; 2]);
    assert_eq!(rules("laptop"), [""; 0]);
}

#[test]
fn inconsistent_builds_are_reported() {
    let report = |right: &str, wrong: &str| {
        let files = files().with("/s/fracht.toml", STACK.replacen(right, wrong, 1));
        verdict(&files, "prod", InputValues::default()).report
    };
    let with = |right: &str, wrong: &str| -> Vec<&'static str> {
        report(right, wrong).findings().iter().map(|finding| finding.diagnostic.rule.name).collect()
    };
    assert_eq!(with("build = \"app\"", "build = \"ap\""), ["unknown-name"]);
    let unknown = report("build = \"app\"", "build = \"ap\"");
    assert_eq!(unknown.findings()[0].diagnostic.help, ["did you mean `app`?"]);
    assert_eq!(with("build = \"app\"", "build = \"app\"\nimage = \"a:1.0\""), ["bad-value"]);
    assert_eq!(with("source = \"app\"", "source = \"ap\""), ["file-unreadable"]);
    assert_eq!(with("source = \"app\"", "source = \"../app\""), ["path-outside"]);
    assert_eq!(with("source = \"app\"", "source = \"app\"\nrecipe = \"absent\""), ["file-unreadable"]);
    assert_eq!(with("source = \"app\"", "source = \"app\"\nrecipe = \"none\""), [""; 0]);
    assert_eq!(with("source = \"app\"", "source = \"app\"\nignore = \"none\""), ["file-unreadable"]);
    assert_eq!(with("v{input.version}", "not a tag {input.version}"), ["bad-value"]);
    assert_eq!(with("registry.example/c:{input.version}", "C:{input.version}"), ["bad-value"]);
}

#[test]
fn an_input_has_its_given_value_which_must_match_its_pattern() {
    let given = |value: &str| {
        let mut given = InputValues::default();
        given.set("version", InputSource::Argument, value);
        given
    };
    let model = verdict(&files(), "prod", given("2.7")).facts.model;
    assert_eq!(model.workloads.iter().nth(2).unwrap().main.image.value.to_string(), "registry.example/c:2.7");
    let refused = verdict(&files(), "prod", given("2.7; rm")).report;
    let finding =
        &refused.findings().iter().find(|f| f.diagnostic.rule.name == "input-refused").unwrap().diagnostic;
    assert!(!format!("{finding:?}").contains("rm"), "what was given is not repeated");
}

#[test]
fn all_missing_inputs_are_reported_at_once() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [input.a]
        [input.b]
        help = "the size"
        [input.c]
        default = ""
        [service.x]
        image = "x:1.0"
        args = ["{input.a}{input.b}{input.c}", "{input.d}"]
        "#};
    assert_eq!(failed(stack, "cluster"), ["input-missing", "input-missing", "unknown-name"]);
    let unused = indoc! {r#"
        [stack]
        name = "s"
        [input.a]
        default = "1"
        [service.x]
        image = "x:1.0"
        "#};
    assert_eq!(failed(unused, "cluster"), ["unused"]);
}
