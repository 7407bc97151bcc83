use insta::assert_snapshot;

use crate::sandbox::{Run, Sandbox};

const COMMANDS: [&str; 23] = [
    "check",
    "order",
    "ports",
    "reach",
    "show",
    "images",
    "draw",
    "render",
    "diff",
    "start",
    "state",
    "output",
    "inside",
    "once",
    "stop",
    "trace",
    "new",
    "rules",
    "schema",
    "demo",
    "completions",
    "manual",
    "help",
];

#[test]
fn the_help_of_every_command() {
    let sandbox = Sandbox::empty();
    let mut manual = sandbox.run(&["--help"]).out;
    for command in COMMANDS.into_iter().filter(|command| *command != "help") {
        let run = sandbox.run(&[command, "--help"]);
        assert!(run.out.contains("Examples:\n"), "{command}");
        manual += &format!("\n======== fracht {command} --help\n{}", run.out);
    }
    for line in manual.lines() {
        assert!(line.chars().count() <= 100, "{line}");
    }
    assert_snapshot!(manual);
}

/// The completions for the last of some words.
fn offered(sandbox: &Sandbox, words: &[&str]) -> Vec<String> {
    let mut command = sandbox.command(&[]);
    command.env("COMPLETE", "bash").env("_CLAP_IFS", "\n").env("_CLAP_COMPLETE_COMP_TYPE", "9");
    command.env("_CLAP_COMPLETE_INDEX", (words.len()).to_string()).args(["--", "fracht"]).args(words);
    let run = Run::of(&command.output().unwrap());
    assert_eq!(run.err, "");
    run.out.lines().map(str::to_owned).collect()
}

#[test]
fn completions_know_every_command_and_the_stack_at_hand() {
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let run = Sandbox::empty().run(&["completions", shell]);
        assert_eq!((run.code, run.err.as_str()), (0, ""), "{shell}");
        assert!(run.out.contains("fracht"), "{shell}");
    }
    let demo = Sandbox::demo();
    let commands = offered(&demo, &[""]);
    for command in COMMANDS {
        assert!(commands.contains(&command.to_owned()), "{command} in {commands:?}");
    }
    assert_eq!(offered(&demo, &["render", "-t", ""]), ["laptop", "staging", "prod"]);
    assert_eq!(offered(&demo, &["diff", "--against", "s"]), ["staging"]);
    assert_eq!(offered(&demo, &["check", "--input", ""]), ["version="]);
    assert_eq!(offered(&demo, &["trace", "task."]), ["task.schema", "task.refit"]);
    assert_eq!(offered(&demo, &["rules", "port-c"]), ["port-clash"]);
    assert_eq!(offered(&demo, &["show", "ga"]), ["gauge", "gateway"]);
    assert_eq!(offered(&demo, &["draw", "--only", "ga"]), ["gauge", "gateway"]);
    assert_eq!(offered(&demo, &["start", "api", "ga"]), ["gauge", "gateway"]);
    assert_eq!(offered(&demo, &["inside", "ga"]), ["gauge", "gateway"]);
    assert_eq!(offered(&demo, &["new", "--name", "ga"]), [""; 0]);
    assert_eq!(offered(&demo, &["order", "--behind", "sch"]), ["schema"]);
    assert_eq!(offered(&demo, &["render", "--only", "ga"]), [""; 0]);
    assert_eq!(offered(&Sandbox::with("nonsense"), &["trace", "service."]), [""; 0]);
}

#[test]
fn the_manual_has_a_page_for_every_command() {
    let sandbox = Sandbox::empty();
    let run = sandbox.run(&["manual", "--out", "man"]);
    assert_eq!((run.code, run.out.as_str()), (0, "23 pages in man\n"), "{run:?}");
    let mut pages: Vec<String> =
        COMMANDS.iter().filter(|name| **name != "help").map(|name| format!("fracht-{name}.1")).collect();
    pages.push("fracht.1".to_owned());
    pages.sort();
    assert_eq!(sandbox.names("man"), pages);
    let page = sandbox.run(&["manual", "render"]).out;
    assert_eq!(page, sandbox.read("man/fracht-render.1"));
    assert!(page.contains(".SH OPTIONS") && page.contains("fracht\\-render"));
    assert_eq!(sandbox.run(&["manual", "rendr"]).code, 2);
}

#[test]
fn invalid_arguments_exit_with_2() {
    let sandbox = Sandbox::empty();
    for arguments in [&["chek"][..], &[], &["check", "--colour"], &["render", "--format", "xml"]] {
        let run = sandbox.run(arguments);
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?}");
        assert!(!run.err.is_empty());
    }
}

#[test]
fn every_rule_is_listed_and_has_a_page() {
    let sandbox = Sandbox::empty();
    let list = sandbox.run(&["rules"]).out;
    let names: Vec<&str> = list.lines().skip(1).filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(names.len(), fracht_core::rules::all().len());
    for name in names {
        let page = sandbox.run(&["rules", name]);
        assert_eq!(page.code, 0);
        for part in ["bad example", "good example", name] {
            assert!(page.out.contains(part), "{name}: {}", page.out);
        }
        let texts = page.out.split("bad example").next().unwrap();
        assert!(texts.lines().all(|line| line.chars().count() <= 100), "{texts}");
    }
    assert_snapshot!(list);
    assert_snapshot!("page_of_a_rule", sandbox.run(&["rules", "port-clash"]).out);
    let unknown = sandbox.run(&["rules", "port-crash"]);
    assert_eq!((unknown.code, unknown.out.as_str()), (2, ""));
}
